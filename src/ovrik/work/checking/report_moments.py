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
from ovrik.store.study import Study
from ovrik.study.files.checksum import mark_of
from ovrik.study.files.kept import cache_folder
from ovrik.study.files.whole_file import writing
from ovrik.work.checking.which_moments import found_moments, words_of
from ovrik.work.evidence.gathered import Evidence
from ovrik.work.evidence.shown_files import Looked, output_of, reference_of
from ovrik.work.evidence.summary import Summary

MOST_SHOWN, OF_EACH = 3, 2
"""Contenders of which moments are shown, and how many of each."""
EDITION = 1
"""Raised when pictures are made another way, so that old ones are not taken for new."""

Pictures = tuple[bytes, bytes]
"""A region of an output and of its reference, JPEG."""


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
            known = {moment: _kept(self._place(moment)) for moment in self.found}
            made = self._made([m for m, pictures in known.items() if pictures is None], should_stop)
        except Stopped:
            raise
        except OvrikError:
            made = {}  # a file that can't be decoded any more is no reason to have no report
        except OSError:
            return []  # nor is one that is gone by now
        pace = self.output.pace
        return [
            Shown(self.label, int(moment.frame / pace), words_of(moment), *pictures)
            for moment in self.found
            if (pictures := known[moment] or made.get(moment))
        ]

    def _place(self, moment: Moment) -> Path:
        """Where both pictures are kept, by the files as they are: what a study says of them may be a stranger's."""
        files = [(str(f.path), mark_of(f.path), f.offset, f.pace) for f in (self.output, self.reference)]
        made_of = EDITION, files, moment.frame, moment.kind
        return cache_folder("moments") / f"{sha256(repr(made_of).encode()).hexdigest()[:40]}.npz"

    def _made(self, missing: list[Moment], should_stop: Ask) -> dict[Moment, Pictures]:
        """Those that were not made before. Raises OvrikError, Stopped."""
        if not missing:
            return {}
        # What decodes and draws takes a second to load, and is not needed where all have been made.
        from ovrik.work.checking.moments import Readers, cut_of, look_at

        made = {}
        with Readers() as readers:
            for moment in missing:
                if should_stop():
                    raise Stopped
                told = look_at(moment, readers, self.output, self.reference)
                beside = cut_of(readers[self.reference.path], self.reference.at(told.frame), told.area)
                made[moment] = pictures = (_jpeg(told.picture), _jpeg(beside, told.picture.shape))
                _keep(self._place(moment), pictures)
        return made


def _keep(place: Path, pictures: Pictures) -> None:
    with suppress(OSError), writing(place) as handle:  # a full cache costs another look, nothing else
        np.savez(handle, *(np.frombuffer(p, np.uint8) for p in pictures))


def _kept(place: Path) -> Pictures | None:
    """Both pictures, if they were made before."""
    try:
        with np.load(place, allow_pickle=False) as found:
            return found["arr_0"].tobytes(), found["arr_1"].tobytes()
    except (OSError, ValueError, KeyError, BadZipFile):
        return None


def _jpeg(pixels: np.ndarray, like: tuple[int, ...] | None = None) -> bytes:
    """B, G, R and filler, shape (height, width, 4), as JPEG, of the size of another picture where one is given."""
    high = (like or pixels.shape)[0]
    from ovrik.quality.viewing.thumbnails import jpeg_of

    return jpeg_of(np.ascontiguousarray(pixels[:, :, 2::-1]), high)
