"""A file's frames as small grey pictures, decoded one after another: enough to see what is beside what."""

import re
from collections import deque
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field
from functools import cache
from pathlib import Path

import av
import cv2
import numpy as np
from av.video.reformatter import Interpolation

from ovrik.errors import Ask, Stopped
from ovrik.quality.decode.converted import converted
from ovrik.quality.decode.frame_index import decoded_frames

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
    frames that were looked at, in 8-bit levels; `width`, `height` of a frame; `looked`, the numbers of those frames
    that are in the head, and `colours`, their Y, Cb and Cr in 8-bit levels, shape (looked, 3, 27, 48); `even`, the
    share of samples that differ from their neighbours which 8 bits could hold as well, None at 8
    bits or where few do; `broken`, packets that could not be decoded."""

    count: int
    head: np.ndarray
    tail: np.ndarray
    rows: np.ndarray
    columns: np.ndarray
    width: int
    height: int
    looked: np.ndarray
    colours: np.ndarray
    even: float | None
    broken: int = 0


def miniatures(path: Path, should_stop: Ask = lambda: False) -> Miniatures:
    """Decode a file to its end. Raises OvrikError when it can't be read, Stopped."""
    broken: list[int] = []
    return gathered(decoded_frames(path, lambda: broken.append(1)), should_stop, broken)


def gathered(
    frames: Iterable[av.VideoFrame], should_stop: Ask = lambda: False, broken: Sequence[int] = ()
) -> Miniatures:
    """The same of frames at hand. Raises Stopped."""
    made = Gathering()
    for frame in frames:
        if should_stop():
            raise Stopped
        made.take(frame)
    return made.made(len(broken))


@dataclass(eq=False)
class Gathering:
    """Miniatures as they come in, frame by frame. Fields: see `Miniatures`; `shares`, of each frame that was looked
    at, what `even` is the mean of."""

    count: int = 0
    head: list[np.ndarray] = field(default_factory=list)
    tail: deque[np.ndarray] = field(default_factory=lambda: deque(maxlen=MOST_TAIL))
    rows: np.ndarray = field(default_factory=lambda: np.zeros(1))
    columns: np.ndarray = field(default_factory=lambda: np.zeros(1))
    width: int = 0
    height: int = 0
    looked: list[int] = field(default_factory=list)
    colours: list[np.ndarray] = field(default_factory=list)
    shares: list[float] = field(default_factory=list)

    def take(self, frame: av.VideoFrame) -> None:
        """Take in the next one."""
        self.count += 1
        (self.head if self.count <= MOST_HEAD else self.tail).append(small_of(frame))
        if (self.count - 1) % step(self.count) == 0:
            self._look_at(frame)

    def _look_at(self, frame: av.VideoFrame) -> None:
        lit = luma_of(frame)
        if self.count <= MOST_HEAD:
            self.looked.append(self.count - 1)
            self.colours.append(colours_of(frame))
        if (share := even_share(frame)) is not None:
            self.shares.append(share)
        if (frame.width, frame.height) != (self.width, self.height):
            self.width, self.height = frame.width, frame.height
            self.rows, self.columns = np.zeros(frame.height), np.zeros(frame.width)
        np.maximum(self.rows, _bright(lit[:, :: _apart(frame.width)].T), out=self.rows)
        np.maximum(self.columns, _bright(lit[:: _apart(frame.height)]), out=self.columns)

    def made(self, broken: int = 0) -> Miniatures:
        """All of it."""
        blank = np.zeros((0, SIZE[1], SIZE[0]), np.uint8)
        return Miniatures(
            count=self.count,
            head=np.stack(self.head) if self.head else blank,
            tail=np.stack(self.tail) if self.tail else blank,
            rows=self.rows,
            columns=self.columns,
            width=self.width,
            height=self.height,
            looked=np.array(self.looked, np.int64),
            colours=np.stack(self.colours)
            if self.colours
            else np.zeros((0, 3, *COLOUR_SIZE[::-1]), np.uint8),
            even=float(np.mean(self.shares)) if self.shares else None,
            broken=broken,
        )


