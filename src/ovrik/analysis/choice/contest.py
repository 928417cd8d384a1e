"""Who is timed in the next round: whoever can still win, and the baseline as often as its own statement needs."""

from dataclasses import dataclass

import numpy as np

from ovrik.analysis.choice.best import Best, against, best_of, still_in
from ovrik.analysis.times.joint import Joint
from ovrik.analysis.times.ratio import answer


@dataclass(frozen=True, eq=False)
class Contest:
    """Fields: `best` of those timed, None without any; `rivals`, rows that could still be faster than the choice by
    more than the band, or have no time yet; `timed`, rows of the next round, empty when it is decided."""

    best: Best | None
    rivals: tuple[int, ...]
    timed: tuple[int, ...]


def contest(
    found: Joint, able: np.ndarray, base: int | None, band: float, looks: int, rank: np.ndarray | None = None
) -> Contest:
    """`able`, shape (k,) of bool: rows that are acceptable, or may be; `base`, the baseline's row; `rank`, who comes
    first of equal times, as for the verdict.

    A rival that was left out comes back when what was learned since makes it one again: the bound is asked anew for
    all of them after every round.
    """
    untimed = np.flatnonzero(able & (found.counts == 0))
    best = best_of(found, able, band, looks, rank)
    rivals = sorted({*map(int, untimed), *(map(int, still_in(best, band)) if best else ())})
    if not rivals:
        return Contest(best, (), ())
    timed = {*rivals, *([best.choice] if best else [])}
    if base is not None and _baseline_open(found, able, base, best, band, looks):
        timed.add(base)
    return Contest(best, tuple(rivals), tuple(sorted(timed)))


def _baseline_open(
    found: Joint, able: np.ndarray, base: int, best: Best | None, band: float, looks: int
) -> bool:
    """Whether it can't be told yet what the choice gains over the baseline."""
    if best is None or not found.counts[base]:
        return True
    if best.choice == base:
        return False
    return answer(against(found, base, np.flatnonzero(able), looks).get(best.choice), band) == "unsure"
