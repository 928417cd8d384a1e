"""How much more or less two ways of coding take for the same quality, from several points of each."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

FEWEST = 3
"""Quality points that each side must have."""


@dataclass(frozen=True)
class EqualQuality:
    """The Bjøntegaard difference of two series (Bjøntegaard 2001, ITU-T VCEG-M33; piecewise cubic Hermite
    interpolation as in JCTVC-L1100).

    Fields: `rate`, by what share the second takes more (or, below 0, less) than the first at equal quality, averaged
    over the qualities that both reach; `quality`, how much better the second is at equal size; None where that can't
    be told; `overlap`, the share of the narrower range of qualities that both have; `why` not, or "".
    """

    rate: float | None
    quality: float | None
    overlap: float = 0.0
    why: str = ""


def equal_quality(
    sizes: Sequence[float],
    qualities: Sequence[float],
    other_sizes: Sequence[float],
    other_qualities: Sequence[float],
) -> EqualQuality:
    """Compare the other series with the first; sizes in any unit of bits over time, qualities where more is
    better."""
    one, other = _series(sizes, qualities), _series(other_sizes, other_qualities)
    if min(len(one[0]), len(other[0])) < FEWEST:
        return EqualQuality(None, None, why=f"each needs {FEWEST} points whose quality rises with size")
    rate, overlap = _mean_gap(one[1], one[0], other[1], other[0])
    better, _ = _mean_gap(one[0], one[1], other[0], other[1])
    if rate is None:
        return EqualQuality(None, better, why="they have no quality in common")
    return EqualQuality(float(np.expm1(rate)), better, overlap)


def _series(sizes: Sequence[float], qualities: Sequence[float]) -> tuple[np.ndarray, np.ndarray]:
    """Logarithms of sizes, and qualities, rising both; a point that is larger and no better is left out."""
    pairs = sorted((float(np.log(s)), float(q)) for s, q in zip(sizes, qualities, strict=True) if s > 0)
    kept: list[tuple[float, float]] = []
    for size, quality in pairs:
        if np.isfinite(quality) and (not kept or (quality > kept[-1][1] and size > kept[-1][0])):
            kept.append((size, quality))
    found = np.array(kept, float).reshape(-1, 2)
    return found[:, 0], found[:, 1]


def _mean_gap(
    x: np.ndarray, y: np.ndarray, other_x: np.ndarray, other_y: np.ndarray
) -> tuple[float | None, float]:
    """Mean of other y less y over the x that both have, and the share of the narrower range that is."""
    low, high = max(x[0], other_x[0]), min(x[-1], other_x[-1])
    if high <= low:
        return None, 0.0
    from scipy.interpolate import PchipInterpolator  # loaded where there is something to compare

    areas = [PchipInterpolator(a, b).integrate(low, high) for a, b in ((x, y), (other_x, other_y))]
    narrower = min(x[-1] - x[0], other_x[-1] - other_x[0])
    return float((areas[1] - areas[0]) / (high - low)), float((high - low) / narrower)
