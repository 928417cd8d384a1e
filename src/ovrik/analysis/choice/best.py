"""Which contender is fastest, and how much any other could still gain: bounds against the best, all together."""

from dataclasses import dataclass

import numpy as np

from ovrik.analysis.choice.entrant import SAME_LOG
from ovrik.analysis.times.bounded import FARTHEST, TOO_FEW, UNSHOWN, ratio_of
from ovrik.analysis.times.critical import alpha_for, dunnett, one_sided, two_sided
from ovrik.analysis.times.joint import Joint
from ovrik.analysis.times.ratio import Ratio, answer


@dataclass(frozen=True, eq=False)
class Best:
    """What is known of the fastest among the contenders that may win.

    Fields: `choice`, its row; `gains`, by row how much faster each could be than the choice at the most, as a share
    (0.014: 1.4 %), NaN for those that may not win; `ratios`, by row the speed of each against the choice with its
    interval, which allows for having chosen by looking, None likewise; `answers` from them, as `answer` gives them.
    """

    choice: int
    gains: np.ndarray
    ratios: tuple[Ratio | None, ...]
    answers: tuple[str, ...]

    @property
    def gain(self) -> float:
        """What any other could still gain, 0 or more."""
        return max(0.0, float(np.nanmax(self.gains, initial=0.0)))


def best_of(
    found: Joint, able: np.ndarray, band: float, looks: int, rank: np.ndarray | None = None
) -> Best | None:
    """The fastest of those that are able, shape (k,) of bool; None when none of them was timed. Among equal times the
    lowest `rank` is chosen, shape (k,): the row, if there is none.

    The bound on a rival's gain is Hsu's constrained comparison with the best (J. C. Hsu, "Multiple Comparisons",
    1996, section 4.1): for choice c and rival j, exp(g + d · e) − 1 with g = ln(T_c / T_j), e its standard error, d
    one-sided for m − 1 comparisons among m able ones; of a rival with `TOO_FEW` runs its own part of e² counts
    `UNSHOWN`² times. It holds whoever was chosen, by looking too. Who is slower, or ties, comes from two-sided
    intervals at the level of all m(m − 1)/2 pairs, which allows for the choice."""
    able = able & (found.counts > 0)
    count = int(able.sum())
    if not count:
        return None
    logs = np.where(able, found.logs, np.inf)
    first = np.flatnonzero(logs <= logs.min() + SAME_LOG)
    choice = int(first[0] if rank is None else first[np.argmin(rank[first])])
    errors, freedoms, alpha = found.errors_to(choice), found.freedoms_to(choice), alpha_for(looks)
    gaps, read = found.logs[choice] - found.logs, found.read + found.read[choice]
    unshown = np.where(found.counts == TOO_FEW, (UNSHOWN**2 - 1) * found.parts, 0.0)
    reach = one_sided(freedoms, count - 1, alpha) * np.sqrt(errors**2 + unshown)
    up = np.minimum(gaps + np.maximum(reach, read), FARTHEST)
    gains = np.where(able, np.expm1(up), np.nan)
    gains[choice] = np.nan
    half = np.maximum(two_sided(freedoms, count * (count - 1) // 2, alpha) * errors, read)
    ratios = [
        _ratio(found, choice, row, half[row]) if able[row] and row != choice else None
        for row in range(len(able))
    ]
    return Best(choice, gains, tuple(ratios), tuple(answer(r, band) for r in ratios))


def still_in(best: Best, band: float) -> np.ndarray:
    """Rows that could still be faster than the choice by more than the band; none when it is decided."""
    with np.errstate(invalid="ignore"):
        return np.asarray(np.flatnonzero(best.gains > band))


def against(found: Joint, base: int, rows: np.ndarray, looks: int) -> dict[int, Ratio]:
    """Speed of each of these rows against a baseline, T_baseline / T, with intervals that hold together.

    Dunnett's where all were timed as often and no spread differs from another by more than chance makes it, as it
    assumes; Bonferroni's where not.
    """
    rows = rows[(found.counts[rows] > 0) & (rows != base)]
    if not len(rows) or not found.counts[base]:
        return {}
    errors, freedoms, alpha = found.errors_to(base)[rows], found.freedoms_to(base)[rows], alpha_for(looks)
    if len(set(found.counts[[base, *rows]])) == 1 and found.noise.alike_all:
        wide = np.full(len(rows), dunnett(len(rows), float(np.floor(freedoms.min())), alpha))
    else:
        wide = two_sided(freedoms, len(rows), alpha)
    half = np.maximum(wide * errors, found.read[rows] + found.read[base])
    return {int(row): _ratio(found, base, int(row), h) for row, h in zip(rows, half, strict=True)}


def pair(found: Joint, base: int, row: int, among: int, looks: int) -> Ratio | None:
    """Any two, at the level at which each of so many pairs could be asked for."""
    if not (found.counts[base] and found.counts[row]):
        return None
    wide = two_sided(found.freedoms_to(base), among, alpha_for(looks))[row] * found.errors_to(base)[row]
    return _ratio(found, base, row, max(float(wide), float(found.read[row] + found.read[base])))


def _ratio(found: Joint, base: int, row: int, half: float) -> Ratio:
    gap = found.gap(base, row)
    return Ratio(float(np.exp(gap)), ratio_of(gap - half), ratio_of(gap + half), found.shared(base, row))
