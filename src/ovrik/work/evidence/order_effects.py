"""Whether times moved with the order of runs or with the hour: looked for in a study's counted runs."""

import itertools
import os
from collections import defaultdict
from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass
from datetime import datetime
from enum import StrEnum
from statistics import median

from ovrik.analysis.times.drift import Trend, trend
from ovrik.store.records.run import RunRecord


class Along(StrEnum):
    """What times were followed along: the hour, the place in a round, and each contender's first run against its
    later ones."""

    HOUR = "hour"
    PLACE = "place in the round"
    LATER = "later runs"


class Meanwhile(StrEnum):
    """What of the machine may have changed while times did: its temperature before a run, °C; its clock then, MHz;
    what other programs, and the host of a virtual machine, used during one, as shares of all processors."""

    WARMER = "warmer"
    CLOCK = "clock"
    OTHERS = "others"
    HOST = "host"


@dataclass(frozen=True)
class Cause:
    """What changed while times did. Fields: `what`; `early`, `late`, its medians in the first and in the last third
    of the runs."""

    what: Meanwhile
    early: float
    late: float


@dataclass(frozen=True)
class OrderEffect:
    """Fields: `along`; `trend`; `hours` from the first run to the last; `causes` that were found for it."""

    along: Along
    trend: Trend
    hours: float
    causes: tuple[Cause, ...] = ()


NOTABLE: dict[Meanwhile, Callable[[float, float], bool]] = {
    Meanwhile.WARMER: lambda early, late: abs(late - early) >= 4,
    Meanwhile.CLOCK: lambda early, late: abs(late / early - 1) >= 0.04 if early else False,
    Meanwhile.OTHERS: lambda early, late: abs(late - early) >= 0.04,
    Meanwhile.HOST: lambda early, late: abs(late - early) >= 0.02,
}
"""Whether what is seen early and late is far enough apart to be named."""


CORES = os.cpu_count() or 1
OF_RUN: dict[Meanwhile, Callable[[RunRecord], object]] = {
    Meanwhile.WARMER: lambda r: r.conditions.get("celsius"),
    Meanwhile.CLOCK: lambda r: r.conditions.get("clock"),
    Meanwhile.OTHERS: lambda r: (r.other_cpu_s or 0.0) / (r.wall_s * CORES) if r.wall_s else None,
    Meanwhile.HOST: lambda r: (r.stolen_s or 0.0) / (r.wall_s * CORES) if r.wall_s else None,
}
"""What a run says of each."""


def causes(timed: Sequence[RunRecord]) -> tuple[Cause, ...]:
    """What of the machine was another in the last third of these runs than in the first, in order of time."""
    third = len(timed) // 3
    if third < 2:
        return ()
    found = []
    for what, notable in NOTABLE.items():
        ends = []
        for part in (timed[:third], timed[-third:]):
            said = [v for r in part if isinstance(v := OF_RUN[what](r), int | float)]
            ends.append(median(said) if said else None)
        early, late = ends
        if early is not None and late is not None and notable(early, late):
            found.append(Cause(what, early, late))
    return tuple(found)


BACK_H = 2 / 3600
"""By more than so many hours no clock goes back by itself."""


def _order(r: RunRecord) -> tuple[int, str]:
    """Runs in the order in which they were made, whatever the clock said."""
    return r.id, r.started_utc


def _set_back(hours: Sequence[float]) -> bool:
    """Whether the clock was set back meanwhile: nothing is said of the hour then."""
    return any(after < before - BACK_H for before, after in itertools.pairwise(hours))


def order_effects(runs: Iterable[RunRecord]) -> tuple[OrderEffect, ...]:
    """Trends of log time, each contender about its own mean: with the place in the round, with the hour, and of
    each contender's first run against its later ones."""
    # What Ovrik did not drive was in no round's order.
    driven = (r for r in runs if r.counts and r.wall_s and r.driven)
    timed = sorted(driven, key=_order)
    # A disturbed run that was made again stands for nothing: its repeat, always late in the round, would look fast.
    timed = list({(r.contender_id, r.round): r for r in timed}.values())
    timed.sort(key=_order)
    if not timed:
        return ()
    began = datetime.fromisoformat(timed[0].started_utc)
    hours = [(datetime.fromisoformat(r.started_utc) - began).total_seconds() / 3600 for r in timed]
    seen: dict[int, int] = defaultdict(int)
    places, later = [], []
    before: set[int] = set()
    for r in timed:
        places.append(seen[r.round])
        seen[r.round] += 1
        later.append(float(r.contender_id in before))
        before.add(r.contender_id)
    times, who = [r.wall_s or 0.0 for r in timed], [r.contender_id for r in timed]
    by_hour = trend(times, who, hours)
    # A change that may be twofold and more, or none, was not seen at all.
    seen_by_hour = by_hour is not None and (by_hour.clear or by_hour.high < 1) and not _set_back(hours)
    found = (
        (Along.HOUR, by_hour if seen_by_hour else None),
        (Along.PLACE, trend(times, who, places)),
        (Along.LATER, trend(times, who, later)),
    )
    why = {Along.HOUR: causes(timed)}
    return tuple(OrderEffect(along, t, max(hours), why.get(along, ())) for along, t in found if t is not None)
