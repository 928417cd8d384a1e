"""Decoded frames as planes in 8-bit levels, limited range, all of one size: what losses are measured on."""

import re
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path

import av
import numpy as np
from av.video.reformatter import Interpolation

from ovrik.analysis.signals.losses import Planes
from ovrik.quality.decode.converted import converted
from ovrik.quality.decode.frame_index import decoded_frames

BARE = re.compile(r"(yuva?|yuvj)(420|422|444)p(\d+le)?")
"""Formats whose planes are luma and chroma, each on its own, in the low bits."""


@dataclass(frozen=True)
class Taken:
    """How frames are taken. Fields: `size`, (width, height) that they are brought to, None for their own;
    `full_range`, whether their levels are."""

    size: tuple[int, int] | None = None
    full_range: bool = False


def planes_in(path: Path, taken: Taken = Taken()) -> Iterator[Planes]:
    """The planes of every frame shown, in order. Raises OvrikError."""
    for frame in decoded_frames(path, lambda: None):
        yield planes_of(frame, taken)


def planes_of(frame: av.VideoFrame, taken: Taken = Taken()) -> Planes:
    """The planes of one frame."""
    found = BARE.fullmatch(frame.format.name)
    if found is None or (taken.size and taken.size != (frame.width, frame.height)):
        size = taken.size or (frame.width, frame.height)
        name = frame.format.name if found else "yuv444p"
        frame = converted(frame, *size, name, Interpolation.BICUBIC)
    out, bits = [], 8
    for number, plane in enumerate(frame.planes[:3]):
        bits = frame.format.components[number].bits
        kind = "u1" if bits == 8 else "<u2"
        values = np.frombuffer(memoryview(plane), kind).reshape(plane.height, -1)[:, : plane.width]
        levels = values.astype(np.float32) / np.float32(1 << (bits - 8))
        out.append(_limited(levels, number) if taken.full_range else levels)
    luma, cb, cr = out
    return Planes(luma, cb, cr, bits)


def _limited(levels: np.ndarray, number: int) -> np.ndarray:
    """Full-range levels as limited ones."""
    return (
        16 + levels * np.float32(219 / 255) if number == 0 else 128 + (levels - 128) * np.float32(224 / 255)
    )
