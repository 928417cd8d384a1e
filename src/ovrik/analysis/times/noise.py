"""The spread of one run of each contender: its own, moderated by what the others and earlier runs show."""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import reduce

import numpy as np

from ovrik.analysis.special import digamma, gamma_quantile, tetragamma, trigamma
from ovrik.analysis.times.succession import UNKNOWN, Likeness
from ovrik.study.question.conduct import STATED_NOISE

LEAST_SPREAD = 0.001
"""No two runs on a computer are more alike than this, as a standard deviation of log times."""
ALIKE, ALIKE_WEIGHT = 6.0, 4.0
"""How alike contenders' variances are taken to be at first, in degrees of freedom, and as how many contenders that
counts against those of the line-up."""
MOST_ALIKE = 60.0
UNSEEN, BY_RUN = 5.0, 4.0
"""Whoever has shown little of its own spread may be an erratic one: the degrees of freedom that others lend to it at
the most, and by how much more with each of its own."""


@dataclass(frozen=True)
class Prior:
    """What is held of the noise before the study's own runs are looked at.

    Fields: `spread` of one run, a standard deviation of log times; `freedom`, how many degrees of freedom that is
    worth; `runs`, of how many earlier runs on this machine it was taken, 0 where it is only stated; `alike`, how much
    successive runs of one contender resemble one another; `fades`, whether it counts for less the more runs there
    are.
    """

    spread: float = STATED_NOISE
    freedom: float = 3.0
    runs: int = 0
    alike: Likeness = UNKNOWN
    fades: bool = False

    def freedom_beside(self, own: float) -> float:
        """What it is worth beside so many degrees of freedom of the study's own runs."""
        return self.freedom / (1 + own) if self.fades else self.freedom


STATED = Prior(fades=True)
"""Where nothing is known of a machine: wide, until its own runs say what it is like."""
KNOWN_FREEDOM = 3.0
"""What earlier runs are worth: another film or encoder is noisy in another way."""


@dataclass(frozen=True, eq=False)
class Noise:
    """Fields: `variances` of one log time of each contender, shape (k,); `freedoms` that they have, shape (k,);
    `common`, the variance of all together; `alike`, how many degrees of freedom the others lend to each;
    `alike_all`, whether they differ by no more than chance makes them; `total`, all there are, which no comparison
    of two can exceed; `shown`, the variance that their own runs alone show together, and `shown_freedom` of it."""

    variances: np.ndarray
    freedoms: np.ndarray
    common: float
    alike: float
    alike_all: bool
    total: float
    shown: float
    shown_freedom: float


def moderated(squares: np.ndarray, freedoms: np.ndarray, prior: Prior) -> Noise:
    """Variances from sums of squared deviations, shape (k,), with their degrees of freedom, shape (k,).

    Each contender's own variance and the common one are weighed by their degrees of freedom, where the common one
    counts as much as the variances are alike: G. K. Smyth, "Linear models and empirical Bayes methods for assessing
    differential expression", Statistical Applications in Genetics and Molecular Biology 3 (1), 2004, equations for
    d0 and s0 by the moments of log variances. The prior enters as one more estimate of the common variance, and
    `ALIKE` as some more contenders.
    """
    total = float(freedoms.sum())
    able = freedoms >= 0.25
    own = np.maximum(squares[able] / freedoms[able], LEAST_SPREAD**2)
    apart = _apart(own, freedoms[able])
    alike = _alike(apart, len(own))
    common, usual = _common(squares, freedoms, prior)
    # Whoever spreads more than chance would make it is not like the others: its own runs speak of it.
    over = np.maximum(squares / np.maximum(freedoms, 1e-9) / (usual * common), 1.0)
    lent = alike / over**ALONE
    variances = np.maximum((lent * common + squares) / (lent + freedoms), LEAST_SPREAD**2)
    most = prior.freedom_beside(total) + total
    return Noise(
        variances=variances,
        freedoms=np.minimum(np.minimum(lent, UNSEEN + BY_RUN * freedoms) + freedoms, most),
        common=common,
        alike=alike,
        alike_all=apart <= 0,
        total=most,
        shown=float(squares.sum()) / total if total > 0 else 0.0,
        shown_freedom=total,
    )


UNUSUAL, ALONE = 0.95, 3
"""Of equal spreads, the share that lie under the bound from which one counts as unusual; and the power of how far it
is beyond that by which it is lent less."""


