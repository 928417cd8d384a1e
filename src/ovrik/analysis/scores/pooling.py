"""From a score for every frame to the few numbers that are shown."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np


@dataclass(frozen=True)
class Pooled:
    """Fields: `mean`; `p5`, `p1`, 5th and 1st percentile; `worst_second`, lowest mean over any
    segment of one second; `worst_frame`, index of the lowest frame; `harmonic`, the harmonic mean of scores that are
    0 or more, which low ones pull down further."""

    mean: float
    p5: float
    p1: float
    worst_second: float
    worst_frame: int
    harmonic: float


def pooled(scores: Sequence[float] | np.ndarray, rate: float) -> Pooled:
    """Pool per-frame scores, shape (n,); `rate` in frames per second.

    Percentiles interpolate linearly between order statistics (Hyndman and Fan 1996, type 7). The
    worst second is the lowest mean over all segments of round(rate) frames, or over everything
    when there are fewer. The harmonic mean is taken of scores + 1, less 1, so that a 0 does not undo it, as libvmaf
    does. NaN stands for a frame that was not scored: a second is then made of the scored frames that fall in it, and
    `worst_frame` is among them. Raises ValueError for an array without scores.
    """
    every = np.asarray(scores, float)
    known = np.flatnonzero(~np.isnan(every))
    values = every[known] if every.ndim == 1 else every
    if values.ndim != 1 or len(values) == 0:
        raise ValueError("at least one frame's score is needed")
    span = min(max(1, round(rate * len(values) / len(every))), len(values))
    # Frames equal to the reference have no finite PSNR; a second that holds one has none either.
    finite = _sums(np.where(np.isinf(values), 0.0, values), span) / span
    worst = float(np.min(np.where(_sums(np.isinf(values), span) > 0, np.inf, finite)))
    p5, p1 = (_percentile(values, share) for share in (5, 1))
    pulled = float((1 / (np.maximum(values, 0) + 1)).sum())
    harmonic = len(values) / pulled - 1 if pulled else float("inf")  # equal frames have no finite PSNR
    return Pooled(
        mean=float(values.mean()),
        p5=float(p5),
        p1=float(p1),
        worst_second=worst,
        worst_frame=int(known[values.argmin()]),
        harmonic=harmonic,
    )


def _sums(values: np.ndarray, span: int) -> np.ndarray:
    """Sums over every so many in a row."""
    sums = np.cumsum(np.concatenate([[0.0], values]))
    return np.asarray(sums[span:] - sums[:-span])


def _percentile(values: np.ndarray, share: float) -> float:
    """Type 7 of Hyndman and Fan, where infinite values may be among them."""
    ordered = np.sort(values)
    at = (len(ordered) - 1) * share / 100
    low, high = ordered[int(np.floor(at))], ordered[int(np.ceil(at))]
    return float(low if low == high else low + (at - np.floor(at)) * (high - low))


@dataclass(frozen=True)
class Lost:
    """A kind of loss over all frames. Fields: `mean`; `p95`, its 95th percentile; `worst`, in the frame `frame`."""

    mean: float
    p95: float
    worst: float
    frame: int


def lost(values: np.ndarray) -> Lost | None:
    """Pool a kind of loss, shape (n,), of which less is better; None without any frame."""
    if not len(values):
        return None
    at = int(values.argmax())
    return Lost(float(values.mean()), float(np.percentile(values, 95)), float(values[at]), at)


def under(scores: Sequence[float] | np.ndarray, floor: float) -> float:
    """The share of frames whose score is under a floor; 0 without any frame."""
    values = np.asarray(scores, float)
    values = values[~np.isnan(values)]
    return float((values < floor).mean()) if len(values) else 0.0
