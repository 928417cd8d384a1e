"""Cross-correlation against a loop, and against scipy's."""

import numpy as np
import pytest
from scipy import signal

from ovrik.analysis.signals.correlated import correlated


@pytest.mark.parametrize(("n", "m"), [(1, 1), (7, 7), (30, 12), (12, 31)])
def test_products_at_every_lag_are_those_of_a_loop(n: int, m: int) -> None:
    draw = np.random.default_rng(n + m)
    ours, theirs = draw.normal(0, 1, (n, 5)), draw.normal(0, 1, (m, 5))
    wanted = [sum(ours[k + lag] @ theirs[k] for k in range(m) if 0 <= k + lag < n) for lag in range(1 - m, n)]
    assert correlated(ours, theirs).tolist() == pytest.approx(wanted, abs=1e-9)


def test_of_one_column_it_is_scipys() -> None:
    draw = np.random.default_rng(1)
    a, b = draw.normal(0, 1, 900), draw.normal(0, 1, 700)
    assert np.allclose(correlated(a[:, None], b[:, None]), signal.correlate(a, b), atol=1e-9)


def test_nothing_with_something_is_nothing() -> None:
    assert correlated(np.zeros((0, 3)), np.ones((4, 3))).shape == (0,)
