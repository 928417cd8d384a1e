"""Rounds until the choice is decided: outputs are checked first, then only what can still win is timed."""

import time
from collections import Counter
from collections.abc import Callable, Sequence
from dataclasses import replace

from ovrik.errors import PassingTrouble
from ovrik.export.order import PlannedRun, planned_runs
from ovrik.machine.load import read_into_cache
from ovrik.store.study import Study
from ovrik.study.conduct import COLD
from ovrik.study.unchanged import files_of
from ovrik.work.evidence import Evidence, gather
from ovrik.work.noise import assume_noise, keep_noise
from ovrik.work.rivals import Rivals, changes, plan_of, rest_words, rivals
from ovrik.work.scoring import ScoringUpdate, score_all
from ovrik.work.timing import TimingUpdate, Watcher, time_all
from ovrik.work.warm_up import needing_warm_up

Checked = Callable[[ScoringUpdate], None]


def time_until_chosen(
    study: Study,
    ids: Sequence[int],
    watch: Watcher = lambda _m: None,
    should_stop: Callable[[], bool] = lambda: False,
    checked: Checked = lambda _m: None,
) -> bool:
    """Add rounds until no acceptable contender could be faster than the choice by more than the tie band, or a
    limit of the study's conduct is reached; what can no longer win is left out of them. True when all runs ended
    well."""
    assume_noise(study)
    facts, well, ids = study.facts(), True, list(ids)
    limit = facts.conduct.most_minutes
    until = time.monotonic() + 60 * limit if limit else None
    warm = needing_warm_up(study, ids)
    if facts.conduct.cache != COLD:
        _warm_source(study)
    while not should_stop():
        evidence = gather(study)
        now = rivals(evidence, ids)
        study.keep_decisions(changes(evidence, now), evidence.programme, facts.excerpt)
        keep_noise(study, evidence)
        over = until is not None and time.monotonic() > until
        if not now.ids or now.rounds >= facts.conduct.most_rounds or over:
            break
        number = max((r.round for r in study.runs()), default=0) + 1
        cold = [i for i in now.ids if i in warm]
        todo = [PlannedRun(i, 0, True) for i in cold] + planned_runs(now.ids, [number], 0, facts.seed)
        before = _runs_by_contender(study)
        well &= time_all(study, todo, _saying(watch, evidence, now), should_stop, until)
        warm -= set(cold)
        if should_stop():
            break
        _check(study, checked, should_stop)
        # Who got no run out of a whole round gets none out of the next.
        after = _runs_by_contender(study)
        ids = [i for i in ids if i not in now.ids or after.get(i, 0) > before.get(i, 0)]
    return well


def _check(study: Study, checked: Checked, should_stop: Callable[[], bool]) -> None:
    """Check and score what has not been checked, between runs. What can't be checked now stays a rival."""
    try:
        score_all(study, checked, should_stop)
    except PassingTrouble as trouble:
        checked(ScoringUpdate(str(trouble), 1.0))


def _warm_source(study: Study) -> None:
    """Read what every export reads, once: the first run of the round would pay for it alone."""
    for path, _checksum in files_of(study.programme()):
        if path.exists():
            read_into_cache(path)


def _runs_by_contender(study: Study) -> Counter[int]:
    return Counter(r.contender_id for r in study.runs())


def _saying(watch: Watcher, evidence: Evidence, now: Rivals) -> Watcher:
    """The same watcher, given each time what is still to come."""
    words = rest_words(len(now.open), plan_of(evidence, now))

    def report(update: TimingUpdate) -> None:
        watch(replace(update, rest=words))

    return report
