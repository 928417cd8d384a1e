"""The order of runs: warm-up first, then rounds, each shuffled anew."""

import random
from collections.abc import Iterable, Sequence
from dataclasses import dataclass


@dataclass(frozen=True)
class PlannedRun:
    """One run to be made. Fields: `contender`, its number; `round`, from 1, or 0 for a warm-up;
    `warmup`."""

    contender: int
    round: int
    warmup: bool


def planned_runs(
    contenders: Sequence[int],
    rounds: Iterable[int],
    warmup: int,
    seed: int,
    done: frozenset[tuple[int, int]] = frozenset(),
) -> list[PlannedRun]:
    """All runs still to be made, in order.

    `done` holds (contender, round) pairs that need no further run. A contender with nothing left
    gets no warm-up either. The same seed gives the same order.
    """
    counted: list[PlannedRun] = []
    for number in rounds:
        shuffled = list(contenders)
        random.Random(f"{seed}/{number}").shuffle(shuffled)
        counted += [PlannedRun(c, number, False) for c in shuffled if (c, number) not in done]
    pending = {t.contender for t in counted}
    warm = [PlannedRun(c, 0, True) for _ in range(warmup) for c in contenders if c in pending]
    return warm + counted
