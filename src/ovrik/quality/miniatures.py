"""A file's frames as small grey pictures, decoded one after another: enough to see what is beside what."""

import re
from collections import deque
from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass
from functools import cache
from pathlib import Path

import av
import numpy as np

from ovrik.errors import Stopped
from ovrik.study.frame_index import decoded_frames

SIZE = (96, 54)
MOST_HEAD, MOST_TAIL = 3000, 300
LOOKED_AT = 48
"""Frames whose edges are looked at in full."""
BRIGHT = 0.9
"""Quantile of a row or a column that counts as how bright it is."""


@dataclass(frozen=True, eq=False)
class Miniatures:
    """Fields: `count` of frames shown; `head`, the first of them, shape (≤ 3000, 54, 96), 8-bit grey; `tail`, the
    last 300 of those that are not in the head; `rows`, `columns`, how bright each row and column ever was in the
    frames that were looked at, in 8-bit levels; `width`, `height` of a frame."""

    count: int
    head: np.ndarray
    tail: np.ndarray
    rows: np.ndarray
    columns: np.ndarray
    width: int
    height: int


def miniatures(path: Path, should_stop: Callable[[], bool] = lambda: False) -> Miniatures:
    """Decode a file to its end. Raises OvrikError when it can't be read, Stopped."""
    return gathered(decoded_frames(path), should_stop)


def gathered(
    frames: Iterable[av.VideoFrame] | Iterator[av.VideoFrame], should_stop: Callable[[], bool]
) -> Miniatures:
    """The same of frames at hand."""
    head: list[np.ndarray] = []
    tail: deque[np.ndarray] = deque(maxlen=MOST_TAIL)
    rows = columns = np.zeros(1)
    count = width = height = 0
    for count, frame in enumerate(frames, 1):
        if should_stop():
            raise Stopped
        small = small_of(frame)
        if count <= MOST_HEAD:
            head.append(small)
        else:
            tail.append(small)
        if (count - 1) % step(count) == 0:
            lit = luma_of(frame)
            if (frame.width, frame.height) != (width, height):
                width, height = frame.width, frame.height
                rows, columns = np.zeros(height), np.zeros(width)
            rows = np.maximum(rows, np.quantile(lit[:, ::SPARSE], BRIGHT, axis=1))
            columns = np.maximum(columns, np.quantile(lit[::SPARSE], BRIGHT, axis=0))
    blank = np.zeros((0, SIZE[1], SIZE[0]), np.uint8)
    return Miniatures(
        count,
        np.stack(head) if head else blank,
        np.stack(tail) if tail else blank,
        rows,
        columns,
        width,
        height,
    )


def step(count: int) -> int:
    """Every how many frames the edges are looked at: rarer the longer a file is."""
    return max(1, 1 << (count // LOOKED_AT).bit_length() - 1) if count >= LOOKED_AT else 2


LUMA_FIRST = re.compile(r"(yuva?\d{3}p|yuvj\d{3}p|gray|nv12|nv16)(\d+le)?")
"""Formats whose first plane is luma and nothing else, in the low bits."""


def luma_of(frame: av.VideoFrame) -> np.ndarray:
    """The brightness of a frame's samples in 8-bit levels, shape (height, width)."""
    if not LUMA_FIRST.fullmatch(frame.format.name):
        return frame.reformat(format="gray").to_ndarray()
    plane, bits = frame.planes[0], frame.format.components[0].bits
    kind = np.dtype(np.uint8 if bits == 8 else "<u2")
    rows = np.frombuffer(memoryview(plane), kind).reshape(plane.height, -1)[:, : plane.width]
    return rows if bits == 8 else (rows // (1 << (bits - 8))).astype(np.uint8)


FINER = 4
SPARSE = 8


def small_of(frame: av.VideoFrame) -> np.ndarray:
    """A frame's miniature, shape (54, 96), 8-bit grey: means of samples taken at even distances, up to four a side
    in each of its pixels."""
    luma = luma_of(frame)
    rows = _places(luma.shape[0], SIZE[1])
    columns = _places(luma.shape[1], SIZE[0])
    picked = luma[rows[:, None], columns].reshape(SIZE[1], FINER, SIZE[0], FINER)
    return picked.mean(axis=(1, 3)).astype(np.uint8)


@cache
def _places(length: int, count: int) -> np.ndarray:
    return ((np.arange(count * FINER) + 0.5) * length / (count * FINER)).astype(int)
