"""Clips whose every frame carries its own number, to be read back from the decoded samples."""

from fractions import Fraction
from pathlib import Path

import av
import numpy as np

BITS = 10
BLOCK = 16
WIDTH, HEIGHT = BITS * BLOCK, 48


def numbered_picture(number: int, mark: int = 0) -> np.ndarray:
    """8-bit luma, shape (48, 160): the number in ten bars, high bit first, over a flat `mark`."""
    bars = np.array([(number >> (BITS - 1 - b)) & 1 for b in range(BITS)], np.uint8)
    row = np.repeat(np.where(bars, 200, 50), BLOCK).astype(np.uint8)
    return np.vstack(
        [np.tile(row, (HEIGHT // 2, 1)), np.full((HEIGHT - HEIGHT // 2, WIDTH), 60 + mark, np.uint8)]
    )


def number_in(luma: np.ndarray) -> int:
    """The number a decoded frame carries; −1 when it is black."""
    row = luma[HEIGHT // 4, BLOCK // 2 :: BLOCK][:BITS].astype(float)
    return -1 if row.max() < 40 else int("".join("1" if v > 125 else "0" for v in row), 2)


def write_numbered(
    path: Path,
    frames: int = 60,
    rate: Fraction | int = 25,
    mark: int = 0,
    first: int = 0,
    sound: bool = False,
) -> Path:
    """An FFV1 clip; picture n carries `first` + n. `sound`: second s holds a tone of 200·(s+1) Hz."""
    rate = Fraction(rate)
    with av.open(str(path), "w") as box:
        stream = box.add_stream("ffv1", rate=rate)
        stream.width, stream.height, stream.pix_fmt = WIDTH, HEIGHT, "yuv420p"
        track = box.add_stream("pcm_s16le", rate=48000, layout="stereo") if sound else None
        for n in range(frames):
            frame = av.VideoFrame(WIDTH, HEIGHT, "yuv420p")
            for at, plane in enumerate(frame.planes):
                rows = np.frombuffer(memoryview(plane), np.uint8).reshape(plane.height, -1)
                rows[:, : plane.width] = numbered_picture(first + n, mark) if at == 0 else 128
            frame.pts, frame.time_base = n, 1 / rate
            box.mux(stream.encode(frame))
        box.mux(stream.encode(None))
        if track:
            count = int(frames / rate * 48000)
            t = np.arange(count) / 48000
            wave = (9000 * np.sin(2 * np.pi * 200 * (np.floor(t) + 1) * t)).astype(np.int16)
            for at in range(0, count, 1920):
                block = np.repeat(wave[at : at + 1920], 2).reshape(1, -1)
                audio = av.AudioFrame.from_ndarray(block, format="s16", layout="stereo")
                audio.sample_rate, audio.pts, audio.time_base = 48000, at, Fraction(1, 48000)
                box.mux(track.encode(audio))
            box.mux(track.encode(None))
    return path
