"""What comes first, timed and ranked by itself: which intermediate renders fastest, how fast each build analyses."""

import random
from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass

import numpy as np

from ovrik.analysis.times.bounded import ratio_of
from ovrik.analysis.times.critical import two_sided
from ovrik.errors import Ask, OvrikError, Stopped
from ovrik.export.run.progress import Progress
from ovrik.machine.workstation.session import kept_awake
from ovrik.store.records.made import PreparationKind
from ovrik.store.schema.file import nothing_timed
from ovrik.store.study import Study
from ovrik.study.contender.contender import Contender
from ovrik.study.programme.unchanged import check_unchanged
from ovrik.work.evidence.first import ComesFirst
from ovrik.work.evidence.gathered import Evidence
from ovrik.work.lineup.able import checked_able, judge_for
from ovrik.work.prepare.export_plan import Plan
from ovrik.work.prepare.fingerprint import fingerprint
from ovrik.work.prepare.preparing import plan_for, prepare
from ovrik.work.timing.series import builds_for

Say = Callable[[str, Progress | None], None]


@dataclass(frozen=True)
class FirstRanked:
    """Something that comes first. Fields: `step`; `labels` of the contenders that need it; `seconds`, its usual time,
    with `low` and `high` (95 %), None where it was not timed."""

    step: ComesFirst
    labels: tuple[str, ...]
    seconds: float | None = None
    low: float | None = None
    high: float | None = None


def time_first(
    study: Study, contenders: Sequence[Contender], times: int, say: Say, should_stop: Ask = lambda: False
) -> list[str]:
    """Make all that comes first of these until each was timed so often: once a round, in an order shuffled anew. What
    is made again is thrown away, and no export is made. Gives why some could not be. Raises OvrikError, also
    while something else is timed on this machine, Stopped."""
    facts, programme = study.facts(), study.programme()
    check_unchanged(programme)
    builds = builds_for(contenders)
    judge = judge_for(programme, facts.excerpt, contenders, builds)
    able = [e.contender for e in checked_able(contenders, judge) if not e.reason and not e.contender.outside]
    plans = _distinct(plan_for(study, c, builds[c.build], programme, facts.excerpt) for c in able)
    if not plans:
        raise OvrikError("Nothing comes first here", "Add a contender that begins from an intermediate")
    with nothing_timed(), kept_awake("What comes first is timed"):
        return _made(study, plans, times, say, should_stop)


def _made(study: Study, plans: Sequence[Plan], times: int, say: Say, should_stop: Ask) -> list[str]:
    machine, failed = fingerprint(study).to_json(), dict[str, str]()
    for done in range(1, times + 1):
        for plan in random.sample(plans, len(plans)):
            label = plan.contender.label
            if label in failed:
                continue
            problem = prepare(study, plan, machine, say, should_stop, done)
            if problem == "stopped":
                raise Stopped
            if problem:
                failed[label] = f"{label}: {problem}"
    return list(failed.values())


def _distinct(plans: Iterable[Plan]) -> list[Plan]:
    """One for each set of things that come first."""
    found: dict[tuple[str, ...], Plan] = {}
    for plan in plans:
        if keys := tuple(step.key for step in plan.first()):
            found.setdefault(keys, plan)
    return list(found.values())


def ranked_first(e: Evidence) -> list[FirstRanked]:
    """All that comes first of any contender, the quickest of each kind first."""
    labels: dict[str, tuple[ComesFirst, list[str]]] = {}
    for s in e.summaries:
        for step in s.first:
            labels.setdefault(step.key, (step, []))[1].append(s.contender.label)
    found = [_ranked(step, tuple(names), e) for step, names in labels.values()]
    order = list(PreparationKind)
    return sorted(found, key=lambda f: (order.index(f.step.kind), f.seconds or np.inf))


def _ranked(step: ComesFirst, labels: tuple[str, ...], e: Evidence) -> FirstRanked:
    if not step.times:
        return FirstRanked(step, labels)
    made = step.step(e.times.found)
    half = float(two_sided(np.array([made.freedoms]), 1, 0.05)[0]) * made.variance**0.5
    low, high = (made.seconds * ratio_of(end) for end in (-half, half))
    return FirstRanked(step, labels, made.seconds, low, high)
