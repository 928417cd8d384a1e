"""Over several kinds of footage: weighted geometric means, with bounds that hold."""

import numpy as np
import pytest

from ovrik.analysis.choice.best import best_of, pair
from ovrik.analysis.choice.over_all import over_all
from ovrik.analysis.times.joint import Joint, Times, joint
from quiet_machine import QUIET

ROUNDS = tuple(range(5))


def fit(seconds: np.ndarray) -> Joint:
    """Every contender in every round; shape (contenders, rounds)."""
    return joint([Times(ROUNDS, tuple(row)) for row in seconds], QUIET)


def simulated(random: np.random.Generator, means: np.ndarray, spread: float) -> Joint:
    return fit(means[:, None] * np.exp(random.normal(0, 0.02, 5) + random.normal(0, spread, (len(means), 5))))


CALM, SPORT = np.array([2.0, 3.0, 4.0]), np.array([9.0, 5.0, 8.0])
ROWS = [[0, 1, 2], [0, 1, 2]]


def test_it_is_the_weighted_geometric_mean() -> None:
    one, other = (simulated(np.random.default_rng(n), m, 0.01) for n, m in ((1, CALM), (2, SPORT)))
    found = over_all([one, other], ROWS, [3.0, 1.0])
    by_hand = np.exp(0.75 * one.logs + 0.25 * other.logs)
    np.testing.assert_allclose(np.exp(found.logs), by_hand)
    # A ratio over all is the same mean of the ratios on each.
    ratio = pair(found, 0, 1, 1, 0)
    assert ratio is not None
    each = [np.exp(f.logs[0] - f.logs[1]) for f in (one, other)]
    assert ratio.value == pytest.approx(each[0] ** 0.75 * each[1] ** 0.25)
    np.testing.assert_allclose(
        found.errors_to(0)[1] ** 2, 0.75**2 * one.errors_to(0)[1] ** 2 + 0.25**2 * other.errors_to(0)[1] ** 2
    )


def test_the_choice_over_all_may_be_none_of_the_winners() -> None:
    """Third on either, and yet the best on both together."""
    quiet = np.random.default_rng(3)
    one, other = (
        simulated(quiet, np.array([1.0, 10.0, 1.5]), 0.001),
        simulated(quiet, np.array([10.0, 1.0, 1.5]), 0.001),
    )
    best = best_of(over_all([one, other], ROWS, [1.0, 1.0]), np.ones(3, bool), 0.02, 0)
    assert best is not None
    assert best.choice == 2
    assert best.gain == 0.0


def test_a_weight_of_nothing_leaves_it_out_and_rows_may_lie_elsewhere() -> None:
    one, other = (simulated(np.random.default_rng(n), m, 0.01) for n, m in ((1, CALM), (2, SPORT)))
    alone = over_all([one, other], ROWS, [0.0, 2.0])
    np.testing.assert_allclose(alone.logs, other.logs)
    np.testing.assert_allclose(alone.errors_to(0), other.errors_to(0))
    np.testing.assert_allclose(alone.freedoms_to(0), other.freedoms_to(0), rtol=1e-6)
    turned = over_all([one, other], [[0, 1, 2], [2, 1, 0]], [1.0, 1.0])
    np.testing.assert_allclose(turned.logs, (one.logs + other.logs[::-1]) / 2)
    with pytest.raises(ValueError, match="counts"):
        over_all([one, other], ROWS, [0.0, 0.0])


def test_whoever_lacks_a_time_on_one_has_none_over_all() -> None:
    one = fit(np.outer(CALM, np.ones(5)))
    other = joint([Times(ROUNDS, (9.0,) * 5), Times((), ()), Times(ROUNDS, (8.0,) * 5)], QUIET)
    found = over_all([one, other], ROWS, [1.0, 1.0])
    assert np.isnan(found.logs[1])
    assert found.counts.tolist() == [10, 0, 10]


def test_the_bound_over_all_holds() -> None:
    """In at least 95 of 100 studies no rival is faster than the choice by more than the bound says."""
    random, held = np.random.default_rng(11), 0
    for _study in range(300):
        means = [np.exp(random.normal(1, 0.03, 5)) for _kind in range(3)]
        weights = random.uniform(0.2, 3.0, 3)
        share = weights / weights.sum()
        fits = [simulated(random, m, 0.03) for m in means]
        best = best_of(over_all(fits, [list(range(5))] * 3, list(weights)), np.ones(5, bool), 0.02, 0)
        assert best is not None
        truth = sum(w * np.log(m) for w, m in zip(share, means, strict=True))
        held += float(np.expm1(truth[best.choice] - truth).max()) <= best.gain + 1e-12
    assert held >= 285


@pytest.mark.parametrize("rounds", [1, 2, 5])
def test_over_one_kind_it_is_that_kind(rounds: int) -> None:
    one = joint([Times(ROUNDS[:rounds], tuple(row[:rounds])) for row in np.outer(CALM, np.ones(5))], QUIET)
    found = over_all([one], [[0, 1, 2]], [2.0])
    assert found.logs == pytest.approx(one.logs)
    assert found.cover == pytest.approx(one.cover)
    assert found.noise.variances == pytest.approx(one.noise.variances)
    assert found.noise.freedoms == pytest.approx(one.noise.freedoms)
    assert (found.seen == one.seen).all()
