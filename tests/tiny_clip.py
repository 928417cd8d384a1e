"""A tiny clip made of frames that are all different."""

import subprocess
from fractions import Fraction
from functools import cache
from pathlib import Path

import av
import numpy as np

from ovrik.machine.builds.build import locate

WIDTH, HEIGHT, FRAMES, RATE = 320, 180, 30, 25


def moving_picture(number: int) -> np.ndarray:
    """A textured picture that moves: not trivial to encode. 10-bit luma, shape (180, 320)."""
    y, x = np.mgrid[0:HEIGHT, 0:WIDTH].astype(float)
    waves = np.sin((x + 3 * number) / 7) * np.cos((y - number) / 5)
    noise = np.random.default_rng(number).normal(0, 0.25, (HEIGHT, WIDTH))
    return np.clip(500 + 200 * waves + 100 * noise, 64, 940).astype(np.uint16)


def write_clip(path: Path, frames: int = FRAMES, sound: bool = True, stamps: list[int] | None = None) -> Path:
    """A 10-bit 4:2:2 clip, lossless; `stamps` in 1/25 s, for an uneven rate.

    Of an even rate it is Huffman-coded: nearly all tests decode it, in a fifth of the time that FFV1 would take."""
    if stamps:
        return _with_stamps(path, frames, sound, stamps)
    words = [
        "-f",
        "rawvideo",
        "-s",
        f"{WIDTH}x{HEIGHT}",
        "-pix_fmt",
        "yuv422p10le",
        "-r",
        str(RATE),
        "-i",
        "pipe:0",
    ]
    if sound:
        heard = path.with_name(f"{path.stem}.s16")
        heard.write_bytes(b"".join(_tone(n).tobytes() for n in range(frames)))
        words += ["-f", "s16le", "-ar", "48000", "-ch_layout", "stereo", "-i", str(heard)]
    command = [
        str(locate("bundled")),
        "-v",
        "error",
        "-y",
        *words,
        "-c:v",
        "ffvhuff",
        "-c:a",
        "pcm_s16le",
        str(path),
    ]
    subprocess.run(command, input=b"".join(_planes(n) for n in range(frames)), check=True)
    if sound:
        heard.unlink()
    return path


@cache
def _planes(number: int) -> bytes:
    chroma = [np.full((HEIGHT, WIDTH // 2), 512 + 40 * at, np.uint16) for at in (1, 2)]
    return b"".join(p.tobytes() for p in (moving_picture(number), *chroma))


def _tone(number: int) -> np.ndarray:
    """A frame's worth of stereo samples, one channel after the other."""
    tone = np.sin(np.arange(1920) * 0.05 + number) * 8000
    return np.repeat(tone.astype(np.int16), 2)


def _with_stamps(path: Path, frames: int, sound: bool, stamps: list[int]) -> Path:
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
            frame.pts, frame.time_base = stamps[n], Fraction(1, RATE)
            box.mux(picture.encode(frame))
            if track:
                audio = av.AudioFrame.from_ndarray(_tone(n).reshape(1, -1), format="s16", layout="stereo")
                audio.sample_rate, audio.pts, audio.time_base = 48000, 1920 * n, Fraction(1, 48000)
                box.mux(track.encode(audio))
        box.mux(picture.encode(None))
        if track:
            box.mux(track.encode(None))
    return path
