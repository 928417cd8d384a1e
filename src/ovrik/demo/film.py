"""Write "Casting Day": 12 s, 1280x720, 25 fps, 10-bit 4:2:2, stereo, from a fixed seed."""

import os
from collections.abc import Callable, Iterator
from concurrent.futures import ProcessPoolExecutor
from fractions import Fraction
from multiprocessing import get_context
from pathlib import Path

import av
import numpy as np

from ovrik.demo.light import HEIGHT, WIDTH, grain, to_video
from ovrik.demo.place import film_path
from ovrik.demo.scenes import GRAIN, SCENES
from ovrik.demo.sound import RATE, sound

SEED = 1746
FPS = 25
SHOT_FRAMES = 60
FRAMES = SHOT_FRAMES * len(SCENES)
CHUNK = 10
STRIKES = (7.62, 8.46, 9.28)


def make_film(
    on_share: Callable[[float], None] = lambda _s: None, path: Path | None = None, frames: int = FRAMES
) -> Path:
    """The film, made now if it is not there; `on_share` gets 0 to 1.

    `frames` below 300 writes only the first ones. Frames are worked out on all cores.
    """
    path = path or film_path()
    if path.exists():
        return path
    path.parent.mkdir(parents=True, exist_ok=True)
    partial = path.with_name(f"{path.stem}.{os.getpid()}.partial")
    try:
        with av.open(str(partial), "w", format="mov") as container:
            _write(container, frames, on_share)
        partial.replace(path)
    finally:
        partial.unlink(missing_ok=True)
    return path


def _write(container: av.container.OutputContainer, frames: int, on_share: Callable[[float], None]) -> None:
    picture = container.add_stream("cfhd", rate=FPS, options={"quality": "film2+"})
    picture.width, picture.height, picture.pix_fmt = WIDTH, HEIGHT, "yuv422p10le"
    context = picture.codec_context
    context.color_primaries = context.color_trc = context.colorspace = 1  # BT.709
    context.color_range = 1  # limited
    track = container.add_stream("pcm_s16le", rate=RATE, layout="stereo")
    samples = sound(frames / FPS, SEED, STRIKES)
    step = RATE // FPS
    for number, planes in enumerate(_pictures(frames)):
        frame = _frame(planes)
        frame.pts, frame.time_base = number, Fraction(1, FPS)
        frame.colorspace, frame.color_range = 1, 1
        container.mux(picture.encode(frame))
        block = samples[number * step : (number + 1) * step].reshape(1, -1)
        audio = av.AudioFrame.from_ndarray(np.ascontiguousarray(block), format="s16", layout="stereo")
        audio.sample_rate, audio.pts, audio.time_base = RATE, number * step, Fraction(1, RATE)
        container.mux(track.encode(audio))
        on_share((number + 1) / frames)
    container.mux(picture.encode(None))
    container.mux(track.encode(None))


def _frame(planes: tuple[np.ndarray, ...]) -> av.VideoFrame:
    frame = av.VideoFrame(WIDTH, HEIGHT, "yuv422p10le")
    for plane, values in zip(frame.planes, planes, strict=True):
        rows = np.frombuffer(memoryview(plane), np.uint16).reshape(plane.height, plane.line_size // 2)
        rows[:, : values.shape[1]] = values
    return frame


def _pictures(frames: int) -> Iterator[tuple[np.ndarray, ...]]:
    chunks = [(first, min(first + CHUNK, frames)) for first in range(0, frames, CHUNK)]
    workers = max(1, min(os.cpu_count() or 1, 8))
    with ProcessPoolExecutor(workers, mp_context=get_context("spawn")) as pool:
        waiting = []
        # Only a few chunks ahead, so that memory stays small when writing is slower than drawing.
        for chunk in chunks:
            waiting.append(pool.submit(draw, *chunk))
            if len(waiting) > workers + 1:
                yield from waiting.pop(0).result()
        for job in waiting:
            yield from job.result()


_scenes: dict[int, object] = {}


def draw(first: int, end: int) -> list[tuple[np.ndarray, ...]]:
    """Frames first to end − 1 as planes Y', Cb, Cr; scenes are kept for the next chunk."""
    out = []
    for number in range(first, end):
        shot, frame = divmod(number, SHOT_FRAMES)
        if shot not in _scenes:
            _scenes.clear()
            _scenes[shot] = SCENES[shot](SEED)
        light = _scenes[shot].light(frame)  # type: ignore[attr-defined]
        random = np.random.default_rng([SEED, 7, number])
        grains = grain(random, 0.75) * np.float32(GRAIN[shot])
        out.append(to_video(light.astype(np.float32), grains))
    return out
