"""Small JPEG frames along a clip."""

from collections.abc import Callable, Sequence
from fractions import Fraction
from pathlib import Path

import av
import numpy as np

from ovrik.errors import Ask
from ovrik.quality.decode.converted import converted
from ovrik.quality.viewing.frames import FrameReader, upright_rgb

HEIGHT = 72


def strip_frames(frames: int, most: int = 48) -> list[int]:
    """Frame numbers spread evenly along a clip, each at the middle of its segment."""
    count = min(frames, most)
    return [int((i + 0.5) * frames / count) for i in range(count)]


def strip(
    path: Path,
    numbers: Sequence[int],
    on_share: Callable[[float], None] = lambda _s: None,
    should_stop: Ask = lambda: False,
) -> dict[int, bytes]:
    """JPEG thumbnails by frame number; those made so far when stopped."""
    reader = FrameReader(path)
    out: dict[int, bytes] = {}
    try:
        for done, number in enumerate(sorted(numbers), 1):
            if should_stop():
                break
            out[number] = jpeg(reader.picture(number))
            on_share(done / len(numbers))
    finally:
        reader.close()
    return out


def jpeg_of(pixels: np.ndarray, height: int) -> bytes:
    """8-bit R, G, B, shape (height, width, 3), as a JPEG of the given height in pixels."""
    return jpeg(av.VideoFrame.from_ndarray(pixels, format="rgb24"), height // 2 * 2)


def jpeg(frame: av.VideoFrame, height: int = HEIGHT) -> bytes:
    """One frame, upright, as a JPEG of the given height in pixels."""
    if frame.rotation:
        frame = av.VideoFrame.from_ndarray(upright_rgb(frame), format="rgb24")
    width = max(2, round(frame.width * height / frame.height / 2) * 2)
    encoder = av.CodecContext.create("mjpeg", "w")
    encoder.width, encoder.height, encoder.pix_fmt = width, height, "yuvj420p"
    encoder.time_base = Fraction(1, 25)
    small = converted(frame, width, height, "yuvj420p")
    small.pts = 0
    packets = [*encoder.encode(small), *encoder.encode(None)]
    return b"".join(bytes(p) for p in packets)
