"""Times of two sittings against one another, with what a machine does from day to day allowed for."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from ovrik.analysis.times.bounded import ratio_of
from ovrik.analysis.times.critical import two_sided
from ovrik.analysis.times.ratio import ALPHA, Ratio, t_quantile

NORMAL_95 = 1.959964
STATED_FREEDOM = 3.0
LEAST_SHIFT = 0.002


@dataclass(frozen=True)
class Shift:
    """By how much all of a sitting lies above or below another day's, with nothing changed.

    Fields: `spread`, a standard deviation of log times of one sitting; `freedom`, degrees of freedom that repeated
    sittings gave it, 0 where it is only stated."""

    spread: float
    freedom: float = 0.0

    @property
    def reach(self) -> float:
        """How far apart, in log times, two sittings are in 95 of 100 cases with nothing changed: t · √2 · spread. The
        stated spread is taken as it stands (t = 1.96); one that repeats had a say in has their degrees of freedom."""
        wide = t_quantile(STATED_FREEDOM + self.freedom) if self.freedom else NORMAL_95
        return wide * 2**0.5 * self.spread


STATED = Shift(0.03)
"""Stated, not measured: a warmer room, another state of memory and disk, a service that runs now and then."""


@dataclass(frozen=True)
class Held:
    """A contender's usual time in one sitting. Fields: `log` of it; `variance` of that, within the sitting;
    `freedom`, its degrees of freedom; `read`, how far it may be off for the way it was read; `runs`, and the share of
    them that was `disturbed`."""

    log: float
    variance: float
    freedom: float
    read: float
    runs: int
    disturbed: float = 0.0


MOSTLY = 0.5
"""Share of disturbed runs from which a sitting says nothing of what changed: what slowed one slowed all."""


@dataclass(frozen=True)
class DayChange:
    """Fields: `ratio`, T_then / T_now, with the interval that allows for runs and days; `runs_reach`, half the
    interval that runs alone give, in log times; `days_reach`, likewise for days; `disturbed`, whether half of
    either's runs were; `answer`: "faster" or "slower", it changed by more than days do; "tie", it did not, and runs
    say so as surely as days let them; "unsure", runs are too few or too unlike to say."""

    ratio: Ratio
    runs_reach: float
    days_reach: float
    answer: str
    disturbed: bool = False


def change(then: Held, now: Held, shift: Shift, among: int, band: float) -> DayChange:
    """From one sitting to another. g = ln(T_then / T_now); runs: h = t(1 − α / 2m, f) · √(v_then + v_now) for `among`
    m contenders together, with Satterthwaite's f; days: d = t · √2 · spread. One shift moves all m contenders of a
    sitting alike, so that the two parts are added, not their squares: as independent errors they would hold for each
    contender, but in 90 to 94 of 100 cases only for all of them. Interval: exp(g ± (h + d)). The same, while that
    holds 1, if h ≤ d + ln(1 + band). Nothing is said where half of either's runs were disturbed."""
    gap, variance = then.log - now.log, then.variance + now.variance
    parts = then.variance**2 / max(then.freedom, 1e-9) + now.variance**2 / max(now.freedom, 1e-9)
    freedom = variance**2 / parts if parts > 0 else then.freedom + now.freedom
    wide = float(two_sided(np.array([max(freedom, 1.0)]), among, ALPHA)[0])
    runs = max(wide * variance**0.5, then.read + now.read)
    half = runs + shift.reach
    ratio = Ratio(float(np.exp(gap)), ratio_of(gap - half), ratio_of(gap + half), min(then.runs, now.runs))
    if max(then.disturbed, now.disturbed) >= MOSTLY:
        return DayChange(ratio, runs, shift.reach, "unsure", disturbed=True)
    if abs(gap) > half:
        return DayChange(ratio, runs, shift.reach, "faster" if gap > 0 else "slower")
    sure = runs <= shift.reach + float(np.log1p(band))
    return DayChange(ratio, runs, shift.reach, "tie" if sure else "unsure")


@dataclass(frozen=True, eq=False)
class Repeats:
    """Contenders that nothing happened to in several sittings. Fields: `logs` of their usual times and `variances`
    of those within each sitting, each of shape (contenders, sittings), at least two sittings."""

    logs: np.ndarray
    variances: np.ndarray


def shift_of(repeats: Sequence[Repeats], stated: Shift = STATED) -> Shift:
    """What repeated sittings say of the shift, weighed with the stated one by degrees of freedom.

    Of each set of k sittings: the variance of the log usual times between them, less what the runs' own spread makes
    of it, averaged over contenders. As a shift moves all contenders alike, the set has k − 1 degrees of freedom
    however many contenders there are."""
    total, freedom = STATED_FREEDOM * stated.spread**2, 0.0
    for one in repeats:
        between = one.logs.var(axis=1, ddof=1) - one.variances.mean(axis=1)
        own = one.logs.shape[1] - 1
        total += own * max(float(between.mean()), 0.0)
        freedom += own
    if not freedom:
        return stated
    return Shift(max((total / (STATED_FREEDOM + freedom)) ** 0.5, LEAST_SHIFT), freedom)
