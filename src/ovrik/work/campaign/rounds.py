"""Rounds: so many of them, or until what is asked is decided, in one loop."""

import contextlib
import time
from collections import Counter
from collections.abc import Callable, Sequence
from dataclasses import replace

from ovrik.errors import Ask, OvrikError, PassingTrouble, Stopped
from ovrik.export.run.order import PlannedRun, planned_runs
from ovrik.store.records.looks import Looks
from ovrik.store.records.run import RunState
from ovrik.store.study import Study
from ovrik.study.facts.origin import Origin
from ovrik.work.answers.rivals import Rest
from ovrik.work.campaign.asking import Asking, asking
from ovrik.work.checking.scoring import ScoringUpdate, score_all
from ovrik.work.evidence.counted_times import next_round
from ovrik.work.evidence.earlier import keep_times
from ovrik.work.evidence.gathered import belongs, counted, gather
from ovrik.work.evidence.noise import assume_noise, keep_noise
from ovrik.work.timing.beginning import Part
from ovrik.work.timing.schedule import further, remaining
from ovrik.work.timing.series import time_all
from ovrik.work.timing.update import TimingUpdate, Watcher

FIXED_JOB = "Trying how evenly a short fixed job runs on this machine"
CheckedRounds = Callable[[ScoringUpdate], None]


def time_line_up(
    study: Study,
    ids: Sequence[int],
    rounds: int,
    watch: Watcher = lambda _m: None,
    should_stop: Ask = lambda: False,
    checked: CheckedRounds = lambda _m: None,
    every: bool = False,
    more: bool = False,
    check: bool = True,
) -> bool:
    """Time these contenders as the study's conduct asks: until it is decided, else until each has so many rounds, or,
    with `more`, so many rounds more; on the present excerpt or on `every` kind of footage that is kept by name. Where
    so many rounds are asked for, outputs are checked after the first one unless `check` is False. True when all runs
    ended well."""
    views = [study.on(kind) for kind in study.kinds()] if every else [study]
    try:
        if study.facts().conduct.until_decided:
            return until_decided(study, ids, asking(study, every), watch, should_stop, checked)
        for view in views:
            _note_rounds(view, rounds, more)
        todo = further(study, ids, rounds, len(views)) if more else remaining(study, ids, rounds, views)
        return _in_rounds(study, todo, watch, should_stop, checked if check else None, views)
    finally:
        _remember(views)


def _remember(views: Sequence[Study]) -> None:
    """Keep what later studies on this machine begin with. A study that can't be read any more has said so already."""
    with contextlib.suppress(OvrikError):
        for view in views:
            evidence = gather(view)
            keep_noise(view, evidence)
            keep_times(view, evidence)


def _in_rounds(
    study: Study,
    todo: list[PlannedRun],
    watch: Watcher,
    should_stop: Ask,
    checked: CheckedRounds | None,
    views: Sequence[Study],
) -> bool:
    """Make these runs; outputs are checked when there is one of each, so that it is known early what is acceptable.
    A run that failed is not made again in the rounds after it."""
    opening = min((t.round for t in todo if not t.warmup), default=0)
    first = [t for t in todo if t.warmup or t.round == opening]
    later = todo[len(first) :]
    if not later or checked is None:
        return time_all(study, todo, watch, should_stop, kinds=views)
    said = 0

    def counting(update: TimingUpdate) -> None:
        nonlocal said
        said = update.number
        watch(update)

    before = len(study.runs())
    well = time_all(study, first, counting, should_stop, kinds=views, part=Part(later=later))
    if should_stop():
        return False
    _check(views, checked, should_stop)
    failed = {
        (run.contender_id, kind)
        for run in study.runs()[before:]
        for kind, view in enumerate(views)
        if run.state == RunState.FAILED and belongs(run, view.facts(), view.programme())
    }
    left = [t for t in later if (t.contender_id, t.kind) not in failed]
    return time_all(study, left, watch, should_stop, kinds=views, part=Part(before=said)) and well


def _note_rounds(view: Study, rounds: int, more: bool) -> None:
    """Rounds that are added by somebody who can see what there is are one look more at it."""
    programme, excerpt = view.programme(), view.facts().excerpt
    known = view.looks(programme.checksum, excerpt)
    seen = [r for r in counted(view) if r.driven]
    asked = known.rounds or view.facts().rounds
    wanted = next_round(seen, Origin.DRIVEN) - 1 + rounds if more else rounds
    added = bool(seen) and (more or rounds > asked)
    view.keep_looks(Looks(taken=known.taken + added, rounds=wanted), programme, excerpt)


def until_decided(
    study: Study,
    ids: Sequence[int],
    ask: Asking,
    watch: Watcher = lambda _m: None,
    should_stop: Ask = lambda: False,
    checked: CheckedRounds = lambda _m: None,
) -> bool:
    """Add rounds for as long as `ask` names somebody to be timed, and no longer than a limit of the study's conduct
    allows. True when all runs ended well."""
    try:
        assume_noise(study, should_stop, lambda: checked(ScoringUpdate(FIXED_JOB, 0.0)))
    except Stopped:
        return False
    facts, well, ids = study.facts(), True, list(ids)
    limit = facts.conduct.most_minutes
    until = time.monotonic() + 60 * limit if limit else None
    for view in ask.views:
        view.keep_looks(Looks(most=facts.conduct.most_rounds), view.programme(), view.facts().excerpt)
    cold, made = ask.warm_up(ids), 0
    while not should_stop():
        now = ask.next(ids, made)
        if not now.ids or (until is not None and time.monotonic() > until):
            break
        before = _runs_by_contender(study)
        todo = [*_warming(cold, now.ids, ask), *_round(study, now.ids, ask)]
        well &= time_all(study, todo, _saying(watch, now.rest), should_stop, until, ask.views)
        cold, made = {i: n for i, n in cold.items() if i not in now.ids}, made + 1
        if should_stop():
            break
        if ask.checks:
            _check(ask.views, checked, should_stop)
        # Who got no run out of a whole round gets none out of the next: nobody else is timed for its sake.
        after = _runs_by_contender(study)
        ids = [i for i in ids if i not in now.open or after.get(i, 0) > before.get(i, 0)]
    return well


def _warming(cold: dict[int, int], ids: Sequence[int], ask: Asking) -> list[PlannedRun]:
    most = max(cold.values(), default=0)
    some = [i for turn in range(most) for i in ids if cold.get(i, 0) > turn]
    return [PlannedRun(i, 0, True, kind) for i in some for kind in range(len(ask.views))]


def _round(study: Study, ids: Sequence[int], ask: Asking) -> list[PlannedRun]:
    number = next_round(study.runs(), Origin.DRIVEN)
    return planned_runs(ids, [number], 0, study.facts().seed, kinds=len(ask.views))


def _check(views: Sequence[Study], checked: CheckedRounds, should_stop: Ask) -> None:
    """Check and score what has not been checked, between runs. What can't be checked now stays a rival."""
    for view in views:
        try:
            score_all(view, checked, should_stop)
        except PassingTrouble as trouble:
            checked(ScoringUpdate(str(trouble), 1.0))


def _runs_by_contender(study: Study) -> Counter[int]:
    return Counter(r.contender_id for r in study.runs())


def _saying(watch: Watcher, rest: Rest | None) -> Watcher:
    """The same watcher, given each time what is still to come."""

    def report(update: TimingUpdate) -> None:
        watch(replace(update, rest=rest))

    return report
