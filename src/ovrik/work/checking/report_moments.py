"""Frames that a report shows: of the choice, and of what was faster and failed, beside the reference."""

from dataclasses import dataclass

import numpy as np

from ovrik.errors import Ask, OvrikError, Stopped
from ovrik.quality.viewing.looked_at import LookedAt
from ovrik.quality.viewing.thumbnails import jpeg_of
from ovrik.store.study import Study
from ovrik.work.checking.moments import Telling, found_moments, look
from ovrik.work.evidence.gathered import Evidence
from ovrik.work.evidence.shown_files import Looked, output_of, reference_of
from ovrik.work.evidence.summary import Summary

MOST_SHOWN, OF_EACH = 3, 2
"""Contenders of which moments are shown, and how many of each."""


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
    out: list[Shown] = []
    for s in worth_showing(e):
        output, reference = output_of(study, s, e), reference_of(study, s, e)
        if output is None or s.score is None or not reference.path.exists():
            continue
        found = found_moments(s.score, None, float(e.programme.rate * output.pace))
        found = sorted(found, key=lambda m: -m.weight)[:OF_EACH]
        try:
            told = look(found, output, reference, should_stop=should_stop)
            out += [_shown(s, one, reference) for one in told]
        except Stopped:
            raise
        except OvrikError:
            continue  # a file that can't be decoded any more is no reason to have no report
    return out


def _shown(s: Summary, one: Telling, reference: Looked) -> Shown:
    reader = LookedAt(reference.path)
    try:
        pixels = reader.seen(reference.at(one.frame)).pixels
    finally:
        reader.close()
    high, wide = pixels.shape[:2]
    left, top, across, down = one.area
    cut = pixels[
        round(top * high) : round((top + down) * high), round(left * wide) : round((left + across) * wide)
    ]
    return Shown(s.contender.label, one.frame, one.words, _jpeg(one.picture), _jpeg(cut, one.picture.shape))


def _jpeg(pixels: np.ndarray, like: tuple[int, ...] | None = None) -> bytes:
    """B, G, R and filler, shape (height, width, 4), as JPEG, of the size of another picture where one is given."""
    high = (like or pixels.shape)[0]
    return jpeg_of(np.ascontiguousarray(pixels[:, :, 2::-1]), high)
