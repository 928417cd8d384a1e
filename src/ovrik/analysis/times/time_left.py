"""How long the runs that are left will take."""

import statistics
from collections import Counter
from collections.abc import Hashable, Mapping, Sequence
from dataclasses import dataclass
from typing import TypeVar

import numpy as np

RunKind = TypeVar("RunKind", bound=Hashable)
UNKNOWN_SPREAD = 0.1
"""Spread of a run, as a share of its time, while fewer than two of its kind were made."""


@dataclass(frozen=True)
class TimeLeft:
    """Fields, seconds: `seconds` for all that is left; `spread`, twice its standard deviation."""

    seconds: float
    spread: float


def time_left(
    took: Mapping[RunKind, Sequence[float]],
    to_come: Sequence[RunKind],
    now: RunKind | None = None,
    spent_s: float = 0.0,
    forecast_s: float | None = None,
    around_s: float = 0.0,
) -> TimeLeft | None:
    """Time for runs `to_come`, each of a kind (a contender, on some footage), and for the rest of the one of `now`,
    begun `spent_s` ago.

    `took`, seconds of finished runs by kind: each run to come takes their median. `forecast_s` is what the
    present run will take in all, where there is nothing better. One of which nothing is known takes the mean of the
    others. `around_s` comes on top of each run to come: rests and checks around it. Spreads are of independent
    runs. None while nothing is known of any.
    """
    medians = {c: statistics.median(t) for c, t in took.items() if t}
    if now is not None and now not in medians and forecast_s:
        medians[now] = forecast_s
    if not medians:
        return None
    usual = statistics.fmean(medians.values())
    count = Counter(to_come)  # asked for while a run is timed: each contender's spread is worked out once
    out = [(n, medians.get(c, usual), _share(took.get(c, ()))) for c, n in count.items()]
    seconds, variance = sum(n * (m + around_s) for n, m, _s in out), sum(n * (m * s) ** 2 for n, m, s in out)
    if now is not None:
        whole = medians.get(now, usual)
        rest = max(whole - spent_s, 0.0)
        seconds += rest
        variance += (min(rest, whole) * _share(took.get(now, ()))) ** 2
    return TimeLeft(seconds, 2 * variance**0.5)


def _share(times: Sequence[float]) -> float:
    return float(np.log(times).std(ddof=1)) if len(times) > 1 else UNKNOWN_SPREAD
