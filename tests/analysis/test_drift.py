"""Drifts are found with their size, and none where there is none."""

import numpy as np
import pytest

from ovrik.analysis.times.drift import trend


def test_a_drift_is_found_with_its_size_and_none_where_there_is_none() -> None:
    random = np.random.default_rng(2)
    places = np.tile(np.arange(8.0), 3)
    groups = np.repeat([1, 2, 3], 8)
    flat = np.exp(random.normal(0, 0.01, 24) + groups)
    assert not trend(flat, groups, places).clear  # type: ignore[union-attr]
    rising = trend(flat * np.exp(0.1 * places / 7), groups, places)
    assert rising is not None
    assert rising.clear
    assert rising.low < np.expm1(0.1) < rising.high
    from scipy.stats import linregress

    alone = trend(np.exp(0.01 * places[:8] + random.normal(0, 0.01, 8)), [1] * 8, places[:8])
    assert alone is not None
    assert trend([1.0, 2.0], [1, 1], [0, 1]) is None
    logs = random.normal(0, 0.01, 8)
    theirs = linregress(places[:8], logs)
    ours = trend(np.exp(logs), [1] * 8, places[:8])
    assert ours is not None
    assert np.log1p(ours.change) / 7 == pytest.approx(theirs.slope, abs=1e-9)