def step(count: int) -> int:
    """Every how many frames one is looked at in full: rarer the longer a file is."""
    return max(2, 1 << (count // LOOKED_AT).bit_length() >> 1)


LUMA_FIRST = re.compile(r"(yuva?\d{3}p|yuvj\d{3}p|gray|nv12|nv16)(\d+le)?")
"""Formats whose first plane is luma and nothing else, in the low bits."""


def luma_of(frame: av.VideoFrame) -> np.ndarray:
    """The brightness of a frame's samples in 8-bit levels, shape (height, width)."""
    rows, over = _coded(frame)
    return (rows >> over).astype(np.uint8) if over else rows


def _coded(frame: av.VideoFrame) -> tuple[np.ndarray, int]:
    """Its brightness as it is coded, and how many bits that has beyond eight."""
    if not LUMA_FIRST.fullmatch(frame.format.name):
        return converted(frame, frame.width, frame.height, "gray").to_ndarray(), 0
    plane, bits = frame.planes[0], frame.format.components[0].bits
    kind = "u1" if bits == 8 else "<u2"
    return np.frombuffer(memoryview(plane), kind).reshape(plane.height, -1)[:, : plane.width], bits - 8


COLOUR_SIZE = (48, 27)


def colours_of(frame: av.VideoFrame) -> np.ndarray:
    """A frame's mean colours, shape (3, 27, 48), 8-bit Y, Cb and Cr as they are coded."""
    small = converted(frame, *COLOUR_SIZE, "yuv444p", Interpolation.AREA)
    planes = [
        np.frombuffer(memoryview(p), np.uint8).reshape(p.height, -1)[:, : p.width] for p in small.planes
    ]
    return np.stack(planes)


def even_share(frame: av.VideoFrame) -> float | None:
    """The share of luma samples whose bits below the eighth are all 0, among those that differ from the one before:
    even areas tell nothing. None at 8 bits, where luma is not bare, or where too few differ."""
    bits = frame.format.components[0].bits
    if bits <= 8 or not LUMA_FIRST.fullmatch(frame.format.name):
        return None
    plane = frame.planes[0]
    samples = np.frombuffer(memoryview(plane), "<u2").reshape(plane.height, -1)[::4, : plane.width]
    telling = samples[:, 1:][samples[:, 1:] != samples[:, :-1]]
    return float((telling % (1 << (bits - 8)) == 0).mean()) if len(telling) >= FEWEST else None


FEWEST = 500
FINER = 4
SAMPLES = 96
"""Of a row or a column that is looked at for bars."""


def _apart(length: int) -> int:
    return max(1, length // SAMPLES)


def _bright(samples: np.ndarray) -> np.ndarray:
    """What a tenth of each column's samples exceed. Sorted as integers of 32 bits, which is quicker than as bytes."""
    low = int(BRIGHT * (len(samples) - 1))
    part = BRIGHT * (len(samples) - 1) - low
    sorted_ = np.sort(samples.T.astype(np.int32), axis=1)
    return np.asarray(sorted_[:, low] * (1 - part) + sorted_[:, min(low + 1, len(samples) - 1)] * part)


def small_of(frame: av.VideoFrame) -> np.ndarray:
    """A frame's miniature, shape (54, 96), 8-bit grey: means of samples taken at even distances, up to four a side
    in each of its pixels."""
    luma, over = _coded(frame)
    rows, columns = (_places(length, count) for length, count in zip(luma.shape, SIZE[::-1], strict=True))
    picked = luma.take(rows, 0).take(columns, 1) >> over
    # Sums of sixteen integers, and so exact.
    return cv2.resize(picked.astype(np.float32), SIZE, interpolation=cv2.INTER_AREA).astype(np.uint8)


@cache
def _places(length: int, count: int) -> np.ndarray:
    return ((np.arange(count * FINER) + 0.5) * length / (count * FINER)).astype(int)
