"""Pictures that a report shows: one to begin with, and what is seen of the choice and of what was faster and failed,
beside the reference."""

import os
from concurrent.futures import ThreadPoolExecutor
from contextlib import suppress
from dataclasses import dataclass
from hashlib import sha256
from pathlib import Path
from typing import Any
from zipfile import BadZipFile

import numpy as np

from ovrik.analysis.signals.seen import most_seen
from ovrik.analysis.signals.telling import Moment
from ovrik.errors import Ask, OvrikError, Stopped
from ovrik.store.study import Study
from ovrik.study.files.checksum import mark_of
from ovrik.study.files.kept import cache_folder
from ovrik.study.files.whole_file import writing
from ovrik.work.checking.which_moments import found_moments, words_of
from ovrik.work.evidence.gathered import Evidence
from ovrik.work.evidence.shown_files import Looked, output_of, reference_of
from ovrik.work.evidence.summary import Summary

MOST_SHOWN, LOOKED_AT, OF_EACH = 3, 4, 2
"""Contenders of which moments are shown, how many of each are looked at, and how many of them are shown."""
LEAST_LEVELS = 0.8
"""8-bit levels of difference on average below which a reader sees nothing."""
WIDE_PX, LEAD_PX, GAIN, MID_GREY = 420, 720, 6.0, 119.0
EDITION = 3
"""Raised when pictures are made another way, so that old ones are not taken for new."""


@dataclass(frozen=True)
class Pictures:
    """A region, enlarged, JPEG. Fields: `output`, `reference`, and their `difference` in luma, `GAIN` times as strong
    about mid-grey; `levels` of difference that are seen there."""

    output: bytes
    reference: bytes
    difference: bytes
    levels: float


@dataclass(frozen=True)
class Shown:
    """A moment as a report shows it. Fields: `label` of the contender; `frame` of the excerpt; `words`, why it is
    worth a look; `pictures` of the region where the difference is seen most."""

    label: str
    frame: int
    words: str
    pictures: Pictures


def worth_showing(e: Evidence) -> list[Summary]:
    """The choice, what was faster and failed, and the smallest acceptable one, as many as are shown."""
    faster = {f.contender_id for f in e.verdict.faster}
    chosen = [s for s in e.summaries if s.standing == "choice"]
    chosen += [
        s for s in e.summaries if s.contender.contender_id in faster and s.score and s.score.of("vmaf").size
    ]
    chosen += sorted((s for s in e.summaries if s.acceptable and s.bytes), key=lambda s: s.bytes or 0)
    return list({s.contender.contender_id: s for s in chosen if s.score}.values())[:MOST_SHOWN]


def report_moments(study: Study, e: Evidence, should_stop: Ask = lambda: False) -> list[Shown]:
    """The pictures; of outputs that are no longer on disk there are none. Raises Stopped."""
    asked = list[_Asked]()
    for s in worth_showing(e):
        output, reference = output_of(study, s, e), reference_of(study, s, e)
        if output is None or s.score is None or not reference.path.exists():
            continue
        found = found_moments(s.score, None, float(e.programme.rate * output.pace))
        found = sorted(found, key=lambda m: -m.weight)[:LOOKED_AT]
        asked.append(_Asked(s.contender.label, found, output, reference))
    with ThreadPoolExecutor(os.cpu_count(), "moments") as pool:
        return [one for some in pool.map(lambda a: a.shown(should_stop), asked) for one in some]


@dataclass(frozen=True)
class _Asked:
    """Moments of a contender that are to be shown. Fields: its `label`; `found`, the moments; `output`, `reference`,
    the files that show them."""

    label: str
    found: list[Moment]
    output: Looked
    reference: Looked

    def shown(self, should_stop: Ask) -> list[Shown]:
        """Raises Stopped."""
        try:
            known = {moment: _kept(self._place(moment)) for moment in self.found}
            made = self._made([m for m, pictures in known.items() if pictures is None], should_stop)
        except Stopped:
            raise
        except OvrikError:
            made = {}  # a file that can't be decoded any more is no reason to have no report
        except OSError:
            return []  # nor is one that is gone by now
        pace = self.output.pace
        every = [
            Shown(self.label, int(moment.frame / pace), words_of(moment), pictures)
            for moment in self.found
            if (pictures := known[moment] or made.get(moment))
        ]
        every.sort(key=lambda one: -one.pictures.levels)
        return [one for one in every if one.pictures.levels >= LEAST_LEVELS][:OF_EACH]

    def _place(self, moment: Moment) -> Path:
        """Where both pictures are kept, by the files as they are: what a study says of them may be a stranger's."""
        files = [(str(f.path), mark_of(f.path), f.offset, f.pace) for f in (self.output, self.reference)]
        made_of = EDITION, files, moment.frame, moment.kind
        return cache_folder("moments") / f"{sha256(repr(made_of).encode()).hexdigest()[:40]}.npz"

    def _made(self, missing: list[Moment], should_stop: Ask) -> dict[Moment, Pictures]:
        """Those that were not made before. Raises OvrikError, Stopped."""
        if not missing:
            return {}
        # What decodes takes a second to load, and is not needed where all have been made.
        from ovrik.work.checking.moments import Readers

        made = {}
        with Readers() as readers:
            for moment in missing:
                if should_stop():
                    raise Stopped
                pictures = pictures_of(moment, readers, self.output, self.reference)
                if pictures is not None:
                    made[moment] = pictures
                    _keep(self._place(moment), pictures)
        return made


