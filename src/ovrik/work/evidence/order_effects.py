"""Whether times moved with the order of runs or with the hour: looked for in a study's counted runs."""

from collections import defaultdict
from collections.abc import Iterable
from dataclasses import dataclass
from datetime import datetime
from enum import StrEnum

from ovrik.analysis.times.drift import Trend, trend
from ovrik.store.records.run import RunRecord


class Along(StrEnum):
    """What times were followed along: the hour, the place in a round, and each contender's first run against its
    later ones."""

    HOUR = "hour"
    PLACE = "place in the round"
    LATER = "later runs"


@dataclass(frozen=True)
class OrderEffect:
    """Fields: `along`; `trend`; `hours` from the first run to the last."""

    along: Along
    trend: Trend
    hours: float


def order_effects(runs: Iterable[RunRecord]) -> tuple[OrderEffect, ...]:
    """Trends of log time, each contender about its own mean: with the place in the round, with the hour, and of
    each contender's first run against its later ones."""
    # What Ovrik did not drive was in no round's order.
    driven = (r for r in runs if r.counts and r.wall_s and r.driven)
    timed = sorted(driven, key=lambda r: r.started_utc)
    # A disturbed run that was made again stands for nothing: its repeat, always late in the round, would look fast.
    timed = list({(r.contender_id, r.round): r for r in timed}.values())
    timed.sort(key=lambda r: r.started_utc)
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
    seen_by_hour = by_hour is not None and (by_hour.clear or by_hour.high < 1)
    found = (
        (Along.HOUR, by_hour if seen_by_hour else None),
        (Along.PLACE, trend(times, who, places)),
        (Along.LATER, trend(times, who, later)),
    )
    return tuple(OrderEffect(along, t, max(hours)) for along, t in found if t is not None)
