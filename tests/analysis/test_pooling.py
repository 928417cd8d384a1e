"""Pooling agrees with SciPy and with the definition."""

import numpy as np
import pytest
from scipy import stats

from ovrik.analysis.pooling import pooled, under


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


def test_nothing_can_not_be_pooled() -> None:
    with pytest.raises(ValueError):
        pooled([], 25)


def test_the_harmonic_mean_is_scipys_and_a_zero_does_not_undo_it() -> None:
    scores = np.random.default_rng(2).uniform(40, 99, 80)
    assert pooled(scores, 25).harmonic == pytest.approx(stats.hmean(scores + 1) - 1)
    assert pooled(scores, 25).harmonic < scores.mean()
    assert pooled([0.0] + 9 * [90.0], 25).harmonic == pytest.approx(10 / (1 + 9 / 91) - 1)
    assert pooled([70.0, 70.0], 25).harmonic == pytest.approx(70)


def test_frames_under_a_floor() -> None:
    assert under([84.9, 85, 85.1, 90], 85) == 0.25
    assert under([], 85) == 0
