"""How much successive runs resemble one another: against series of known correlation, and sums done plainly."""

import numpy as np
import pytest
from scipy import linalg, signal

from ovrik.analysis.times import succession
from ovrik.analysis.times.joint import Times, joint
from ovrik.analysis.times.succession import NOTHING, UNKNOWN, Likeness, likeness
from quiet_machine import QUIET


def series(random: np.random.Generator, correlation: float, shape: tuple[int, int]) -> np.ndarray:
    """Rows of unit variance in which each value resembles the one before, after a long time."""
    noise = random.normal(0, np.sqrt(1 - correlation**2), (shape[0], shape[1] + 60))
    return np.asarray(signal.lfilter([1.0], [1.0, -correlation], noise, axis=1))[:, 60:]


@pytest.mark.parametrize("runs", [1, 2, 5, 20])
@pytest.mark.parametrize("correlation", [0.0, 0.3, 0.7])
def test_widening_is_that_of_the_mean_of_such_a_series(runs: int, correlation: float) -> None:
    """By the sum of its covariance matrix, and by its trace."""
    cover = linalg.toeplitz(correlation ** np.arange(runs))
    of = Likeness(correlation, 1e12)
    assert of.widening(runs) == pytest.approx(cover.sum() / runs)
    if runs > 1:
        centred = np.eye(runs) - 1 / runs
        own = linalg.eigvalsh(centred @ cover @ centred)
        assert of.told(runs).share == pytest.approx(own.sum() / (runs - 1))
        assert of.told(runs).freedom == pytest.approx(own.sum() ** 2 / (own**2).sum() / (runs - 1))


@pytest.mark.parametrize("runs", [3, 4, 8, 30])
@pytest.mark.parametrize("correlation", [0.0, 0.4, 0.7])
def test_a_correlation_is_found_in_short_series_too(runs: int, correlation: float) -> None:
    drawn = series(np.random.default_rng([runs, round(10 * correlation)]), correlation, (6000 // runs, runs))
    drawn -= drawn.mean(axis=1, keepdims=True)
    found = likeness(list(drawn))
    assert found.correlation == pytest.approx(correlation, abs=0.12)
    assert 0 < found.pairs < len(drawn) * (runs - 2)


def test_short_series_say_little_of_it_and_what_is_not_sure_is_allowed_for() -> None:
    short, long = (likeness([np.arange(n) % 3 - 1.0] * (120 // n)).pairs for n in (3, 30))
    assert short < 3 < 60 < long
    vague, sure = Likeness(0.3, 4), Likeness(0.3, 400)
    assert 0.3 < sure.careful < 0.35 < 0.6 < vague.careful < 0.75
    assert Likeness(0.89, 1).careful == 0.9


def test_two_runs_say_nothing_of_it() -> None:
    assert likeness([np.array([0.1, -0.1])] * 50) == NOTHING
    assert UNKNOWN.and_also(NOTHING) == UNKNOWN
    assert NOTHING.and_also(NOTHING) == NOTHING


def test_what_was_known_and_what_is_seen_are_weighed_by_their_pairs() -> None:
    found = Likeness(0.5, 8).and_also(Likeness(0.1, 24))
    assert (found.correlation, found.pairs) == (pytest.approx(0.2), 32)


def test_alike_runs_are_worth_fewer() -> None:
    """Over many studies the gap between two scatters by the error that is stated, where runs resemble one another."""
    random, gaps, errors = np.random.default_rng(5), [], []
    for _ in range(300):
        logs = 0.03 * series(random, 0.6, (8, 8))
        found = joint([Times(tuple(range(8)), tuple(np.exp(row))) for row in logs])
        gaps.append(found.gap(0, 1))
        errors.append(found.errors_to(0)[1])
    assert 0.8 < np.mean(errors) / np.std(gaps) < 1.35
    blind = joint([Times(tuple(range(8)), tuple(np.exp(row))) for row in logs], QUIET)
    assert blind.errors_to(0)[1] < 0.75 * np.mean(errors)


@pytest.mark.parametrize("runs", [2, 3, 7, 40])
def test_what_is_expected_is_that_of_the_whole_covariance(runs: int) -> None:
    """The covariance written out as a matrix, the mean taken off on both sides."""
    places, off = np.arange(runs), np.eye(runs) - 1 / runs
    squares, products = succession._expected(runs)
    for n, correlation in enumerate(succession._TRIED):
        left = off @ np.power(float(correlation), np.abs(places[:, None] - places)) @ off
        assert squares[n] == pytest.approx(np.trace(left))
        assert products[n] == pytest.approx(np.trace(left, offset=1), abs=1e-9)
        told = succession._told(runs, float(correlation))
        assert told.share == pytest.approx(np.trace(left) / (runs - 1))
        assert told.freedom == pytest.approx(np.trace(left) ** 2 / np.trace(left @ left) / (runs - 1))
