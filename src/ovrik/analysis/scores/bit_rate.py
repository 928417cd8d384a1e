"""Bits a second, from the bits of each frame."""

import numpy as np


def around(bits: np.ndarray, rate: float) -> np.ndarray:
    """Bit/s of the second around each frame, shape (frames,); frames near either end have less around them, and are
    taken for what they have. `rate` in frames per second."""
    if not len(bits):
        return np.zeros(0)
    span = max(1, round(rate))
    sums = np.concatenate([[0.0], np.cumsum(bits)])
    begin = np.arange(len(bits)) - span // 2
    first, end = np.maximum(begin, 0), np.minimum(begin + span, len(bits))
    return np.asarray((sums[end] - sums[first]) / (end - first) * rate)


def busiest(bits: np.ndarray, rate: float) -> float:
    """Bits in the busiest second: the most that round(rate) frames in a row take, or all of them when there are
    fewer."""
    span = min(max(1, round(rate)), len(bits))
    sums = np.concatenate([[0.0], np.cumsum(bits)])
    return float((sums[span:] - sums[: len(sums) - span]).max())
