"""All times at once: against means, against SciPy, and against a general least-squares solver."""

import numpy as np
import pytest
from scipy import linalg, special, stats

from ovrik.analysis.times.joint import ROUND_EFFECT, Joint, Times, joint
from ovrik.analysis.times.noise import (
    ALIKE,
    ALIKE_WEIGHT,
    STATED,
    Prior,
    moderated,
    pooled_prior,
    trigamma_inverse,
)


def made(table: np.ndarray, prior: Prior = STATED) -> Joint:
    """Log times of shape (contenders, rounds); NaN where a contender was not timed."""
    out = []
    for row in table:
        seen = np.flatnonzero(~np.isnan(row))
        out.append(Times(tuple(int(n) + 1 for n in seen), tuple(np.exp(row[seen]))))
    return joint(out, prior)


def test_complete_rounds_give_geometric_means_and_paired_ratios() -> None:
    random = np.random.default_rng(1)
    logs = random.normal(0, 0.1, 5) + random.normal(2, 0.02, (4, 5)) + np.arange(4)[:, None]
    found = made(logs)
    assert found.logs == pytest.approx(logs.mean(axis=1), abs=2e-3)
    for n in range(1, 4):
        assert found.gap(0, n) == pytest.approx((logs[0] - logs[n]).mean(), abs=1e-9)
        assert np.exp(found.logs[0]) / np.exp(found.logs[n]) == pytest.approx(np.exp(found.gap(0, n)))


def test_incomplete_rounds_agree_with_a_general_solver() -> None:
    """Weighted least squares with the rounds as rows of their own, solved by SciPy as one big system."""
    random = np.random.default_rng(2)
    table = random.normal(0, 0.03, 6) + random.normal(1, 0.02, (5, 6)) + np.arange(5)[:, None] / 5
    table[3, 2:], table[4, 1:], table[1, 4:] = np.nan, np.nan, np.nan
    found = made(table)
    rows = [(i, r) for i in range(5) for r in range(6) if not np.isnan(table[i, r])]
    design = np.zeros((len(rows) + 6, 11))
    aim = np.zeros(len(rows) + 6)
    for n, (i, r) in enumerate(rows):
        weight = 1 / np.sqrt(found.noise.variances[i])
        design[n, i] = design[n, 5 + r] = weight
        aim[n] = weight * table[i, r]
    for r in range(6):
        design[len(rows) + r, 5 + r] = 1 / ROUND_EFFECT
    theirs = linalg.lstsq(design, aim)[0]
    cover = linalg.inv(design.T @ design)[:5, :5]
    assert found.logs == pytest.approx(theirs[:5], abs=1e-8)
    assert found.cover == pytest.approx(cover, abs=1e-10)
    for one in range(5):
        gap = np.zeros(5)
        gap[one] += 1
        gap[2] -= 1
        assert found.errors_to(2)[one] == pytest.approx(np.sqrt(max(gap @ cover @ gap, 0)), abs=1e-8)


def test_what_a_round_does_to_all_counts_for_nothing() -> None:
    random = np.random.default_rng(3)
    quiet = random.normal(1, 0.02, (3, 4))
    loud = quiet + np.array([0.0, 0.5, -0.3, 0.2])
    assert made(loud).gap(0, 2) == pytest.approx(made(quiet).gap(0, 2), abs=1e-4)
    assert made(loud).errors_to(0)[1] == pytest.approx(made(quiet).errors_to(0)[1], rel=0.1)


def test_shared_rounds_are_counted() -> None:
    table = np.log([[1.0, 1.0, np.nan], [2.0, np.nan, 2.0], [np.nan] * 3])
    found = made(table)
    assert (found.shared(0, 1), found.shared(0, 0), found.counts.tolist()) == (1, 2, [2, 2, 0])
    assert np.isnan(found.logs).tolist() == [False, False, True]


def test_times_that_can_not_be_are_refused() -> None:
    with pytest.raises(ValueError, match="positive"):
        joint([Times((1,), (0.0,))])


