"""Rounds until what is asked is decided, and no more: the choice, or every comparison with the baseline."""

import time
from collections import Counter
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace

from ovrik.analysis.time_words import seconds_words
from ovrik.export.order import planned_runs
from ovrik.store.study import Study
from ovrik.study.conduct import CHOICE
from ovrik.work.deciding import Checked, time_until_chosen
from ovrik.work.evidence import Evidence, gather
from ovrik.work.noise import assume_noise, keep_noise
from ovrik.work.summary import Summary
from ovrik.work.timing import TimingUpdate, Watcher, time_all


@dataclass(frozen=True)
class Open:
    """What is still to be decided. Fields: `ids` of contenders whose comparison is open; `rounds` counted so far of
    the one that has fewest; `rounds_left` at most."""

    ids: tuple[int, ...]
    rounds: int
    rounds_left: int


def hopeless(s: Summary) -> bool:
    """Whether a contender can no longer win: shown to be slower than the baseline, or not acceptable."""
    return s.answer == "slower" or s.acceptable is False


def still_open(evidence: Evidence, ids: Sequence[int], most_rounds: int, drop_hopeless: bool) -> Open:
    """The comparisons that are not decided yet."""
    chosen = [s for s in evidence.summaries if s.contender.id in ids and s.answer != "baseline"]
    fewest = min((s.rounds for s in chosen), default=most_rounds)
    out = [
        s.contender.id
        for s in chosen
        if (not s.times or s.answer == "unsure")
        and s.rounds < most_rounds
        and not _failed(s)
        and not (drop_hopeless and s.times and hopeless(s))
    ]
    return Open(tuple(out), fewest, max(0, most_rounds - fewest) if out else 0)


def _failed(s: Summary) -> bool:
    return bool(s.runs) and s.runs[-1].state == "failed"


def time_until_decided(
    study: Study,
    ids: Sequence[int],
    watch: Watcher = lambda _m: None,
    should_stop: Callable[[], bool] = lambda: False,
    checked: Checked = lambda _m: None,
) -> bool:
    """Add rounds until what the study's conduct asks is decided, or one of its limits is reached. True when all runs
    ended well."""
    if study.facts().conduct.decides == CHOICE:
        return time_until_chosen(study, ids, watch, should_stop, checked)
    return _time_until_compared(study, ids, watch, should_stop)


def _time_until_compared(
    study: Study, ids: Sequence[int], watch: Watcher, should_stop: Callable[[], bool]
) -> bool:
    """Add rounds of what is still open, with the baseline."""
    assume_noise(study)
    facts, well, first = study.facts(), True, True
    base, limit = facts.baseline_id or 0, facts.conduct.most_minutes
    until = time.monotonic() + 60 * limit if limit else None
    ids = list(ids)
    while not should_stop():
        if until is not None and time.monotonic() > until:
            break
        evidence = gather(study)
        left = still_open(evidence, ids, facts.conduct.most_rounds, facts.conduct.drop_hopeless)
        if not left.ids:
            break
        before = _runs_by_contender(study)
        active = [i for i in ids if i in left.ids or i == base]
        number = max((r.round for r in study.runs()), default=0) + 1
        todo = planned_runs(active, [number], facts.warmup if first else 0, facts.seed)
        said = _with_answer(watch, left, evidence, active)
        well &= time_all(study, todo, said, should_stop, until)
        first = False
        # Who got no run out of a whole round gets none out of the next: the baseline is not timed for its sake.
        after = _runs_by_contender(study)
        ids = [i for i in ids if i == base or i not in left.ids or after.get(i, 0) > before.get(i, 0)]
    keep_noise(study, gather(study))
    return well


def _runs_by_contender(study: Study) -> Counter[int]:
    return Counter(r.contender_id for r in study.runs())


def _with_answer(watch: Watcher, left: Open, evidence: Evidence, active: Sequence[int]) -> Watcher:
    """The same watcher, given each time how much may still come."""
    usual = [s.usual_s for s in evidence.summaries if s.contender.id in active and s.usual_s]
    most = sum(usual) * left.rounds_left if usual else None
    words = (
        f"{len(left.ids)} comparison{'s' * (len(left.ids) > 1)} open, at most {left.rounds_left} more rounds"
    )
    words += f" ({seconds_words(most)})" if most else ""

    def report(update: TimingUpdate) -> None:
        watch(replace(update, rest=words))

    return report
