"""Whether times move with the place in a round, or with the hour."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from ovrik.analysis.times.bounded import ratio_of
from ovrik.analysis.times.ratio import t_quantile

FEWEST = 6


@dataclass(frozen=True)
class Trend:
    """A slope of log time. Fields: `change`, from the first place to the last as a share (0.03 is 3 %
    slower at the end); `low`, `high`, its 95 % interval; `runs` it rests on."""

    change: float
    low: float
    high: float
    runs: int

    @property
    def clear(self) -> bool:
        """Whether the interval leaves out no change."""
        return self.low > 0 or self.high < 0


def trend(times_s: Sequence[float], groups: Sequence[int], places: Sequence[float]) -> Trend | None:
    """The slope of ln T over `places` (rank in a round, or moment), each group (contender) about its own mean.

    Least squares on d = ln T − mean of its group over p − mean of its group, with n − groups − 1 degrees of
    freedom; shape (n,) for all three. None with fewer than six runs or without any change of place.
    """
    logs, kind, place = np.log(np.asarray(times_s, float)), np.asarray(groups), np.asarray(places, float)
    names = np.unique(kind)
    freedom = len(logs) - len(names) - 1
    if len(logs) < FEWEST or freedom < 2:
        return None
    y, x = logs.copy(), place.copy()
    for name in names:
        y[kind == name] -= logs[kind == name].mean()
        x[kind == name] -= place[kind == name].mean()
    squares = float(x @ x)
    if squares <= 0:
        return None
    slope = float(x @ y) / squares
    rest = y - slope * x
    error = float(np.sqrt(rest @ rest / freedom / squares))
    span = float(place.max() - place.min())
    half = t_quantile(freedom) * error
    low, high = (ratio_of(v * span) - 1 for v in (slope - half, slope + half))
    return Trend(float(np.expm1(slope * span)), low, high, len(logs))
