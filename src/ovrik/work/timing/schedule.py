"""Which runs are still to be made."""

from collections.abc import Sequence

from ovrik.export.run.order import PlannedRun, planned_runs
from ovrik.store.study import Study
from ovrik.study.facts.origin import Origin
from ovrik.work.evidence.counted_times import next_round
from ovrik.work.evidence.gathered import counted


def remaining(
    study: Study, contenders: Sequence[int], rounds: int, kinds: Sequence[Study] = ()
) -> list[PlannedRun]:
    """Runs still missing so that each contender has `rounds` counted ones, with warm-up, on every one of several
    kinds of footage."""
    facts = study.facts()
    done = {
        (r.contender_id, r.round, k)
        for k, one in enumerate(kinds or [study])
        for r in counted(one)
        if r.driven
    }
    return planned_runs(
        contenders, range(1, rounds + 1), facts.warmup, facts.seed, frozenset(done), max(len(kinds), 1)
    )


def further(study: Study, contenders: Sequence[int], rounds: int, kinds: int = 1) -> list[PlannedRun]:
    """Runs for `rounds` more rounds, numbered after all that were driven, with warm-up."""
    facts, first = study.facts(), next_round(study.runs(), Origin.DRIVEN)
    return planned_runs(contenders, range(first, first + rounds), facts.warmup, facts.seed, kinds=kinds)
