"""How many standard errors wide an interval is when several hold together, and were looked at several times."""

from functools import cache

import numpy as np

from ovrik.analysis.special import gamma_quantile, normal_share, student_quantile
from ovrik.analysis.times.ratio import ALPHA

LOOK_SHARES = {
    1: 1.0,
    2: 0.562,
    3: 0.407,
    4: 0.329,
    5: 0.283,
    6: 0.252,
    8: 0.208,
    10: 0.18,
    12: 0.165,
    16: 0.141,
}
LOOK_SHARES |= {20: 0.125, 30: 0.103, 50: 0.082}
"""By the most rounds after each of which one may stop: the share of the error that each look may spend (S. J. Pocock,
"Group sequential methods in the design and analysis of clinical trials", Biometrika 64, 1977), for a one-sided
error of 5 % / 11 as in a line-up of twelve. Calculated by the recursion of P. Armitage, C. K. McPherson and B. C.
Rowe, "Repeated significance tests on accumulating data", Journal of the Royal Statistical Society A 132, 1969; a
test does it again."""


def look_share(most_looks: int) -> float:
    """Share of the error for each look, when one may stop after any of so many; 1 for a single one or none."""
    known = sorted(LOOK_SHARES)
    at = float(np.clip(most_looks, known[0], known[-1]))
    # Between the table's rows the logarithms lie nearly on a line.
    return float(np.exp(np.interp(np.log(at), np.log(known), [np.log(LOOK_SHARES[k]) for k in known])))


def alpha_for(most_looks: int) -> float:
    """Error of all comparisons together at one look, so that over all looks they err in 5 of 100 studies."""
    return ALPHA * look_share(most_looks)


def one_sided(freedoms: np.ndarray, comparisons: int, alpha: float) -> np.ndarray:
    """Standard errors for so many bounds on one side together: Student's t at 1 − α / m, each with its own degrees of
    freedom (Bonferroni's inequality)."""
    return np.asarray(student_quantile(freedoms, 1 - alpha / max(comparisons, 1)))


def two_sided(freedoms: np.ndarray, comparisons: int, alpha: float) -> np.ndarray:
    """The same for intervals: t at 1 − α / 2m."""
    return np.asarray(student_quantile(freedoms, 1 - alpha / (2 * max(comparisons, 1))))


@cache
def dunnett(comparisons: int, freedom: float, alpha: float) -> float:
    """Standard errors for intervals of so many contenders against one baseline together, all timed as often and
    equally spread, so that any two comparisons correlate by ½.

    C. W. Dunnett, "A multiple comparison procedure for comparing several treatments with a control", Journal of the
    American Statistical Association 50, 1955: the d with P(max |T| ≤ d) = 1 − α, by quadrature over the baseline's
    error and over the spread.
    """
    low = float(student_quantile(freedom, 1 - alpha / 2))
    high = float(student_quantile(freedom, 1 - alpha / (2 * comparisons)))
    for _step in range(18):
        middle = (low + high) / 2
        low, high = (middle, high) if _all_within(middle, comparisons, freedom) < 1 - alpha else (low, middle)
    return high


_SHARES = (np.arange(100) + 0.5) / 100


@cache
def _quadrature() -> tuple[np.ndarray, np.ndarray]:
    """Points and weights of Gauss and Hermite for a standard normal variable."""
    from numpy.polynomial.hermite_e import hermegauss  # a package of its own, which few verdicts need

    at, weight = hermegauss(48)
    return at, weight / weight.sum()


def _all_within(reach: float, comparisons: int, freedom: float) -> float:
    # The spread's distribution in 100 slices of equal chance; within each, the baseline's error by Gauss-Hermite.
    scale = np.sqrt(2 * gamma_quantile(freedom / 2, _SHARES) / freedom)[:, None]
    at, weight = _quadrature()
    shared, edge = at[None, :], reach * scale * np.sqrt(2)
    within = (normal_share(edge + shared) - normal_share(-edge + shared)) ** comparisons
    return float((within @ weight).mean())
