"""Rounds over several kinds of footage at once, all of a round shuffled together."""

import time
from collections.abc import Callable, Sequence

from ovrik.errors import PassingTrouble
from ovrik.export.order import planned_runs
from ovrik.store.study import Study
from ovrik.work.noise import assume_noise
from ovrik.work.over_kinds import OverKinds, gather_kinds
from ovrik.work.scoring import ScoringUpdate, score_all
from ovrik.work.timing import Watcher, time_all

Checked = Callable[[ScoringUpdate], None]


def time_kinds(
    study: Study,
    ids: Sequence[int],
    rounds: int,
    watch: Watcher = lambda _m: None,
    should_stop: Callable[[], bool] = lambda: False,
    checked: Checked = lambda _m: None,
) -> bool:
    """Time these contenders on every kind of footage that the study keeps by name: so many more rounds, or, where the
    study is to be decided, until the choice over all is. True when all runs ended well.

    Outputs are checked after the first round; from then on only those that may still win over all are timed, with the
    baseline.
    """
    assume_noise(study)
    facts, well, ids = study.facts(), True, list(ids)
    decides = facts.conduct.until_decided
    most = facts.conduct.most_rounds if decides else rounds
    until = (
        time.monotonic() + 60 * facts.conduct.most_minutes if decides and facts.conduct.most_minutes else None
    )
    views = [study.on(kind) for kind in study.kinds()]
    for made in range(most):
        now = _still(study, ids, facts.baseline_id) if decides and made else ids
        if should_stop() or not now or (until is not None and time.monotonic() > until):
            break
        number = max((r.round for r in study.runs()), default=0) + 1
        todo = planned_runs(now, [number], facts.warmup if not made else 0, facts.seed, kinds=len(views))
        well &= time_all(study, todo, watch, should_stop, until, views)
        if decides and not should_stop():
            _check(views, checked, should_stop)
    return well


def _still(study: Study, ids: Sequence[int], baseline: int | None) -> list[int]:
    """Who is timed in the next round; nobody once it is decided."""
    found = gather_kinds(study)
    if found is None or (found.verdict.labels and found.verdict.decided):
        return []
    return still_in(found, ids, baseline)


def still_in(found: OverKinds, ids: Sequence[int], baseline: int | None) -> list[int]:
    """Contenders that could still be the choice over all by more than the band, the choice, and the baseline."""
    band = found.each[0].facts.tie_band
    open_ = {label for label, said, gain in found.verdict.standing if said == "choice" or gain > band}
    out = []
    for s in found.each[0].summaries:
        every = [e.of(s.contender.id) for _k, e in found.counting]
        unknown = any(x is not None and not x.reasons and not (x.judged and x.times) for x in every)
        if s.contender.id in ids and (s.contender.label in open_ or unknown or s.contender.id == baseline):
            out.append(s.contender.id)
    return out


def _check(views: Sequence[Study], checked: Checked, should_stop: Callable[[], bool]) -> None:
    for view in views:
        try:
            score_all(view, checked, should_stop)
        except PassingTrouble as trouble:
            checked(ScoringUpdate(str(trouble), 1.0))
