"""Pooling agrees with SciPy and with the definition."""

import numpy as np
import pytest
from scipy import stats

from ovrik.analysis.scores.pooling import pooled, under


def test_percentiles_agree_with_scipy() -> None:
    scores = np.random.default_rng(1).normal(90, 4, 137)
    ours = pooled(scores, 25)
    assert ours.mean == pytest.approx(float(np.mean(scores)))
    assert ours.p5 == pytest.approx(float(stats.scoreatpercentile(scores, 5)))
    assert ours.p1 == pytest.approx(float(stats.mstats.mquantiles(scores, 0.01, alphap=1, betap=1)[0]))


def test_worst_second_is_the_lowest_of_all_segments() -> None:
    scores = np.full(100, 95.0)
    scores[40:52] = 60
    ours = pooled(scores, 24.97)
    assert ours.worst_second == pytest.approx(min(scores[i : i + 25].mean() for i in range(76)))
    assert 40 <= ours.worst_frame < 52
    assert ours.worst_second < ours.mean


def test_shorter_than_a_second() -> None:
    ours = pooled([80.0, 90.0], 25)
    assert ours.worst_second == 85
    assert ours.worst_frame == 0


@pytest.mark.parametrize("scores", [[], [float("nan")], [[90.0, 91.0], [92.0, 93.0]]])
def test_nothing_can_not_be_pooled(scores: list[float]) -> None:
    with pytest.raises(ValueError):
        pooled(scores, 25)


def test_frames_that_were_not_scored_are_left_out() -> None:
    """Every third of 100 frames is scored: a second of 25 holds eight of them."""
    every = np.full(100, np.nan)
    some = np.arange(0, 100, 3)
    every[some] = np.random.default_rng(4).normal(90, 4, len(some))
    ours, alone = pooled(every, 25), pooled(every[some], 8)
    assert (ours.mean, ours.p5, ours.p1) == (alone.mean, alone.p5, alone.p1)
    assert ours.worst_second == pytest.approx(min(every[some][i : i + 8].mean() for i in range(27)))
    assert ours.worst_frame == int(np.nanargmin(every))


def test_the_harmonic_mean_is_scipys_and_a_zero_does_not_undo_it() -> None:
    scores = np.random.default_rng(2).uniform(40, 99, 80)
    assert pooled(scores, 25).harmonic == pytest.approx(stats.hmean(scores + 1) - 1)
    assert pooled(scores, 25).harmonic < scores.mean()
    assert pooled([0.0] + 9 * [90.0], 25).harmonic == pytest.approx(10 / (1 + 9 / 91) - 1)
    assert pooled([70.0, 70.0], 25).harmonic == pytest.approx(70)


def test_frames_under_a_floor() -> None:
    assert under([84.9, 85, 85.1, 90], 85) == 0.25
    assert under([], 85) == 0


def test_frames_without_a_finite_score() -> None:
    """Equal frames have a PSNR of infinity: the numbers that they have no part in are those of the others."""
    scores = [float("inf")] * 30 + [40.0] * 10 + [50.0] * 60
    found = pooled(scores, 10.0)
    assert found.worst_second == 40.0
    assert (found.p5, found.p1) == (40.0, 40.0)
    assert found.mean == float("inf")
    every = pooled([float("inf")] * 20, 5.0)
    assert every.worst_second == every.p5 == every.p1 == float("inf")


def test_percentiles_are_those_of_numpy() -> None:
    values = np.random.default_rng(5).normal(90, 4, 137)
    found = pooled(values, 25.0)
    np.testing.assert_allclose([found.p5, found.p1], np.percentile(values, [5, 1]))


def test_the_example_of_the_method_for_percentiles() -> None:
    """Of 10, 20, 30, 40 and 50 the 5th percentile lies 0.05 · 4 = 0.2 of the way from the first to the second."""
    found = pooled([50.0, 20.0, 10.0, 40.0, 30.0], 2.0)
    assert (found.p5, found.p1) == (pytest.approx(12.0), pytest.approx(10.4))
    assert found.worst_second == 15.0
