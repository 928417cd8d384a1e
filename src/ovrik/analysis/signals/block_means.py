"""Means over the blocks of a frame: of planes, or of its samples as they are, at a tenth of the price."""

from dataclasses import dataclass

import cv2
import numpy as np

BLOCK = 16
"""Side of a block of a map, pixels."""
CODED = 8
"""Side of the smallest block that encoders transform whole, pixels."""


def blocks(plane: np.ndarray, side: int = BLOCK) -> np.ndarray:
    """Means over whole blocks, shape (height // side, width // side); a picture smaller than one block is one."""
    rows, columns = plane.shape[0] // side, plane.shape[1] // side
    if not rows or not columns:
        return np.full((max(rows, 1), max(columns, 1)), plane.mean() if plane.size else 0.0)
    whole = np.ascontiguousarray(plane[: rows * side, : columns * side])
    # Sums over rows first: contiguous, and so several times faster than over both at once.
    down = whole.reshape(rows, side, columns * side).sum(axis=1)
    share = np.full(side, 1 / side**2, np.result_type(down, np.float32))
    return np.asarray((down.reshape(-1, side) @ share).reshape(rows, columns))


@dataclass(frozen=True, eq=False)
class Samples:
    """A frame's planes as they are coded. Fields: `planes`, luma, Cb and Cr, uint8 or uint16, each of its own size;
    `bits` of its samples; `full_range`, whether their levels are."""

    planes: tuple[np.ndarray, ...]
    bits: int
    full_range: bool

    def levels(self, number: int) -> np.ndarray:
        """One plane in 8-bit levels of limited range, float32."""
        return self._limited(self.planes[number].astype(np.float32) / np.float32(self.step), number)

    @property
    def step(self) -> int:
        """Samples to one 8-bit level."""
        return 1 << (self.bits - 8)

    @property
    def chroma_block(self) -> tuple[int, int] | None:
        """Rows and columns of chroma samples in a block of 16×16 pixels; None where it holds no whole number."""
        (high, wide), (rows, columns) = self.planes[0].shape, self.planes[1].shape
        if high % rows or wide % columns or BLOCK % (high // rows) or BLOCK % (wide // columns):
            return None
        return BLOCK * rows // high, BLOCK * columns // wide

    def means(self, number: int, block: tuple[int, int]) -> np.ndarray:
        """Means of one plane over whole blocks of so many rows and columns, in 8-bit levels of limited range,
        float32, shape (height // rows, width // columns); the plane holds one block at least."""
        plane, (high, wide) = self.planes[number], block
        rows, columns = plane.shape[0] // high, plane.shape[1] // wide
        down = np.empty((rows, columns * wide), np.float32)
        for row in range(rows):
            strip = plane[row * high : (row + 1) * high, : columns * wide]
            cv2.reduce(strip, 0, cv2.REDUCE_SUM, down[row : row + 1], cv2.CV_32F)
        share = np.full(wide, 1 / (high * wide * self.step), np.float32)
        return self._limited((down.reshape(-1, wide) @ share).reshape(rows, columns), number)

    def square_apart(self, other: "Samples") -> float | None:
        """Mean square of the difference of both lumas, in squared 8-bit levels of limited range; None where they are
        of different kinds."""
        ours, theirs = self.planes[0], other.planes[0]
        alike = (self.bits, self.full_range) == (other.bits, other.full_range)
        if not alike or ours.shape != theirs.shape or ours.dtype != theirs.dtype:
            return None
        scale = (219 / 255 if self.full_range else 1.0) / self.step
        return float(cv2.norm(ours, theirs, cv2.NORM_L2SQR)) / ours.size * scale**2

    def _limited(self, levels: np.ndarray, number: int) -> np.ndarray:
        if not self.full_range:
            return levels
        if number == 0:
            return 16 + levels * np.float32(219 / 255)
        return 128 + (levels - 128) * np.float32(224 / 255)
