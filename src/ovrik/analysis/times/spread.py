"""How much a contender's own times differ among themselves."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from ovrik.analysis.times.bounded import ratio_of
from ovrik.analysis.times.ratio import t_quantile

ERRATIC_SHARE, ERRATIC_TIMES = 0.05, 2.0
"""Erratic is a spread above this share that is also this many times what is usual among the others."""


@dataclass(frozen=True)
class Spread:
    """Fields: `share`, standard deviation of the log times, about the spread of one run as a share of its time;
    `low`, `high`, the 95 % interval of the usual time (geometric mean) in seconds; `runs`; `assumed`, whether it
    is not its own, but what the other contenders and earlier runs show: of a single run nothing else is known."""

    share: float
    low: float
    high: float
    runs: int
    assumed: bool = False


def spread_of(times_s: Sequence[float]) -> Spread | None:
    """From times of shape (n,), seconds: exp(mean ln T ± t(n − 1) · s / √n). None with fewer than two."""
    logs = np.log(np.asarray(times_s, float))
    if len(logs) < 2:
        return None
    share = float(logs.std(ddof=1))
    half = t_quantile(len(logs) - 1) * share / len(logs) ** 0.5
    usual = float(np.exp(logs.mean()))
    return Spread(share, usual * ratio_of(-half), usual * ratio_of(half), len(logs))


def assumed_spread(seconds: float, variance: float, freedom: float) -> Spread:
    """Of a single run, from the variance of one log time that is taken for it, worth so many degrees of freedom:
    T · exp(± t · √variance)."""
    share = float(variance**0.5)
    half = t_quantile(freedom) * share
    return Spread(share, seconds * ratio_of(-half), seconds * ratio_of(half), 1, assumed=True)


def erratic(share: float, every: Sequence[float]) -> bool:
    """Whether a spread stands out among those of all contenders (its own one included)."""
    return share > ERRATIC_SHARE and len(every) > 2 and share > ERRATIC_TIMES * float(np.median(every))
