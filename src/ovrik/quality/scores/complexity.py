"""Measuring complexity along a programme, at decoding speed."""

from collections import deque
from collections.abc import Callable, Iterator
from concurrent.futures import Future, ThreadPoolExecutor
from pathlib import Path

import av
import numpy as np

from ovrik.analysis.signals.complexity import ComplexityCurve, spatial_information, temporal_information
from ovrik.errors import Ask, OvrikError, Stopped
from ovrik.quality.decode.open_clip import open_clip
from ovrik.study.clip.footage import Footage
from ovrik.study.programme.programme import GAP, Programme

PLACES_S = 0.5
"""Seconds between two places at which a pair of frames is measured."""
FEWEST = 24
AHEAD = 4


def step_of(frames: int, rate: float) -> int:
    """Frames from one measured pair to the next: half a second, less where that gives too few."""
    return max(2, min(round(rate * PLACES_S), frames // FEWEST))


def luma_plane(frame: av.VideoFrame) -> np.ndarray:
    """Luma as it is stored, shape (height, width), in its own depth; more than 12 bits are cut to 12."""
    plane, bits = frame.planes[0], frame.format.components[0].bits
    wide = np.frombuffer(memoryview(plane), np.uint8 if bits <= 8 else np.uint16)
    rows = wide.reshape(plane.height, -1)[:, : plane.width]
    return np.right_shift(rows, max(bits - 12, 0))


def to_eight_bits(clip: Footage) -> float:
    """What a value of `luma_of` is to be multiplied by, to lie in 0…255."""
    return float(2.0 ** (8 - min(max(clip.bit_depth, 8), 12)))


def _pairs(
    clip: Footage, start: int, end: int, step: int
) -> Iterator[tuple[int, np.ndarray, np.ndarray | None]]:
    """Number, luma and the luma before it, of every `step`-th picture from `start` up to `end`."""
    try:
        with open_clip(Path(clip.path)) as box:
            stream = box.streams.video[0]
            stream.thread_type = "AUTO"
            base = stream.time_base or 1
            first = (stream.start_time or 0) * base
            if start:
                box.seek(round((first + start / clip.rate) / base), stream=stream, backward=True)
            before = None
            for frame in box.decode(stream):
                number = round((float((frame.pts or 0) * base) - float(first)) * float(clip.rate))
                if number < start:
                    continue
                if number >= end:
                    return
                at = (number - start) % step
                if at == step - 2:
                    before = luma_plane(frame)
                elif at == step - 1:
                    yield number, luma_plane(frame), before
                    before = None
    except (av.error.FFmpegError, OSError) as exc:
        raise OvrikError(f"{Path(clip.path).name} can't be decoded ({exc})", "Check the clip") from None


def _places(
    programme: Programme, step: int
) -> Iterator[tuple[int, float, np.ndarray | None, np.ndarray | None]]:
    """The programme's picture, the scale to 8 bits, and luma before and there; no luma where it is black."""
    for start, shot in zip(programme.starts, programme.shots, strict=True):
        if shot.clip == GAP:
            yield from ((n, 1.0, None, None) for n in range(start, start + shot.frames, step))
            continue
        clip, pace = programme.clips[shot.clip], programme.pace(shot)
        end = min(clip.frames, shot.start + max(1, int(shot.frames * pace)))
        own = max(2, min(round(step * float(pace)), end - shot.start))
        for number, luma, before in _pairs(clip, shot.start, end, own):
            yield start + int((number - shot.start) / pace), to_eight_bits(clip), before, luma


def _measured(at: int, scale: float, before: np.ndarray | None, luma: np.ndarray) -> tuple[int, float, float]:
    ti = scale * temporal_information(before, luma) if before is not None else 0.0
    return at, scale * spatial_information(luma), ti


def measure_complexity(
    programme: Programme,
    on_share: Callable[[float], None] = lambda _s: None,
    should_stop: Ask = lambda: False,
) -> ComplexityCurve:
    """SI and TI of the programme's own frames, as its clips hold them: treatments are not counted.

    Pairs never reach across a cut. Black gaps count as 0. Raises OvrikError, Stopped.
    """
    step = step_of(programme.frames, float(programme.rate))
    found: list[tuple[int, float, float]] = []
    waiting: deque[Future[tuple[int, float, float]]] = deque()
    with ThreadPoolExecutor(1) as pool:
        for at, scale, before, luma in _places(programme, step):
            if should_stop():
                raise Stopped
            if luma is None:
                found.append((at, 0.0, 0.0))
                continue
            # Worked out beside the decoding; only a few ahead, so that memory stays small.
            waiting.append(pool.submit(_measured, at, scale, before, luma))
            if len(waiting) > AHEAD:
                found.append(waiting.popleft().result())
            on_share(min(at / programme.frames, 1.0))
        found += [job.result() for job in waiting]
    if not found:
        raise OvrikError("No frame could be measured", "Check the programme's clips")
    values = np.array(sorted(found), float)
    return ComplexityCurve(values[:, 0].astype(int), values[:, 1], values[:, 2])
