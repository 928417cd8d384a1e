"""A blind comparison's statistics, against SciPy and against people who only guess."""

import itertools

import numpy as np
import pytest
from scipy.stats import binomtest

from ovrik.analysis.scores.blind import NEITHER, ONE, OPEN, OTHER, RISK, needed, power, told


@pytest.mark.parametrize("most", [6, 12, 20, 40])
def test_who_only_guesses_is_seldom_called_a_seer(most: int) -> None:
    draw = np.random.default_rng(most)
    called = 0
    for _ in range(4000):
        answers: list[bool] = []
        while told(answers, most).answer == OPEN:
            answers.append(bool(draw.random() < 0.5))
        called += told(answers, most).answer != NEITHER
    assert called / 4000 < RISK + 3 * np.sqrt(RISK / 4000)


def test_who_sees_it_is_found_out_early() -> None:
    draw = np.random.default_rng(3)
    found, trials = 0, []
    for _ in range(500):
        answers: list[bool] = []
        while told(answers).answer == OPEN:
            answers.append(bool(draw.random() < 0.9))
        found += told(answers).answer == ONE
        trials.append(len(answers))
    assert found / 500 > 0.9
    assert np.median(trials) < 14


@pytest.mark.parametrize(("right", "trials"), [(0, 1), (11, 20), (7, 7), (3, 20), (20, 20)])
def test_the_interval_is_scipys(right: int, trials: int) -> None:
    answers = [True] * right + [False] * (trials - right)
    found, wanted = told(answers), binomtest(right, trials).proportion_ci(0.95, "exact")
    assert (found.low, found.high) == pytest.approx((wanted.low, wanted.high), abs=1e-12)
    assert (found.chose_one, found.trials) == (right, trials)


def test_it_ends_as_soon_as_it_can_not_be_told() -> None:
    """Eleven of twenty is no sight; and with answers that balance it is over before the twentieth."""
    assert told([True] * 11 + [False] * 9).answer == NEITHER
    answers: list[bool] = []
    while told(answers).answer == OPEN:
        answers.append(len(answers) % 2 == 0)
    assert len(answers) < 20
    assert told([False] * 7).answer == OTHER
    assert told([]).answer == OPEN
    with pytest.raises(ValueError, match="more answers"):
        told([True] * 21)


def test_the_bound_never_falls_and_asks_for_more_than_half() -> None:
    for most in (6, 20, 33):
        bounds = needed(most)
        assert list(bounds) == sorted(bounds)
        assert all(2 * b > n for n, b in enumerate(bounds, 1))


@pytest.mark.parametrize("most", [6, 12, 25])
def test_every_trial_asks_for_the_same_certainty(most: int) -> None:
    """Whenever it is called, SciPy's two-sided p-value is below one and the same level; one answer fewer is not."""
    reached, missed = [], []
    for trials, bound in enumerate(needed(most), 1):
        if bound <= trials:
            reached.append(binomtest(bound, trials).pvalue)
        if 2 * (bound - 1) > trials:
            missed.append(binomtest(bound - 1, trials).pvalue)
    assert len(needed(most)) == most
    assert max(reached) < min(missed)
    assert max(reached) <= RISK


@pytest.mark.parametrize("most", [5, 8, 11])
def test_the_bounds_are_those_of_a_search_through_every_sequence(most: int) -> None:
    """By SciPy's p-values: the highest level at which all the sequences that guesses make are called in so few."""
    every = np.array(list(itertools.product([0, 1], repeat=most)))
    chosen, trials = every.cumsum(axis=1), np.arange(1, most + 1)
    p = [[binomtest(k, n).pvalue if 2 * k > n else 1.0 for k in range(n + 1)] for n in trials]
    best: tuple[int, ...] = tuple(n + 1 for n in trials)
    for level in sorted({x for row in p for x in row if x <= RISK}):
        bounds = tuple(next((k for k, x in enumerate(row) if x <= level), len(row)) for row in p)
        called = (chosen >= bounds) | (trials - chosen >= bounds)
        if called.any(axis=1).mean() <= RISK:
            best = bounds
    assert needed(most) == best


@pytest.mark.parametrize(("most", "share"), [(20, 0.75), (40, 0.75), (12, 0.9), (60, 0.6)])
def test_how_often_a_viewer_is_found_agrees_with_viewers_who_are_drawn(most: int, share: float) -> None:
    draw, found = np.random.default_rng(most), 0
    for _viewer in range(1500):
        answers: list[bool] = []
        while told(answers, most).answer == OPEN:
            answers.append(bool(draw.random() < share))
        found += told(answers, most).answer == ONE
    assert found / 1500 == pytest.approx(power(most, share), abs=0.04)


def test_more_trials_find_more_and_a_guesser_is_found_no_more_than_is_said() -> None:
    assert power(20, 0.75) < power(40, 0.75) < power(60, 0.75)
    for most in (6, 20, 40, 60):
        assert 2 * power(most, 0.5) <= RISK + 1e-12
