"""Frames that a report shows: of the choice, and of what was faster and failed, beside the reference."""

import os
from concurrent.futures import ThreadPoolExecutor
from contextlib import suppress
from dataclasses import dataclass
from hashlib import sha256
from pathlib import Path
from zipfile import BadZipFile

import numpy as np

from ovrik.analysis.signals.telling import Moment
from ovrik.errors import Ask, OvrikError, Stopped
from ovrik.quality.viewing.thumbnails import jpeg_of
from ovrik.store.study import Study
from ovrik.study.files.kept import cache_folder
from ovrik.study.files.whole_file import writing
from ovrik.work.checking.moments import Readers, found_moments, look_at, words_of
from ovrik.work.evidence.gathered import Evidence
from ovrik.work.evidence.shown_files import Looked, output_of, reference_of
from ovrik.work.evidence.summary import Summary

MOST_SHOWN, OF_EACH = 3, 2
"""Contenders of which moments are shown, and how many of each."""
EDITION = 1
"""Raised when pictures are made another way, so that old ones are not taken for new."""


@dataclass(frozen=True)
class Shown:
    """A moment as a report shows it. Fields: `label` of the contender; `frame` of the excerpt; `words`, why it is
    worth a look; `output`, `reference`, the region in both, JPEG, the latter empty where it is not there."""

    label: str
    frame: int
    words: str
    output: bytes
    reference: bytes


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
        found = sorted(found, key=lambda m: -m.weight)[:OF_EACH]
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
            with Readers() as readers:
                return [self._one(moment, readers, should_stop) for moment in self.found]
        except Stopped:
            raise
        except OvrikError:
            return []  # a file that can't be decoded any more is no reason to have no report

    def _one(self, moment: Moment, readers: Readers, should_stop: Ask) -> Shown:
        if should_stop():
            raise Stopped
        place = self._place(moment)
        pictures = _kept(place) or self._made(moment, readers, place)
        return Shown(self.label, int(moment.frame / self.output.pace), words_of(moment), *pictures)

    def _place(self, moment: Moment) -> Path:
        """Where both pictures are kept, by what they are made of."""
        made_of = (
            EDITION,
            self.output.checksum,
            self.output.offset,
            self.output.pace,
            self.reference.checksum,
            self.reference.offset,
            moment.frame,
            moment.kind,
        )
        return cache_folder("moments") / f"{sha256(repr(made_of).encode()).hexdigest()[:40]}.npz"

    def _made(self, moment: Moment, readers: Readers, place: Path) -> tuple[bytes, bytes]:
        told = look_at(moment, readers, self.output, self.reference)
        pixels = readers[self.reference.path].seen(self.reference.at(told.frame)).pixels
        high, wide = pixels.shape[:2]
        left, top, across, down = told.area
        cut = pixels[
            round(top * high) : round((top + down) * high), round(left * wide) : round((left + across) * wide)
        ]
        pictures = _jpeg(told.picture), _jpeg(cut, told.picture.shape)
        with suppress(OSError), writing(place) as handle:  # a full cache costs another look, nothing else
            np.savez(handle, *(np.frombuffer(p, np.uint8) for p in pictures))
        return pictures


def _kept(place: Path) -> tuple[bytes, bytes] | None:
    """Both pictures, if they were made before."""
    try:
        with np.load(place, allow_pickle=False) as found:
            return found["arr_0"].tobytes(), found["arr_1"].tobytes()
    except (OSError, ValueError, KeyError, BadZipFile):
        return None


def _jpeg(pixels: np.ndarray, like: tuple[int, ...] | None = None) -> bytes:
    """B, G, R and filler, shape (height, width, 4), as JPEG, of the size of another picture where one is given."""
    high = (like or pixels.shape)[0]
    return jpeg_of(np.ascontiguousarray(pixels[:, :, 2::-1]), high)
