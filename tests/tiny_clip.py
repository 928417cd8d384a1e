"""A tiny clip made of frames that are all different."""

from fractions import Fraction
from pathlib import Path

import av
import numpy as np

WIDTH, HEIGHT, FRAMES, RATE = 320, 180, 30, 25


def moving_picture(number: int) -> np.ndarray:
    """A textured picture that moves: not trivial to encode. 10-bit luma, shape (180, 320)."""
    y, x = np.mgrid[0:HEIGHT, 0:WIDTH].astype(float)
    waves = np.sin((x + 3 * number) / 7) * np.cos((y - number) / 5)
    noise = np.random.default_rng(number).normal(0, 0.25, (HEIGHT, WIDTH))
    return np.clip(500 + 200 * waves + 100 * noise, 64, 940).astype(np.uint16)


def write_clip(path: Path, frames: int = FRAMES, sound: bool = True, stamps: list[int] | None = None) -> Path:
    """A 10-bit 4:2:2 FFV1 clip in Matroska; `stamps` in 1/25 s, for an uneven rate."""
    with av.open(str(path), "w") as box:
        picture = box.add_stream("ffv1", rate=RATE)
        picture.width, picture.height, picture.pix_fmt = WIDTH, HEIGHT, "yuv422p10le"
        picture.codec_context.time_base = Fraction(1, RATE)
        track = box.add_stream("pcm_s16le", rate=48000, layout="stereo") if sound else None
        for n in range(frames):
            frame = av.VideoFrame(WIDTH, HEIGHT, "yuv422p10le")
            for at, plane in enumerate(frame.planes):
                rows = np.frombuffer(memoryview(plane), np.uint16).reshape(plane.height, -1)
                rows[:, : plane.width] = moving_picture(n) if at == 0 else 512 + 40 * at
            frame.pts, frame.time_base = (stamps[n] if stamps else n), Fraction(1, RATE)
            box.mux(picture.encode(frame))
            if track:
                tone = np.sin(np.arange(1920) * 0.05 + n) * 8000
                block = np.repeat(tone.astype(np.int16), 2).reshape(1, -1)
                audio = av.AudioFrame.from_ndarray(block, format="s16", layout="stereo")
                audio.sample_rate, audio.pts, audio.time_base = 48000, 1920 * n, Fraction(1, 48000)
                box.mux(track.encode(audio))
        box.mux(picture.encode(None))
        if track:
            box.mux(track.encode(None))
    return path
