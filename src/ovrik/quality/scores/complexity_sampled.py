"""Complexity of long footage, sampled: a usable curve soon, at places spread over all of it."""

import time
from collections.abc import Callable, Iterator
from pathlib import Path

import av
import numpy as np

from ovrik.analysis.signals.complexity import ComplexityCurve, spatial_information, temporal_information
from ovrik.errors import Ask, OvrikError, Stopped
from ovrik.quality.decode.frame_index import first_frame
from ovrik.quality.decode.open_clip import open_clip
from ovrik.quality.scores.complexity import luma_plane, step_of, to_eight_bits
from ovrik.study.programme.programme import GAP, Programme

SOON_S = 20.0
"""How long sampling goes on; what it has by then is the curve."""
AT_ONCE = 4_000_000_000
"""A programme of up to so many pixels in all is measured frame by frame at once: that takes as long as sampling."""
MOST_PLACES, FEWEST_PLACES = 1200, 12
LATER_S = 8.0
"""So much later it ends even with fewer places, as where a container has no index to find them by."""


def is_long(programme: Programme) -> bool:
    """Whether measuring all of it takes so long that it is sampled first."""
    clips = (programme.clips[s.clip] for s in programme.shots if s.clip != GAP)
    shown = [s.frames for s in programme.shots if s.clip != GAP]
    return sum(n * c.width * c.height for n, c in zip(shown, clips, strict=True)) > AT_ONCE


def is_sampled(curve: ComplexityCurve, programme: Programme) -> bool:
    """Whether a curve has places that lie farther apart than those of a whole measurement."""
    usual = programme.frames / step_of(programme.frames, float(programme.rate))
    return len(curve.at) < 0.5 * usual


def spread(count: int) -> Iterator[int]:
    """0…count−1, each once, so that however soon it ends they lie evenly: a Van der Corput sequence in base 2."""
    bits = max(1, (count - 1).bit_length())
    for n in range(1 << bits):
        place = int(f"{n:0{bits}b}"[::-1], 2)
        if place < count:
            yield place


def sample_complexity(
    programme: Programme,
    on_share: Callable[[float], None] = lambda _s: None,
    should_stop: Ask = lambda: False,
    most_s: float = SOON_S,
) -> ComplexityCurve:
    """SI and TI at places all over the programme, as many as there is time for: each at the key frame that its clip
    can be read from, and the frame after it. Raises OvrikError, Stopped.
    """
    count = min(MOST_PLACES, max(FEWEST_PLACES, programme.frames // 2))
    began, opened = time.monotonic(), _Clips()
    found: dict[int, tuple[float, float]] = {}
    try:
        for place in spread(count):
            if should_stop():
                raise Stopped
            spent = time.monotonic() - began
            if spent > most_s and (len(found) >= FEWEST_PLACES or (found and spent > most_s + LATER_S)):
                break
            found |= _measured(programme, place * programme.frames // count, opened)
            on_share(min(1.0, max(spent / max(most_s, 1e-6), len(found) / count)))
    finally:
        opened.close()
    if not found:
        raise OvrikError("No frame could be measured", "Check the programme's clips")
    at = np.array(sorted(found))
    values = np.array([found[n] for n in sorted(found)])
    return ComplexityCurve(at, values[:, 0], values[:, 1])


class _Clips:
    """Clips that are open, by their paths."""

    def __init__(self) -> None:
        self._boxes: dict[str, tuple[av.container.InputContainer, av.VideoStream]] = {}

    def get(self, path: str) -> tuple[av.container.InputContainer, av.VideoStream]:
        if path not in self._boxes:
            box = open_clip(Path(path))
            self._boxes[path] = box, first_frame(box, Path(path))
        return self._boxes[path]

    def close(self) -> None:
        for box, _stream in self._boxes.values():
            box.close()


def _measured(programme: Programme, at: int, opened: _Clips) -> dict[int, tuple[float, float]]:
    """SI and TI near a frame of the programme, by the frame that they are of; empty where nothing can be read."""
    number = int(np.searchsorted(programme.starts, at, side="right")) - 1
    start, shot = programme.starts[number], programme.shots[number]
    if shot.clip == GAP:
        return {at: (0.0, 0.0)}
    clip, pace = programme.clips[shot.clip], programme.pace(shot)
    wanted = shot.start + int((at - start) * pace)
    try:
        pair = _pair(*opened.get(clip.path), wanted / float(clip.rate))
    except (av.error.FFmpegError, OSError) as exc:
        raise OvrikError(f"{Path(clip.path).name} can't be decoded ({exc})", "Check the clip") from None
    if pair is None:
        return {}
    seconds, before, now = pair
    shown = start + int((seconds * float(clip.rate) - shot.start) / float(pace))
    if not start <= shown < start + shot.frames:
        shown = at  # the key frame lies before the shot: it is the nearest that can be had
    scale = to_eight_bits(clip)
    return {shown: (scale * spatial_information(now), scale * temporal_information(before, now))}


def _pair(
    box: av.container.InputContainer, stream: av.VideoStream, seconds: float
) -> tuple[float, np.ndarray, np.ndarray] | None:
    """Two frames in a row from the key frame before a time, and the time of the second, from the clip's first."""
    tick = float(stream.time_base or 1)
    first = (stream.start_time or 0) * tick
    box.seek(int((first + seconds) / tick), stream=stream, backward=True)
    before: np.ndarray | None = None
    for frame in box.decode(stream):
        if before is not None:
            return float(frame.pts or 0) * tick - first, before, luma_plane(frame)
        before = luma_plane(frame)
    return None
