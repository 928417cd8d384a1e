"""Which quality setting is the last to meet a floor, from few encodes: a monotone fit, brackets that only get closer,
and a look at the settings beyond, since quality wobbles from one to the next."""

import math
from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np

MOST_ENCODES = 16
AIMED = 0.1
"""How far above the floor a try is aimed at, in steps of quality."""
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
    """What is looked for. Fields: `floor`, the quality that has to be met; `step`, what counts as little of it (half
    a point of VMAF); `top`, the most that the quality can be (100, or infinity)."""

    floor: float
    step: float
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

    Quality is taken to fall as the setting gets worse, but for a wobble. The last that met the floor and the first
    after it that did not bracket the answer; within the bracket a shape-preserving cubic through all points (PCHIP,
    Fritsch and Carlson 1980) of the setting over the quality says where, and each try lies strictly inside, so that
    the bracket only gets smaller. When nothing is left in it, the settings after it are tried, as far as wobbles as
    they were seen could lift one of them over the floor."""
    known = {scale.worse(s): q for s, q in points.items()}
    met = [w for w, q in known.items() if q >= aim.floor]
    best = max(met, default=None)
    found = None if best is None else scale.setting(best)
    ends = sorted((scale.worse(scale.low), scale.worse(scale.high)))
    low = best if best is not None else ends[0] - scale.step
    worse = [w for w, q in known.items() if q < aim.floor and w > low]
    high = min(worse, default=ends[1] + scale.step)
    if high - low > scale.step * 1.5:
        if len(points) >= most:
            return Step(None, found, f"{most} encodes were made")
        guess = first if not known else _guess(known, aim, low, high, best is None, not worse)
        at = scale.on_grid(scale.worse(guess) if not known else guess)
        inside = min(max(at, low + scale.step), high - scale.step)
        return Step(scale.setting(scale.on_grid(inside + scale.step * 1e-3)), found)
    if not worse:
        return Step(None, found, "even the last setting meets the floor")
    beyond = _beyond(known, scale, aim, high)
    if beyond is not None and len(points) < most:
        return Step(scale.setting(beyond), found)
    if found is None:
        return Step(None, None, "even the best setting is below the floor")
    if beyond is not None:
        return Step(None, found, f"the next setting falls below the floor, and {most} encodes were made")
    return Step(None, found, "the settings after it fall below the floor")


NEAR, SURE, LEAST_WOBBLE = 6, 2.5, 0.04
"""How many of the nearest settings show the slope and the wobble; how many of its standard deviations may lift a
setting; and its least, in steps of quality."""


def _beyond(known: Mapping[float, float], scale: SearchScale, aim: Aim, high: float) -> float | None:
    """The next setting after `high` that a wobble could lift over the floor, None where none could."""
    end = max(scale.worse(scale.low), scale.worse(scale.high))
    near = np.array(sorted(sorted(known, key=lambda w: abs(w - high))[:NEAR]))
    if len(near) < 2:
        return None
    values = np.array([known[float(w)] for w in near])
    apart = near - near.mean()
    slope = min(float(apart @ values / (apart @ apart)), 0.0)
    rest = values - values.mean() - slope * apart
    wobble = float(np.sqrt(rest @ rest / (len(near) - 2))) if len(near) > 2 else 0.0
    margin = SURE * max(wobble, LEAST_WOBBLE * aim.step)
    at = scale.on_grid(high + scale.step * 1.001)
    while at <= end and at > high:
        if values.mean() + slope * (at - near.mean()) + margin < aim.floor:
            return None
        if at not in known:
            return at
        if at >= end:
            return None
        at = scale.on_grid(at + scale.step * 1.001)
    return None


def _guess(
    known: Mapping[float, float], aim: Aim, low: float, high: float, none_met: bool, all_met: bool
) -> float:
    """Where the floor is met, as a number that rises as quality falls: a little above it, to be sure."""
    target = aim.straight(aim.floor + AIMED * aim.step)
    worse = np.array(sorted(known))
    straight = np.array([aim.straight(known[w]) for w in worse])
    if len(worse) == 1:
        way = 1.0 if all_met else -1.0
        gap = abs(known[float(worse[0])] - aim.floor) / max(aim.step, 1e-9)
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
