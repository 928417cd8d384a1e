"""Which runs' times count, and all of a line-up's times at once."""

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, replace

from ovrik.analysis.times.joint import Joint, Times, joint
from ovrik.analysis.times.noise import KNOWN_FREEDOM, LEAST_SPREAD, MOST_PAIRS, STATED, Prior
from ovrik.analysis.times.succession import MOST, Likeness
from ovrik.store.records.run import RunRecord
from ovrik.study.facts.disturbance import slowed
from ovrik.study.facts.origin import Origin
from ovrik.study.question.conduct import Conduct

MOST_NOISE = 0.5


Round = tuple[Origin, int]
"""Whose round it is and which: rounds of different series are never of one."""


def next_round(runs: Iterable[RunRecord], origin: Origin) -> int:
    """The number of the round that comes after all of these that are of one series with this origin, from 1. Rounds
    that Ovrik drives are those of the whole line-up; what is read or watched is counted for each contender."""
    return max((r.round for r in runs if r.origin.series is origin.series), default=0) + 1


def times(runs: Iterable[RunRecord]) -> dict[Round, float]:
    """Seconds by round of the counted runs; the last one where a round was timed twice."""
    return {(r.origin.series, r.round): r.wall_s for r in runs if r.counts and r.wall_s is not None}


def of_one_kind(runs: Iterable[RunRecord], by_hand: bool | None = None) -> list[RunRecord]:
    """The counted runs of one kind of evidence: of times that Ovrik measured, or by hand. Left open, measured ones
    where there are any: the two are never pooled."""
    found = [r for r in runs if r.counts]
    if by_hand is None:
        by_hand = all(r.by_hand for r in found)
    return [r for r in found if r.by_hand == by_hand]


def prior_of(conduct: Conduct) -> Prior:
    """What the study holds of the noise before its own runs are looked at, within what can be."""
    spread = min(max(conduct.noise, LEAST_SPREAD), MOST_NOISE)
    alike = Likeness(min(max(conduct.noise_alike, 0.0), MOST), min(max(conduct.noise_pairs, 0.0), MOST_PAIRS))
    if not conduct.noise_runs:
        return replace(STATED, spread=spread, alike=alike)
    return Prior(spread, KNOWN_FREEDOM, conduct.noise_runs, alike)


@dataclass(frozen=True, eq=False)
class LineUpTimes:
    """Fields: `found`, all times at once; `rows`, the row of each contender; `by_hand`, of those whose times were
    taken by hand; `base`, the baseline's row, None without one; `base_by_hand`, the row of its times by hand, None
    likewise."""

    found: Joint
    rows: Mapping[int, int]
    by_hand: frozenset[int]
    base: int | None
    base_by_hand: int | None

    def base_for(self, contender_id: int) -> int | None:
        """The row to compare a contender with: like with like where there is such, a time by hand with the baseline's
        times by hand; else with what there is of it, across the rounds."""
        kinds = (self.base, self.base_by_hand)
        alike, other = reversed(kinds) if contender_id in self.by_hand else kinds
        return other if alike is None else alike


def line_up_times(
    ids: Sequence[int], runs: Mapping[int, Sequence[RunRecord]], baseline_id: int | None, prior: Prior
) -> LineUpTimes:
    """Fit the times of these contenders. The baseline may have times of both kinds: those by hand get a row of their
    own."""
    own = {i: of_one_kind(runs.get(i, ())) for i in ids}
    by_hand = frozenset(i for i in ids if own[i] and own[i][0].by_hand)
    table = [_times(own[i]) for i in ids]
    rows = {i: n for n, i in enumerate(ids)}
    base = rows.get(baseline_id or 0)
    base_by_hand = None
    if baseline_id in by_hand:
        base, base_by_hand = None, base
    elif by_hand and (also := of_one_kind(runs.get(baseline_id or 0, ()), by_hand=True)):
        base_by_hand = len(table)
        table.append(_times(also))
    return LineUpTimes(joint(table, prior), rows, by_hand, base, base_by_hand)


def _times(runs: Sequence[RunRecord]) -> Times:
    found = {(r.origin.series, r.round): r for r in runs if r.counts and r.wall_s is not None}
    return Times(
        tuple(found),
        tuple(r.wall_s or 0.0 for r in found.values()),
        tuple(r.doubt_s for r in found.values()),
        tuple(slowed(r.disturbed) for r in found.values()),
    )
