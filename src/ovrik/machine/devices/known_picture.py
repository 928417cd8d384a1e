"""A picture whose look is known, to catch a device that gives back something else."""

import os
import threading
from pathlib import Path

import numpy as np

from ovrik.study.files.kept import cache_folder

WIDTH, HEIGHT, FRAMES = 256, 144, 8
EDITION = 1
PEAKS = {
    f"yuv{kind}p{deep}": 1023 if deep else 255 for kind in ("420", "422", "444") for deep in ("", "10le")
}
STEPS = {"420": (2, 2), "422": (2, 1), "444": (1, 1)}
"""How many luma samples there are to one of chroma, across and down."""


def planes(pixel_format: str) -> np.ndarray:
    """All frames as raw samples in file order, shape (frames, samples of luma and chroma).

    Waves, an edge and fixed noise that move: a wrong stride, plane, flip or rounding shows.
    """
    peak, (across, down) = PEAKS[pixel_format], STEPS[pixel_format[3:6]]
    y, x = np.mgrid[0:HEIGHT, 0:WIDTH].astype(float)
    noise = np.random.default_rng(7).normal(0, 0.03, (HEIGHT, WIDTH))
    frames = []
    for n in range(FRAMES):
        wave = 0.5 + 0.2 * np.sin((x + 4 * n) / 9) * np.cos((y - 2 * n) / 13) + 0.12 * (x > 90 + 3 * n)
        luma = wave + noise + 0.1 * y / HEIGHT
        cb = 0.5 + 0.2 * np.sin((x[::down, ::across] + n) / 30)
        cr = 0.5 + 0.2 * np.cos((y[::down, ::across] - n) / 20)
        frames.append(np.concatenate([p.ravel() for p in (np.clip(luma, 0.07, 0.92), cb, cr)]))
    kind = np.uint8 if peak == 255 else np.uint16
    return np.rint(np.array(frames) * peak).astype(kind)


def raw_file(pixel_format: str) -> Path:
    """The known picture as a raw file, written once."""
    folder = cache_folder("known-picture")
    path = folder / f"{EDITION}-{pixel_format}.yuv"
    if not path.exists():
        folder.mkdir(parents=True, exist_ok=True)
        # Two trials may want it at once, each from a thread of its own.
        partial = path.with_suffix(f".{os.getpid()}-{threading.get_ident()}")
        partial.write_bytes(planes(pixel_format).tobytes())
        partial.replace(path)
    return path


def input_arguments(pixel_format: str) -> list[str]:
    """Options by which a build reads the raw file."""
    return [
        "-f",
        "rawvideo",
        "-pix_fmt",
        pixel_format,
        "-s",
        f"{WIDTH}x{HEIGHT}",
        "-r",
        "25",
        "-i",
        str(raw_file(pixel_format)),
    ]


def plane_sizes(pixel_format: str) -> tuple[int, int, int]:
    """Samples of luma and of each chroma plane in a frame."""
    across, down = STEPS[pixel_format[3:6]]
    chroma = (WIDTH // across) * (HEIGHT // down)
    return WIDTH * HEIGHT, chroma, chroma


def psnr(one: bytes, other: bytes, pixel_format: str) -> float | None:
    """The lowest PSNR in dB of the three planes, over all frames that both hold; None when the sizes differ. What
    lost its colours is as far off as its chroma.

    100 stands for equal frames.
    """
    kind = "u1" if PEAKS[pixel_format] == 255 else "<u2"
    sizes = plane_sizes(pixel_format)
    if len(one) != len(other) or len(one) % (sum(sizes) * np.dtype(kind).itemsize):
        return None
    a, b = (np.frombuffer(x, kind).reshape(-1, sum(sizes)).astype(float) for x in (one, other))
    edges = np.cumsum(sizes)[:-1]
    errors = [float(np.mean(d**2)) for d in np.split(a - b, edges, axis=1)]
    worst = max(errors)
    return 100.0 if worst == 0 else float(10 * np.log10(PEAKS[pixel_format] ** 2 / worst))