def pictures_of(moment: Moment, readers: Any, output: Looked, reference: Looked) -> Pictures | None:
    """A moment's frame where its difference is seen most; None where the two are not of one size. Raises
    OvrikError."""
    frame = int(moment.frame / output.pace)
    ours = readers[output.path].seen(output.at(frame)).pixels
    theirs = readers[reference.path].seen(reference.at(frame)).pixels
    if ours.shape != theirs.shape:
        return None
    found = most_seen(_luma(ours), _luma(theirs))
    ours, theirs = (_cut(pixels, found.area) for pixels in (ours, theirs))
    apart = np.clip(MID_GREY + GAIN * (_luma(ours) - _luma(theirs)), 0, 255).astype(np.uint8)
    difference = _jpeg(np.repeat(apart[:, :, None], 3, axis=2))
    return Pictures(_jpeg(ours), _jpeg(theirs), difference, found.levels)


def lead_picture(study: Study, e: Evidence) -> bytes:
    """A frame from the middle of the excerpt, of the choice's output or of the reference, as a JPEG; empty where
    neither can be read."""
    s = e.choice
    if s is None or s.score is None:
        return b""
    frame = e.facts.excerpt.frames // 2
    for looked in (output_of(study, s, e), reference_of(study, s, e)):
        if looked is None or not looked.path.exists():
            continue
        with suppress(OvrikError, OSError):
            return _whole_frame(looked, looked.at(int(frame / looked.pace)))
    return b""


def _whole_frame(looked: Looked, frame: int) -> bytes:
    """Raises OvrikError, OSError."""
    made_of = EDITION, str(looked.path), mark_of(looked.path), frame
    place = cache_folder("moments") / f"{sha256(repr(made_of).encode()).hexdigest()[:40]}.jpg"
    with suppress(OSError):
        return place.read_bytes()
    from ovrik.work.checking.moments import Readers

    with Readers() as readers:
        picture = _jpeg(readers[looked.path].seen(frame).pixels, LEAD_PX)
    with suppress(OSError), writing(place) as handle:
        handle.write(picture)
    return picture


def _luma(pixels: np.ndarray) -> np.ndarray:
    """Of B, G, R and filler, in 8-bit levels (Rec. ITU-R BT.709)."""
    return np.asarray(pixels[:, :, :3].astype(np.float32) @ np.array([0.0722, 0.7152, 0.2126], np.float32))


def _cut(pixels: np.ndarray, area: tuple[float, float, float, float]) -> np.ndarray:
    high, wide = pixels.shape[:2]
    left, top, across, down = area
    x, y = round(left * wide), round(top * high)
    return pixels[y : y + round(down * high), x : x + round(across * wide)]


def _keep(place: Path, pictures: Pictures) -> None:
    parts = (pictures.output, pictures.reference, pictures.difference)
    with suppress(OSError), writing(place) as handle:  # a full cache costs another look, nothing else
        np.savez(handle, np.array(pictures.levels), *(np.frombuffer(p, np.uint8) for p in parts))


def _kept(place: Path) -> Pictures | None:
    """What was made before."""
    try:
        with np.load(place, allow_pickle=False) as found:
            ours, theirs, apart = (found[f"arr_{n}"].tobytes() for n in (1, 2, 3))
            return Pictures(ours, theirs, apart, float(found["arr_0"]))
    except (OSError, ValueError, KeyError, TypeError, BadZipFile):
        return None


def _jpeg(pixels: np.ndarray, wide: int = WIDE_PX) -> bytes:
    """B, G, R, shape (height, width, 3 or more), as a JPEG so wide."""
    from ovrik.quality.viewing.thumbnails import jpeg_of

    high = max(2, round(pixels.shape[0] * wide / pixels.shape[1]))
    return jpeg_of(np.ascontiguousarray(pixels[:, :, 2::-1]), high)
