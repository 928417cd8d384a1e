"""Decoded frames as planes in 8-bit levels, limited range, all of one size: what losses are measured on."""

import re
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path

import av
import numpy as np
from av.video.reformatter import Interpolation

from ovrik.analysis.signals.block_means import Samples
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


def samples_in(path: Path, taken: Taken = Taken()) -> Iterator[Samples]:
    """The samples of every frame shown, in order. Raises OvrikError."""
    for frame in decoded_frames(path, lambda: None):
        yield samples_of(frame, taken)


def planes_in(path: Path, taken: Taken = Taken()) -> Iterator[Planes]:
    """The planes of every frame shown, in order. Raises OvrikError."""
    return (planes_from(samples) for samples in samples_in(path, taken))


def samples_of(frame: av.VideoFrame, taken: Taken = Taken()) -> Samples:
    """The samples of one frame, which they keep alive."""
    found = BARE.fullmatch(frame.format.name)
    if found is None or (taken.size and taken.size != (frame.width, frame.height)):
        size = taken.size or (frame.width, frame.height)
        name = frame.format.name if found else "yuv444p"
        frame = converted(frame, *size, name, Interpolation.BICUBIC)
    bits = frame.format.components[0].bits
    kind = "u1" if bits == 8 else "<u2"
    planes = [
        np.frombuffer(memoryview(plane), kind).reshape(plane.height, -1)[:, : plane.width]
        for plane in frame.planes[:3]
    ]
    return Samples(tuple(planes), bits, taken.full_range)


def planes_of(frame: av.VideoFrame, taken: Taken = Taken()) -> Planes:
    """The planes of one frame."""
    return planes_from(samples_of(frame, taken))


def planes_from(samples: Samples) -> Planes:
    """The same samples in 8-bit levels."""
    luma, cb, cr = (samples.levels(number) for number in range(3))
    return Planes(luma, cb, cr, samples.bits)
