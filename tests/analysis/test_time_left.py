"""Time left: medians of what each took, with a spread that grows as the root of the runs."""

import pytest

from ovrik.analysis.times.time_left import UNKNOWN_SPREAD, time_left


def test_nothing_is_said_while_nothing_is_known() -> None:
    assert time_left({}, [1, 2]) is None
    assert time_left({1: []}, [1], 1, 0.0) is None


def test_each_takes_its_median_and_an_unknown_one_the_mean() -> None:
    took = {1: [10.0, 11.0, 30.0], 2: [20.0, 20.0]}
    found = time_left(took, [1, 2, 3])
    assert found is not None
    assert found.seconds == pytest.approx(11 + 20 + 15.5)


def test_the_run_in_hand_counts_with_what_is_left_of_it() -> None:
    took = {1: [10.0, 10.0], 2: [20.0, 20.0]}
    found = time_left(took, [2], 1, 4.0)
    assert found is not None
    assert found.seconds == pytest.approx(6 + 20)
    late = time_left(took, [2], 1, 99.0)
    assert late is not None
    assert late.seconds == pytest.approx(20)
    first = time_left({}, [2], 1, 4.0, forecast_s=16.0)
    assert first is not None
    assert first.seconds == pytest.approx(12 + 16)


def test_the_spread_is_of_independent_runs() -> None:
    one, four = (time_left({1: [10.0]}, [1] * n) for n in (1, 4))
    assert one is not None
    assert four is not None
    assert one.spread == pytest.approx(2 * UNKNOWN_SPREAD * 10)
    assert four.spread == pytest.approx(2 * one.spread)
    steady = time_left({1: [10.0, 10.0, 10.0]}, [1] * 4)
    assert steady is not None
    assert steady.spread == 0


def test_what_comes_around_each_run_to_come_counts_too() -> None:
    took = {1: [2.0, 2.0], 2: [4.0, 4.0]}
    plain = time_left(took, [1, 2, 2], 1, 0.5)
    around = time_left(took, [1, 2, 2], 1, 0.5, around_s=1.5)
    assert plain is not None
    assert around is not None
    assert around.seconds - plain.seconds == pytest.approx(3 * 1.5)
    assert around.spread == plain.spread