def test_moderated_variances_are_smyths() -> None:
    """d0 from the moments of log variances, by SciPy's own polygamma; then the weighed mean of own and common."""
    random = np.random.default_rng(5)
    freedoms = np.full(40, 4.0)
    squares = random.gamma(2, 2, 40) * random.gamma(3, 1 / 3, 40) * 0.0004
    own = squares / 4
    logs = np.log(own) - special.digamma(2.0) + np.log(2.0)
    apart = logs.var(ddof=1) * 40 - 40 * special.polygamma(1, 2.0)
    start = ALIKE_WEIGHT * special.polygamma(1, ALIKE / 2)
    d0 = 2 * trigamma_inverse(float((apart + start) / (40 + ALIKE_WEIGHT)))
    found = moderated(squares, freedoms, Prior(0.02, 1e-9))
    assert found.alike == pytest.approx(d0)
    assert found.common == pytest.approx(squares.sum() / 160)
    assert found.variances == pytest.approx((d0 * found.common + squares) / (d0 + 4))
    assert found.freedoms == pytest.approx(np.minimum(d0 + 4, 160))


@pytest.mark.parametrize("x", [0.01, 0.5, 1.0, 3.7, 250.0])
def test_the_inverse_of_the_trigamma_function(x: float) -> None:
    assert trigamma_inverse(float(special.polygamma(1, x))) == pytest.approx(x, rel=1e-6)


def test_an_erratic_contender_keeps_its_own_spread() -> None:
    random = np.random.default_rng(6)
    logs = random.normal(0, 0.01, (12, 8))
    logs[5] += random.normal(0, 0.3, 8)
    found = made(logs).noise
    assert np.sqrt(found.variances[5]) > 0.15
    assert np.sqrt(np.delete(found.variances, 5)).max() < 0.1
    assert not found.alike_all


def test_the_prior_holds_at_first_and_is_soon_outweighed() -> None:
    random = np.random.default_rng(7)
    spread = []
    for rounds in (1, 2, 12):
        logs = random.normal(0, 0.01, (6, rounds))
        spread.append(float(np.sqrt(made(logs, Prior(0.09, 3.0)).noise.common)))
    assert spread[0] == pytest.approx(0.09)
    assert spread[0] > spread[1] > spread[2]
    assert spread[2] < 0.025


def test_errors_are_as_large_as_the_scatter_of_estimates() -> None:
    """Over many studies the gaps scatter by their standard error, in rounds that are not complete too."""
    random, gaps, errors = np.random.default_rng(8), [], []
    for _ in range(500):
        table = random.normal(0, 0.03, 5) + random.normal(0, 0.02, (4, 5))
        table[3, 2:] = np.nan
        found = made(table, Prior(0.02, 200.0))
        gaps.append([found.gap(0, n) for n in (1, 3)])
        errors.append(found.errors_to(0)[[1, 3]])
    scatter = np.std(gaps, axis=0)
    assert scatter == pytest.approx(np.mean(errors, axis=0), rel=0.1)


def test_intervals_cover_the_truth_as_often_as_students_say() -> None:
    """Two contenders and a prior that weighs nothing are a paired t test."""
    random = np.random.default_rng(9)
    logs = random.normal(0, 0.05, 7) + random.normal(0, 0.02, (2, 7))
    found = made(logs, Prior(0.02, 1e-9))
    theirs = stats.ttest_rel(logs[0], logs[1])
    assert found.gap(0, 1) / found.errors_to(0)[1] == pytest.approx(theirs.statistic, rel=0.02)


def test_earlier_studies_on_the_machine_make_the_prior() -> None:
    assert pooled_prior([0.02], [9]) is None
    found = pooled_prior([0.02, 0.04], [30, 10])
    assert found is not None
    assert found.spread == pytest.approx(np.sqrt((30 * 0.02**2 + 10 * 0.04**2) / 40))
    assert (found.freedom, found.runs) == (Prior().freedom, 40)


def test_times_that_never_vary_leave_no_noise_however_many_rounds_are_missing() -> None:
    """What is known of noise is then what was assumed, spread over all degrees of freedom (Smyth 2004)."""
    table = np.repeat([[0.0], [0.5], [1.0], [1.1]], 12, axis=1)
    table[1, 3:], table[2, :7], table[3, 1:] = np.nan, np.nan, np.nan
    found = made(table)
    assert found.noise.common * found.noise.total == pytest.approx(STATED.freedom * STATED.spread**2)
    assert found.logs == pytest.approx([0.0, 0.5, 1.0, 1.1], abs=1e-9)


def test_how_far_a_reading_may_be_off_is_half_its_step() -> None:
    """A time that is read to ±0.5 s, in logs; whether it was read once or twice, it is the same clock."""
    found = joint(
        [
            Times((1,), (10.0,), 0.5),
            Times((1, 2), (20.0, 20.0), 0.5),
            Times((1, 2), (5.0, 5.0)),
            Times((), ()),
        ]
    )
    assert found.read == pytest.approx([0.05, 0.025, 0.0, 0.0])
