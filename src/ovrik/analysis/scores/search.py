"""Which quality setting just meets a floor, from few encodes: a monotone fit, and brackets that only get closer."""

import math
from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np

MOST_ENCODES = 6
FIRST_STEP = 6.0
"""How far the second encode lies from the first at the most, in points of the setting, while nothing says how steep
quality is."""


@dataclass(frozen=True)
class SearchScale:
    """The settings there are. Fields: `low`, `high`; `step` between two of them; `best_low`, whether a lower number
    is better quality."""

    low: float
    high: float
    step: float
    best_low: bool = True

    def worse(self, setting: float) -> float:
        """A setting as a number that rises as quality falls."""
        return setting if self.best_low else -setting

    def setting(self, worse: float) -> float:
        """The inverse."""
        return worse if self.best_low else -worse

    def on_grid(self, worse: float) -> float:
        """The nearest setting there is that is no worse, as a number that rises as quality falls."""
        ends = sorted((self.worse(self.low), self.worse(self.high)))
        steps = math.floor((worse - ends[0]) / self.step + 1e-9)
        return round(float(min(max(ends[0] + steps * self.step, ends[0]), ends[1])), 6)


@dataclass(frozen=True)
class Aim:
    """What is looked for. Fields: `floor`, the quality that has to be met; `within`, how far above it is near enough;
    `top`, the most that the quality can be (100, or infinity)."""

    floor: float
    within: float
    top: float = math.inf

    def straight(self, quality: float) -> float:
        """A quality on a scale on which it falls about evenly with the setting: near its top it flattens out."""
        if not math.isfinite(self.top):
            return quality
        return -math.log(max(self.top * 1.005 - quality, 1e-6))


@dataclass(frozen=True)
class Step:
    """What comes next. Fields: `setting` to try, None when it is over; `found`, the setting that meets the floor most
    closely so far, None for none; `why` it is over, or ""."""

    setting: float | None
    found: float | None
    why: str = ""


def next_step(
    points: Mapping[float, float], scale: SearchScale, aim: Aim, first: float, most: int = MOST_ENCODES
) -> Step:
    """The next setting to try; `points` are qualities by setting, of which the first `most` may be made.

    Quality is taken to fall as the setting gets worse. What meets the floor and what does not bracket the answer;
    within the bracket a shape-preserving cubic through all points (PCHIP, Fritsch and Carlson 1980) of the setting
    over the quality says where, and each try lies strictly inside, so that the bracket only gets smaller."""
    known = {scale.worse(s): q for s, q in points.items()}
    met = [w for w, q in known.items() if q >= aim.floor]
    failed = [w for w, q in known.items() if q < aim.floor]
    best = max(met, default=None)
    found = None if best is None else scale.setting(best)
    if best is not None and known[best] <= aim.floor + aim.within:
        return Step(None, found, "it lies within what is near enough")
    ends = sorted((scale.worse(scale.low), scale.worse(scale.high)))
    low = best if best is not None else ends[0] - scale.step
    worse = [w for w in failed if w > low]
    high = min(worse, default=ends[1] + scale.step)
    if high - low <= scale.step * 1.5:
        why = (
            "the next setting falls below the floor"
            if found is not None
            else "even the best setting is below the floor"
        )
        if found is not None and not worse:
            why = "even the last setting meets the floor"
        return Step(None, found, why)
    if len(points) >= most:
        return Step(None, found, f"{most} encodes were made")
    guess = first if not known else _guess(known, aim, low, high, best is None, not worse)
    at = scale.on_grid(scale.worse(guess) if not known else guess)
    inside = min(max(at, low + scale.step), high - scale.step)
    return Step(scale.setting(scale.on_grid(inside + scale.step * 1e-3)), found)


def _guess(
    known: Mapping[float, float], aim: Aim, low: float, high: float, none_met: bool, all_met: bool
) -> float:
    """Where the floor is met, as a number that rises as quality falls: a little above it, to be sure."""
    target = aim.straight(aim.floor + 0.35 * aim.within)
    worse = np.array(sorted(known))
    straight = np.array([aim.straight(known[w]) for w in worse])
    if len(worse) == 1:
        way = 1.0 if all_met else -1.0
        gap = abs(known[float(worse[0])] - aim.floor) / max(aim.within, 1e-9)
        return float(worse[0] + way * min(FIRST_STEP, max(1.0, gap)))
    keep = np.concatenate([[True], np.diff(np.minimum.accumulate(straight)) < 0])
    worse, straight = worse[keep], straight[keep]
    if len(worse) < 2:
        return (low + high) / 2
    if none_met or all_met:
        # Outside of what is known: along the last two points, but never farther than twice as far again.
        one, other = (0, 1) if none_met else (-2, -1)
        slope = (straight[other] - straight[one]) / (worse[other] - worse[one])
        end = worse[0] if none_met else worse[-1]
        ahead = (target - (straight[0] if none_met else straight[-1])) / slope
        return float(end + np.clip(ahead, -3 * FIRST_STEP, 3 * FIRST_STEP))
    from scipy.interpolate import PchipInterpolator  # loaded where a search goes on, not when a window opens

    return float(PchipInterpolator(straight[::-1], worse[::-1])(target))