def _common(squares: np.ndarray, freedoms: np.ndarray, prior: Prior) -> tuple[float, np.ndarray]:
    """The variance that contenders have in common, and the multiples of it from which an own one counts as unusual,
    shape (k,). What exceeds that is cut back to it before all are pooled, so that one that is erratic does not speak
    for the others: P. J. Huber's winsorised deviations ("Robust Statistics", 1981, section 7)."""
    able = np.maximum(freedoms, 0.1)
    bound = 2 * gamma_quantile(able / 2, UNUSUAL) / able
    own = float(freedoms.sum())
    common = _with_prior(float(squares.sum()), own, prior)
    for _again in range(6):
        common = _with_prior(float(np.minimum(squares, bound * common * freedoms).sum()), own, prior)
    return common, bound


def _with_prior(squares: float, own: float, prior: Prior) -> float:
    """One variance out of a sum of squares with so many degrees of freedom and what is held beforehand.

    What earlier runs showed is pooled with it. Of what is only stated nothing but the order of magnitude is meant:
    logs of both are weighed, that of the runs without its bias, ψ(d/2) − ln(d/2)."""
    weight = prior.freedom_beside(own)
    if not prior.fades:
        return (weight * prior.spread**2 + squares) / (weight + own)
    if own < LEAST_OWN:
        return prior.spread**2
    shown = np.log(max(squares / own, LEAST_SPREAD**2)) + np.log(own / 2) - float(digamma(own / 2))
    return float(np.exp((weight * 2 * np.log(prior.spread) + own * shown) / (weight + own)))


LEAST_OWN = 0.25
"""Degrees of freedom from which a study's own runs have a say."""


def _apart(own: np.ndarray, freedoms: np.ndarray) -> float:
    """By how much more the logs of variances differ than chance alone makes them: the sum that Smyth's d0 rests
    on."""
    if len(own) < 2:
        return 0.0
    logs = np.log(own) - digamma(freedoms / 2) + np.log(freedoms / 2)
    off = (logs - logs.mean()) ** 2 * len(own) / (len(own) - 1) - trigamma(freedoms / 2)
    return float(off.sum())


def _alike(apart: float, contenders: int) -> float:
    """Smyth's d0, from that sum and from `ALIKE` as some more contenders."""
    left = (apart + ALIKE_WEIGHT * float(trigamma(ALIKE / 2))) / (contenders + ALIKE_WEIGHT)
    return 2 * trigamma_inverse(left) if left > float(trigamma(MOST_ALIKE / 2)) else MOST_ALIKE


def trigamma_inverse(value: float) -> float:
    """x with ψ′(x) = value, by Newton's method on 1 / ψ′ as in the appendix of Smyth 2004."""
    x = 0.5 + 1 / value
    for _step in range(50):
        tri = float(trigamma(x))
        step = tri * (1 - tri / value) / float(tetragamma(x))
        x += step
        if -step / x < 1e-8:
            break
    return x


def lent_to(found: Noise, squares: float, freedom: float) -> tuple[float, float]:
    """The variance of one more series on the same machine, from its sum of squared deviations with so many degrees of
    freedom and from what the others lend to it, as `moderated` has it; and its degrees of freedom."""
    variance = max((found.alike * found.common + squares) / (found.alike + freedom), LEAST_SPREAD**2)
    return variance, min(min(found.alike, UNSEEN + BY_RUN * freedom) + freedom, found.total)


MOST_PAIRS = 60.0
"""What earlier runs are worth at the most of how alike they are, in pairs of runs."""


@dataclass(frozen=True)
class Shown:
    """What one study's runs showed. Fields: `spread` of one run, a standard deviation of log times; `freedom`,
    degrees of freedom that it rests on; `alike`, how much runs resembled those before them."""

    spread: float
    freedom: float
    alike: Likeness


def pooled_prior(found: Sequence[Shown]) -> Prior | None:
    """What earlier studies on this machine say: the pooled spread of contenders timed more than once, and how alike
    successive runs were. It is worth little: another film or encoder is noisy in another way. None with too few."""
    total = sum(one.freedom for one in found)
    if total < 10:
        return None
    pooled = sum(one.freedom * one.spread**2 for one in found) / total
    alike = reduce(Likeness.and_also, (one.alike for one in found), UNKNOWN)
    alike = replace(alike, pairs=min(alike.pairs, MOST_PAIRS))
    return Prior(max(float(np.sqrt(pooled)), LEAST_SPREAD), KNOWN_FREEDOM, round(total), alike)
