"""What another build makes of the treated excerpt, and in which treatments that differs from the reference.

Versions draw a title a few pixels lower, sharpen or stabilise otherwise. Held against the reference such an output
would look badly coded: its encoder is judged by what it was given, and the difference is said.
"""

import json
from collections.abc import Callable
from contextlib import suppress
from dataclasses import asdict, dataclass
from itertools import zip_longest
from pathlib import Path

import numpy as np
from pydantic import TypeAdapter, ValidationError

from ovrik.analysis.signals.drawn import moved
from ovrik.errors import Ask, Stopped
from ovrik.machine.builds.build import Build, find_build
from ovrik.machine.devices.known_picture import HEIGHT, PEAKS, WIDTH, plane_sizes, psnr
from ovrik.quality.decode.frame_index import decoded_frames
from ovrik.quality.reference.key import reference_path
from ovrik.quality.reference.known_render import format_of, rendered
from ovrik.quality.reference.made import make_reference
from ovrik.quality.scores.planes import planes_of
from ovrik.study.contender.delivery import Delivery
from ovrik.study.files.kept import read_json
from ovrik.study.files.whole_file import write_whole
from ovrik.study.programme.excerpt import Excerpt
from ovrik.study.programme.programme import Programme
from ovrik.study.programme.treatment import Treatment
from ovrik.study.programme.treatment_kinds import SOFTWARE

SAME_DB = 48.0
"""Luma PSNR of each frame from which two builds give the same picture, rounding apart."""
RIGHT_DB, GROSS_DB = 40.0, 22.0
"""On the known picture: from the first on a treatment is done alike; under the second it gives another picture."""
TILE, TILE_DB = 16, 34.0
"""A line of text is a small part of a picture: a treatment is done alike only if the square of so many samples in
which most differs has so high a PSNR, too."""
APART = ("stabilise", "retime")
"""Treatments of many frames, of which the known picture shows nothing."""
PLACED = ("title",)
"""What is drawn over the picture: another font or place is no fault of it."""
EDITION = 2


@dataclass(frozen=True)
class Otherwise:
    """A treatment that a build does in another way. Fields: `words` of it; `kind`; `db`, the lowest PSNR of the three
    planes on the known picture, None where it has none; `across`, `down`, by how many of its pixels it is drawn
    further right and down, both 0 where that is not what differs."""

    words: str
    kind: str
    db: float | None = None
    across: int = 0
    down: int = 0

    @property
    def gross(self) -> bool:
        """Whether it gives another picture altogether."""
        placed = self.kind in PLACED or self.across or self.down
        return self.db is not None and self.db < GROSS_DB and not placed

    @property
    def said(self) -> str:
        """How it differs, in a clause."""
        if self.across or self.down:
            down, across = 100 * self.down / HEIGHT, 100 * self.across / WIDTH
            ways = [f"{abs(down):.1f} % of the height {'lower' if down > 0 else 'higher'}"] if down else []
            ways += (
                [f"{abs(across):.1f} % of the width further {'right' if across > 0 else 'left'}"]
                if across
                else []
            )
            return f"{self.words}: drawn {' and '.join(ways)}"
        if self.db is None:
            return f"perhaps {self.words}, which can't be tried by itself"
        return f"{self.words}: {'drawn otherwise, ' if self.kind in PLACED else ''}{self.db:.0f} dB"


@dataclass(frozen=True)
class OwnFrames:
    """A build's own treated frames. Fields: `path` of them, lossless; `build`, its short name, and `identity`; `db`,
    luma PSNR against the reference of the frame that differs most; `otherwise`, what does differ."""

    path: Path
    build: str
    identity: str
    db: float
    otherwise: tuple[Otherwise, ...] = ()

    @property
    def gross(self) -> tuple[Otherwise, ...]:
        """What gives another picture altogether."""
        return tuple(o for o in self.otherwise if o.gross)


@dataclass(frozen=True)
class _Kept:
    """What is on file of a comparison. Fields as of `OwnFrames`; `edition`."""

    db: float
    otherwise: tuple[Otherwise, ...]
    edition: int = EDITION


