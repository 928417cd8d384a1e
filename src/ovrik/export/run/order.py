"""The order of runs: warm-up first, then rounds, each shuffled anew."""

import random
from collections.abc import Iterable, Sequence
from dataclasses import dataclass


@dataclass(frozen=True)
class PlannedRun:
    """One run to be made. Fields: `contender_id`; `round`, from 1, or 0 for a warm-up;
    `warmup`; `kind`, which of several kinds of footage it exports, from 0."""

    contender_id: int
    round: int
    warmup: bool
    kind: int = 0


def planned_runs(
    contenders: Sequence[int],
    rounds: Iterable[int],
    warmup: int,
    seed: int,
    done: frozenset[tuple[int, int, int]] = frozenset(),
    kinds: int = 1,
) -> list[PlannedRun]:
    """All runs still to be made, in order: in each round every contender on every one of so many kinds of footage,
    all of it shuffled together.

    `done` holds (contender, round, kind) of what needs no further run. A contender with nothing left
    gets no warm-up either. The same seed gives the same order.
    """
    counted: list[PlannedRun] = []
    for number in rounds:
        shuffled = [(c, kind) for c in contenders for kind in range(kinds)]
        random.Random(f"{seed}/{number}").shuffle(shuffled)
        counted += [PlannedRun(c, number, False, k) for c, k in shuffled if (c, number, k) not in done]
    pending = {(t.contender_id, t.kind) for t in counted}
    warm = [
        PlannedRun(c, 0, True, k)
        for _ in range(warmup)
        for c in contenders
        for k in range(kinds)
        if (c, k) in pending
    ]
    return warm + counted
