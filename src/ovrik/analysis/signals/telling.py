"""Which frames of an output say most about it, and where two outputs differ most."""

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np

from ovrik.analysis.signals.loss_kinds import LOSS_KINDS

LOWEST, APART = "lowest", "apart"
MOST, APART_MOST = 6, 3
SPACE_S = 0.5
"""Moments of one kind are at least so far apart, seconds."""
LEAST_APART = 1.0
"""Points of VMAF by which two outputs must differ in a frame for it to be pointed out."""
WORTH = 8.0
"""Points of VMAF under 100 that weigh as much as a loss that is just worth a look."""
REGION = (0.25, 0.25)
"""Height and width of a region, as shares of the picture."""


@dataclass(frozen=True)
class Moment:
    """A frame to look at. Fields: `frame` of the scores; `kind`, "lowest" VMAF, "apart", or the key of a kind of
    loss; `value` of it there; `weight`, how much it says, 1 where it is just worth a look."""

    frame: int
    kind: str
    value: float
    weight: float


def moments(scores: Mapping[str, np.ndarray], rate: float, most: int = MOST) -> list[Moment]:
    """The telling frames of one output, in order; the frame with the lowest VMAF is always one of them. `scores`,
    shape (frames,), by metric and by kind of loss; NaN where a frame has none."""
    found: list[Moment] = []
    vmaf = scores.get("vmaf", np.zeros(0))
    space = max(1, round(rate * SPACE_S))
    for frame in _peaks(-vmaf, space, 2):
        found.append(Moment(frame, LOWEST, float(vmaf[frame]), (100 - float(vmaf[frame])) / WORTH))
    for kind in LOSS_KINDS:
        values = scores.get(kind.key, np.zeros(0))
        for frame in _peaks(values, space, 1):
            if values[frame] >= kind.notable:
                found.append(
                    Moment(frame, kind.key, float(values[frame]), float(values[frame]) / kind.notable)
                )
    lowest, rest = found[:1], sorted(found[1:], key=lambda m: -m.weight)
    return sorted([*lowest, *(m for m in rest if m.weight >= 1)][:most], key=lambda m: (m.frame, -m.weight))


def differing(one: np.ndarray, other: np.ndarray, rate: float, most: int = APART_MOST) -> list[Moment]:
    """Where two outputs' scores lie furthest apart, in order; `value` is how much higher the first one's is."""
    count = min(len(one), len(other))
    apart = np.asarray(one[:count] - other[:count], float)
    frames = _peaks(np.abs(apart), max(1, round(rate * SPACE_S)), most)
    return [
        Moment(n, APART, float(apart[n]), abs(float(apart[n])) / WORTH)
        for n in sorted(frames)
        if abs(apart[n]) >= LEAST_APART
    ]


def _peaks(values: np.ndarray, space: int, most: int) -> list[int]:
    """Places of the highest values, the highest first, no two nearer than `space`."""
    left = np.array(values, float)
    left[~np.isfinite(left)] = -np.inf
    out: list[int] = []
    while len(out) < most and len(left) and np.isfinite(left.max()):
        at = int(left.argmax())
        out.append(at)
        left[max(0, at - space + 1) : at + space] = -np.inf
    return out


def region(strength: np.ndarray) -> tuple[float, float, float, float]:
    """Where most of a map, shape (rows, columns), lies: left, top, width and height of a window, as shares. The whole
    picture where nothing stands out."""
    rows, columns = strength.shape
    high, wide = max(1, round(rows * REGION[0])), max(1, round(columns * REGION[1]))
    if strength.max() <= 0 or rows < 4 or columns < 4:
        return 0.0, 0.0, 1.0, 1.0
    # Means over windows that lie inside: the filter's windows begin `size // 2` before their place.
    from scipy.ndimage import uniform_filter  # loaded where a map is looked at, not when a report is written

    means = uniform_filter(np.asarray(strength, float), (high, wide), mode="constant")
    inside = means[high // 2 : high // 2 + rows - high + 1, wide // 2 : wide // 2 + columns - wide + 1]
    top, left = divmod(int(inside.argmax()), inside.shape[1])
    return left / columns, top / rows, wide / columns, high / rows
