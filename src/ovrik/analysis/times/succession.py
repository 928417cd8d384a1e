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

    def widening(self, runs: int) -> float:
        """Variance of the mean of so many successive runs, over that of as many independent ones."""
        return _widening(runs, round(self.correlation, 2))

    def told(self, runs: int) -> float:
        """What their sample variance shows of the variance of one run, as a share: (n − f) / (n − 1) with f the
        widening."""
        return (runs - self.widening(runs)) / (runs - 1) if runs > 1 else 1.0


UNKNOWN = Likeness(STATED_ALIKE, STATED_PAIRS)
"""Of a machine of which nothing is known: cautious, and worth little."""
NOTHING = Likeness(0.0, 0.0)


@cache
def _widening(runs: int, correlation: float) -> float:
    apart = np.arange(1, runs)
    return float(1 + 2 * ((1 - apart / max(runs, 1)) * correlation**apart).sum())


@cache
def _expected(runs: int) -> tuple[np.ndarray, np.ndarray]:
    """By correlation tried, for so many runs of variance 1: the expected sums of squares of their deviations from
    their mean, and of products of successive deviations."""
    squares, products = np.zeros(len(_TRIED)), np.zeros(len(_TRIED))
    places = np.arange(runs)
    for n, correlation in enumerate(_TRIED):
        cover = correlation ** np.abs(places[:, None] - places[None, :])
        rows = cover.mean(axis=0)
        left = cover - rows[None, :] - rows[:, None] + rows.mean()
        squares[n], products[n] = np.trace(left), np.trace(left, offset=1)
    return squares, products


def likeness(series: Sequence[np.ndarray]) -> Likeness:
    """What deviations of contenders' runs from their means show, each of shape (runs,), in units of its spread.

    The sum of products of successive deviations, over that of squares, both over all contenders, is set against what
    is expected of it for each correlation: in short series it falls far below the correlation itself (F. H. C.
    Marriott and J. A. Pope, "Bias in the estimation of autocorrelations", Biometrika 41, 1954)."""
    able = [own for own in series if len(own) >= FEWEST]
    squares = float(sum((own**2).sum() for own in able))
    if squares <= 0:
        return NOTHING
    ratio = float(sum((own[1:] * own[:-1]).sum() for own in able)) / squares
    expected = [_expected(len(own)) for own in able]
    ratios = sum(products for _squares, products in expected) / sum(
        squares for squares, _products in expected
    )
    return Likeness(float(np.interp(ratio, ratios, _TRIED)), float(sum(len(own) - 2 for own in able)))
