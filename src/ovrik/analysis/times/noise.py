"""The spread of one run of each contender: its own, moderated by what the others and earlier runs show."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from ovrik.analysis.special import digamma, tetragamma, trigamma
from ovrik.study.question.conduct import STATED_NOISE

LEAST_SPREAD = 0.001
"""No two runs on a computer are more alike than this, as a standard deviation of log times."""
ALIKE, ALIKE_WEIGHT = 6.0, 4.0
"""How alike contenders' variances are taken to be at first, in degrees of freedom, and as how many contenders that
counts against those of the line-up."""
MOST_ALIKE = 60.0


@dataclass(frozen=True)
class Prior:
    """What is held of the noise before the study's own runs are looked at.

    Fields: `spread` of one run, a standard deviation of log times; `freedom`, how many degrees of freedom that is
    worth; `runs`, of how many earlier runs on this machine it was taken, 0 where it is only stated.
    """

    spread: float = STATED_NOISE
    freedom: float = 3.0
    runs: int = 0


STATED = Prior()
"""Cautious: on a quiet workstation runs mostly spread by 1 to 3 %; and so few degrees of freedom that a spread three
times as wide does not mislead."""


@dataclass(frozen=True, eq=False)
class Noise:
    """Fields: `variances` of one log time of each contender, shape (k,); `freedoms` that they have, shape (k,);
    `common`, the variance of all together; `alike`, how many degrees of freedom the others lend to each;
    `alike_all`, whether they differ by no more than chance makes them; `total`, all there are, which no comparison
    of two can exceed."""

    variances: np.ndarray
    freedoms: np.ndarray
    common: float
    alike: float
    alike_all: bool
    total: float


def moderated(squares: np.ndarray, freedoms: np.ndarray, prior: Prior) -> Noise:
    """Variances from sums of squared deviations, shape (k,), with their degrees of freedom, shape (k,).

    Each contender's own variance and the common one are weighed by their degrees of freedom, where the common one
    counts as much as the variances are alike: G. K. Smyth, "Linear models and empirical Bayes methods for assessing
    differential expression", Statistical Applications in Genetics and Molecular Biology 3 (1), 2004, equations for
    d0 and s0 by the moments of log variances. The prior enters as one more estimate of the common variance, and
    `ALIKE` as some more contenders.
    """
    total = float(freedoms.sum())
    able = freedoms >= 0.5
    own = np.maximum(squares[able] / freedoms[able], LEAST_SPREAD**2)
    apart = _apart(own, freedoms[able])
    alike = _alike(apart, len(own))
    common = (prior.freedom * prior.spread**2 + float(squares.sum())) / (prior.freedom + total)
    variances = np.maximum((alike * common + squares) / (alike + freedoms), LEAST_SPREAD**2)
    most = prior.freedom + total
    return Noise(
        variances=variances,
        freedoms=np.minimum(alike + freedoms, most),
        common=common,
        alike=alike,
        alike_all=apart <= 0,
        total=most,
    )


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


def pooled_prior(spreads: Sequence[float], freedoms: Sequence[float]) -> Prior | None:
    """What earlier runs on this machine say: the pooled spread of contenders timed more than once. It is worth no
    more than the stated one: another film or encoder is noisy in another way. None with too few."""
    total = sum(freedoms)
    if total < 10:
        return None
    pooled = sum(f * s * s for s, f in zip(spreads, freedoms, strict=True)) / total
    return Prior(max(float(np.sqrt(pooled)), LEAST_SPREAD), STATED.freedom, round(total))
