"""Steps of brightness that coding leaves: between the blocks that it codes, and across what was smooth."""

import cv2
import numpy as np

from ovrik.analysis.signals.block_means import BLOCK, CODED, blocks

STEP, FLAT = 0.9, 0.3
"""A step across a smooth area is at least the first high, and what it parts changes by less than the second over two
pixels, levels."""
STRIP = 4 * BLOCK
"""Rows that are gone through at once: what belongs to them stays in the processor's cache."""


def borders(luma: np.ndarray) -> np.ndarray:
    """How much larger the steps between coded blocks are than those beside them, levels, by block; signed, so that
    noise has no part in it."""
    return (_borders_across(luma) + _borders_across(luma.T).T) / 2


def _borders_across(plane: np.ndarray) -> np.ndarray:
    """Of the borders that are crossed along the second axis."""
    rows, columns = (max(length // BLOCK, 1) for length in plane.shape)
    count = max(0, (plane.shape[1] - CODED - 2) // CODED + 1)
    first = [plane[:, CODED + k : CODED + k + (count - 1) * CODED + 1 : CODED] for k in (-2, -1, 0, 1)]
    a, b, c, d = (np.ascontiguousarray(x) for x in first)
    extra = cv2.absdiff(b, c) - (cv2.absdiff(a, b) + cv2.absdiff(c, d)) / 2 if count else np.zeros((1, 0))
    per, high = BLOCK // CODED, min(BLOCK, plane.shape[0])
    whole = np.zeros((rows * high, columns * per), np.float32)
    wide = min(count, columns * per)
    whole[:, :wide] = extra[: rows * high, :wide]
    return np.asarray(whole.reshape(rows, high, columns, per).sum(axis=(1, 3)) * (CODED / (high * BLOCK)))


def steps(luma: np.ndarray, smooth: np.ndarray, share: np.ndarray, bits: int = 8) -> np.ndarray:
    """Squared height of steps with flat ground on both sides, beyond the least step that so many bits have, as a mean
    over a block's smooth pixels, by block; `share` is of each block's pixels that are smooth. Steps at the borders of
    coded blocks are blocking, and don't count."""
    least = 2.0 ** (2 * (8 - bits))
    out = []
    for start in range(0, max(luma.shape[0] // BLOCK, 1) * BLOCK, STRIP):
        above = min(start, 2)
        rows = slice(start - above, start + STRIP + 3)
        down = _steps(luma[rows], smooth[rows], least, 0)[above : above + STRIP]
        across = _steps(luma[start : start + STRIP], smooth[start : start + STRIP], least, 1)
        down[CODED - 1 :: CODED] = 0
        across[:, CODED - 1 :: CODED] = 0
        out.append(blocks(cv2.add(down, across)))
    return np.concatenate(out) / np.maximum(share, 0.25)


def _steps(luma: np.ndarray, smooth: np.ndarray, least: float, axis: int) -> np.ndarray:
    """Squared heights of steps from row to row, or from column to column, shape as luma: in the smooth pixel before
    each."""
    found = np.zeros_like(luma)
    if luma.shape[axis] <= 5 or not cv2.countNonZero(np.ascontiguousarray(smooth)):
        return found

    def part(plane: np.ndarray, first: int, last: int) -> np.ndarray:
        inside = slice(first, plane.shape[axis] - last)
        return plane[inside] if axis == 0 else plane[:, inside]

    before, after = part(luma, 2, 3), part(luma, 3, 2)
    jump = cv2.absdiff(after, before)
    here = cv2.compare(cv2.absdiff(before, part(luma, 0, 5)), FLAT, cv2.CMP_LT)
    here &= cv2.compare(cv2.absdiff(part(luma, 5, 0), after), FLAT, cv2.CMP_LT)
    here &= cv2.compare(jump, STEP, cv2.CMP_GE)
    squares = cv2.multiply(cv2.subtract(cv2.multiply(jump, jump), least), part(smooth, 2, 3))
    part(found, 2, 3)[:] = cv2.copyTo(squares, here)
    return found
