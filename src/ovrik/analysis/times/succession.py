"""Successive runs of one contender resemble one another: how much, and by how much that widens what is known.

A contender's run and its one before correlate by ρ (a first-order autoregression, AR(1)): it warms up, a cache fills,
a throttle comes and goes slowly. The formulas are those of the mean and the sample variance of such a series: G. E.
P. Box, G. M. Jenkins and G. C. Reinsel, "Time Series Analysis", 4th ed., 2008, section 2.1.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cache

import numpy as np

from ovrik.study.question.conduct import STATED_ALIKE, STATED_PAIRS

MOST = 0.9
_TRIED = np.linspace(0.0, MOST, 46)
"""Correlations that are tried; a negative one, where runs alternate, is taken for none."""
CARE = 0.8
"""Standard errors above what was found that are allowed for."""
LEAST_SQUARES = 1e-6
"""Of deviations in units of their spread: what is less is how numbers are rounded."""
FEWEST = 3
"""Runs of a contender that say something: of two the deviations are opposites, whatever they are."""


@dataclass(frozen=True)
class Likeness:
    """How much successive runs resemble one another. Fields: `correlation` of a run with the one before, 0 to 0.9;
    `pairs` of runs that this is worth."""

    correlation: float
    pairs: float

    def and_also(self, other: "Likeness") -> "Likeness":
        """What both say, weighed by their pairs."""
        pairs = self.pairs + other.pairs
        if not pairs:
            return self
        return Likeness((self.correlation * self.pairs + other.correlation * other.pairs) / pairs, pairs)

    @property
    def careful(self) -> float:
        """The correlation that is allowed for: so many standard errors, √((1 − ρ²) / pairs), above it."""
        error = ((1 - self.correlation**2) / self.pairs) ** 0.5 if self.pairs else 0.0
        return min(self.correlation + CARE * error, MOST)

    def widening(self, runs: int) -> float:
        """Variance of the mean of so many successive runs, over that of as many independent ones."""
        return _widening(runs, round(self.careful, 2))

    def told(self, runs: int) -> "Told":
        """What the scatter of so many successive runs about their mean tells of the variance of one."""
        return _told(runs, round(self.careful, 2))


@dataclass(frozen=True)
class Told:
    """Fields: `share` of the variance of one run that their sample variance shows; `freedom`, its degrees of freedom
    over those of as many independent runs."""

    share: float
    freedom: float


UNKNOWN = Likeness(STATED_ALIKE, STATED_PAIRS)
"""Of a machine of which nothing is known: cautious, and worth little."""
NOTHING = Likeness(0.0, 0.0)


@cache
def _widening(runs: int, correlation: float) -> float:
    apart = np.arange(1, runs)
    return float(1 + 2 * ((1 - apart / max(runs, 1)) * correlation**apart).sum())


@cache
def _told(runs: int, correlation: float) -> Told:
    """With P the covariance of the deviations: tr P / (n − 1), and tr² P / tr P² / (n − 1), after F. E. Satterthwaite
    (Biometrics Bulletin 2, 1946)."""
    if runs < 2:
        return Told(1.0, 1.0)
    means = _row_means(runs, correlation)
    apart = np.arange(1, runs)
    whole = runs * (1 - float(means.mean()))
    # tr P² with P = H C H, H taking the mean off: tr C² − 2 · 1'C²1 / n + (1'C1)² / n².
    square = runs + 2 * float(((runs - apart) * correlation ** (2 * apart)).sum())
    square += runs**2 * float(means.mean()) ** 2 - 2 * runs * float((means**2).sum())
    return Told(whole / (runs - 1), whole**2 / square / (runs - 1))


def _row_means(runs: int, correlation: float) -> np.ndarray:
    """Of the covariance of so many runs of variance 1: its mean along each row, shape (runs,). No matrix is made: a
    study may have thousands of runs of one contender."""
    sums = np.cumsum(float(correlation) ** np.arange(runs))
    return np.asarray((sums + sums[::-1] - 1) / runs)


@cache
def _expected(runs: int) -> tuple[np.ndarray, np.ndarray]:
    """By correlation tried, for so many runs of variance 1: the expected sums of squares of their deviations from
    their mean, and of products of successive deviations."""
    squares, products = np.zeros(len(_TRIED)), np.zeros(len(_TRIED))
    for n, correlation in enumerate(_TRIED):
        means = _row_means(runs, float(correlation))
        middle = float(means.mean())
        squares[n] = runs * (1 - middle)
        products[n] = (runs - 1) * (correlation + middle) - float((means[1:] + means[:-1]).sum())
    return squares, products


def likeness(series: Sequence[np.ndarray]) -> Likeness:
    """What deviations of contenders' runs from their means show, each of shape (runs,), in units of its spread.

    The sum of products of successive deviations, over that of squares, both over all contenders, is set against what
    is expected of it for each correlation: in short series it falls far below the correlation itself (F. H. C.
    Marriott and J. A. Pope, "Bias in the estimation of autocorrelations", Biometrika 41, 1954)."""
    able = [own for own in series if len(own) >= FEWEST]
    squares = float(sum((own**2).sum() for own in able))
    if squares < LEAST_SQUARES:
        return NOTHING
    ratio = float(sum((own[1:] * own[:-1]).sum() for own in able)) / squares
    expected = [_expected(len(own)) for own in able]
    ratios = sum(products for _squares, products in expected) / sum(
        squares for squares, _products in expected
    )
    pairs = sum((len(own) - 2) * _steepness(len(own)) ** 2 for own in able)
    return Likeness(float(np.interp(ratio, ratios, _TRIED)), float(pairs))


@cache
def _steepness(runs: int) -> float:
    """By how much the ratio grows with the correlation, from 0 to `MOST`: in short series it hardly does, so that
    they say little of it; in long ones by as much."""
    squares, products = _expected(runs)
    ratios = products / squares
    return float((ratios[-1] - ratios[0]) / MOST)