def own_frames(
    programme: Programme,
    excerpt: Excerpt,
    wanted: Delivery,
    build: Build,
    reference: Path,
    on_share: Callable[[float], None] = lambda _s: None,
    should_stop: Ask = lambda: False,
) -> OwnFrames | None:
    """A build's treated frames where they are not those of the reference, else None. Made and compared once. Raises
    OvrikError when they can't be made, Stopped."""
    path = reference_path(programme, excerpt, wanted, build.identity)
    file = path.with_suffix(".json")
    known = _read(file)
    if known is None or (known.db < SAME_DB and not path.exists()):
        made = make_reference(programme, excerpt, wanted, lambda s: on_share(0.9 * s), should_stop, build)
        db = least_psnr(made, reference, should_stop)
        known = _Kept(db, differences(build, programme) if db < SAME_DB else ())
        if db >= SAME_DB:
            made.unlink(missing_ok=True)
        with suppress(OSError):  # a full cache costs another comparison, nothing else
            write_whole(file, json.dumps(asdict(known)))
    if known.db >= SAME_DB:
        return None
    return OwnFrames(path, build.short, build.identity, known.db, known.otherwise)


def _read(file: Path) -> _Kept | None:
    try:
        found = TypeAdapter(_Kept).validate_python(read_json(file))
    except ValidationError:
        return None
    return found if found.edition == EDITION else None


def least_psnr(one: Path, other: Path, should_stop: Ask = lambda: False) -> float:
    """Luma PSNR in dB of the frame in which two files differ most, 100 for equal ones; 0 where one has more frames.
    Raises OvrikError when one can't be read, Stopped."""
    worst = 0.0
    for a, b in zip_longest(decoded_frames(one), decoded_frames(other)):
        if should_stop():
            raise Stopped
        if a is None or b is None:
            return 0.0
        ours, theirs = planes_of(a).luma, planes_of(b).luma
        if ours.shape != theirs.shape:
            return 0.0
        worst = max(worst, float(np.mean((ours - theirs) ** 2, dtype=np.float64)))
    return 100.0 if worst == 0 else float(10 * np.log10(255**2 / worst))


def differences(build: Build, programme: Programme) -> tuple[Otherwise, ...]:
    """Treatments that a build does otherwise than the one that makes references, each tried alone."""
    pixel_format = format_of(programme)
    if pixel_format not in PEAKS:
        return ()
    usual, ground = find_build("bundled"), None
    out = []
    for t in programme.every_treatment:
        if t.kind in APART:
            out.append(Otherwise(t.words, t.kind))
            continue
        ours, theirs = (rendered(b, t, SOFTWARE, pixel_format) for b in (build, usual))
        if not ours.out or not theirs.out:
            continue  # it needs more than the known picture: nothing is said of it
        db = psnr(ours.out, theirs.out, pixel_format)
        if db is None:
            continue
        pair = [_first_luma(x.out, pixel_format) for x in (ours, theirs)]
        if db >= RIGHT_DB and tile_db(*pair) >= TILE_DB:
            continue
        ground = ground or rendered(usual, None, SOFTWARE, pixel_format).out
        out.append(_elsewhere(t, db, ours.out, theirs.out, ground, pixel_format))
    return tuple(out)


def tile_db(one: np.ndarray, other: np.ndarray) -> float:
    """PSNR in dB of the square in which two pictures of 8-bit levels differ most, 100 for equal ones."""
    rows, columns = (n // TILE * TILE for n in one.shape)
    squares = ((one - other) ** 2)[:rows, :columns].reshape(rows // TILE, TILE, columns // TILE, TILE)
    worst = float(squares.mean(axis=(1, 3)).max())
    return 100.0 if worst == 0 else float(10 * np.log10(255**2 / worst))


def _elsewhere(
    t: Treatment, db: float, ours: bytes, theirs: bytes, ground: bytes, pixel_format: str
) -> Otherwise:
    a, b, under = (_first_luma(x, pixel_format) for x in (ours, theirs, ground))
    found = moved(a, b, under) if a.shape == b.shape == under.shape else None
    if found is None or not found.explained:
        return Otherwise(t.words, t.kind, db)
    return Otherwise(t.words, t.kind, db, found.across, found.down)


def _first_luma(raw: bytes, pixel_format: str) -> np.ndarray:
    kind = "u1" if PEAKS[pixel_format] == 255 else "<u2"
    count = plane_sizes(pixel_format)[0]
    samples = np.frombuffer(raw, kind, count)
    return samples.reshape(HEIGHT, WIDTH).astype(float) * (255 / PEAKS[pixel_format])
