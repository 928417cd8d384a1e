"""Where to look at an output: its telling frames, each with the region that matters and a small picture of it."""

from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from ovrik.analysis.signals.telling import APART, Moment, region
from ovrik.errors import Ask, Stopped
from ovrik.quality.scores.loss_map import LossPair, strength_of
from ovrik.quality.viewing.looked_at import LookedAt
from ovrik.study.facts.notes import Area
from ovrik.work.checking.which_moments import words_of
from ovrik.work.evidence.shown_files import Looked

SMALL = (192, 108)
"""Most width and height of a small picture, pixels."""


@dataclass(frozen=True, eq=False)
class Telling:
    """Fields: `moment`; `frame` of the excerpt; `words`, why it is worth a look; `area`; `picture`, the output there,
    8-bit B, G, R and filler, shape (height, width, 4)."""

    moment: Moment
    frame: int
    words: str
    area: Area
    picture: np.ndarray


class Readers:
    """Files that are looked at one frame after another, each opened when it is first asked for; closed at the end of
    the block. Not for use by two threads at once."""

    def __init__(self) -> None:
        self._open: dict[Path, LookedAt] = {}

    def __getitem__(self, path: Path) -> LookedAt:
        """Raises OvrikError where it can't be opened."""
        if path not in self._open:
            self._open[path] = LookedAt(path)
        return self._open[path]

    def __enter__(self) -> "Readers":
        return self

    def __exit__(self, *_error: object) -> None:
        for reader in self._open.values():
            reader.close()


def look(
    found: Sequence[Moment],
    output: Looked,
    reference: Looked,
    other: Looked | None = None,
    name: str = "",
    should_stop: Ask = lambda: False,
) -> list[Telling]:
    """Each moment with its region and a small picture. `other`, called `name`, is what moments of the kind "apart"
    compare with. Raises OvrikError, Stopped on request."""
    out = []
    with Readers() as readers:
        for moment in found:
            if should_stop():
                raise Stopped
            out.append(look_at(moment, readers, output, reference, other, name))
    return out


def look_at(
    moment: Moment,
    readers: Readers,
    output: Looked,
    reference: Looked,
    other: Looked | None = None,
    name: str = "",
) -> Telling:
    """One of them. Raises OvrikError."""
    # Scores are of frames that both have: the first is the one where the later of the two begins.
    frame = int(moment.frame / output.pace)
    strength = _strength(readers, output, reference, frame, moment.kind)
    if moment.kind == APART and other:
        theirs = _strength(readers, other, reference, frame, moment.kind)
        strength = np.abs(strength - theirs) if strength.shape == theirs.shape else strength
    area = region(strength)
    picture = _crop(readers[output.path], output.at(frame), area)
    return Telling(moment, frame, words_of(moment, name), area, picture)


def _strength(readers: Readers, output: Looked, reference: Looked, frame: int, kind: str) -> np.ndarray:
    """The map of one kind of loss, or of all of them."""

    def pair(number: int) -> LossPair:
        ours = readers[output.path].frame(output.at(number))
        return readers[reference.path].frame(reference.at(number)), ours

    return strength_of(pair(frame), pair(frame - 1) if frame else None, kind)


def cut_of(reader: LookedAt, frame: int, area: Area) -> np.ndarray:
    """The region of a frame as it is, 8-bit B, G, R and filler, shape (height, width, 4). Raises OvrikError."""
    found = reader.seen(frame).pixels
    high, wide = found.shape[:2]
    left, top, across, down = area
    return found[
        round(top * high) : round((top + down) * high), round(left * wide) : round((left + across) * wide)
    ]


def _crop(reader: LookedAt, frame: int, area: Area) -> np.ndarray:
    """The region of a frame, made no larger than a small picture."""
    cut = cut_of(reader, frame, area)
    step = max(1, -(-cut.shape[1] // SMALL[0]), -(-cut.shape[0] // SMALL[1]))
    if step == 1:
        return np.ascontiguousarray(cut)
    rows, columns = cut.shape[0] // step, cut.shape[1] // step
    parts = cut[: rows * step, : columns * step].reshape(rows, step, columns, step, 4)
    return np.ascontiguousarray(parts.mean(axis=(1, 3)).astype(np.uint8))
