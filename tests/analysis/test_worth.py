"""What a time comes to in use, by hand: the same examples stand in docs/method.md."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from ovrik.analysis.choice.changes import length_crossing, line_crossing
from ovrik.analysis.choice.delivered import upload_s
from ovrik.analysis.choice.entrant import Entrant
from ovrik.analysis.choice.worth import Use, export_of, in_use, pays_after

SLOW = Entrant(1, 0, 62.0, 62.0, fixed_s=2.0, bytes=15_000_000)
FAST = Entrant(2, 1, 31.0, 31.0, fixed_s=1.0, bytes=30_000_000, price=500.0)


def use(minutes: float, a_week: float, line: float, hour: float = 0.0) -> Use:
    return Use(60.0, minutes, a_week, line, 1, hour)


def test_the_example_of_the_method() -> None:
    """10 minutes: 2 + 60 · 10 = 602 s and 1 + 30 · 10 = 301 s; uploads at 20 Mb/s: 150 MB in 60 s, 300 MB in 120
    s."""
    assert export_of(SLOW, 60.0, 10) == pytest.approx(602.0)
    assert export_of(FAST, 60.0, 10) == pytest.approx(301.0)
    found = in_use(FAST, SLOW, use(10, 20, 20, 60))
    assert found.export_s == pytest.approx(301.0)
    assert found.upload_s == pytest.approx(120.0)
    assert found.delivered_s == pytest.approx(421.0)
    # 20 exports of 421 s are 2.339 h; against 662 s each, 1.339 h are saved.
    assert found.week_h == pytest.approx(20 * 421 / 3600)
    assert found.saved_week_h == pytest.approx(20 * 241 / 3600)
    # 300 MB · 20 · 52 = 312 GB a year.
    assert found.stored_bytes == pytest.approx(312e9)
    # 241 s saved are worth 4.0167 at 60 an hour: 500 / 4.0167 = 124.5, so with the 125th export.
    assert found.pays_exports == 125


def test_a_slower_export_of_a_smaller_file_wins_on_a_slow_line() -> None:
    assert in_use(SLOW, SLOW, use(10, 1, 20)).delivered_s > in_use(FAST, SLOW, use(10, 1, 20)).delivered_s  # type: ignore[operator]
    assert in_use(SLOW, SLOW, use(10, 1, 3)).delivered_s < in_use(FAST, SLOW, use(10, 1, 3)).delivered_s  # type: ignore[operator]
    crossing = line_crossing(FAST, [SLOW])
    assert crossing is not None
    assert crossing.contender_id == SLOW.contender_id
    # 8 · (30 − 15) MB / (62 − 31) s = 3.871 Mb/s: there both take as long.
    assert crossing.at == pytest.approx(3.8710, abs=1e-4)
    assert 62.0 + upload_s(15e6, crossing.at) == pytest.approx(31.0 + upload_s(30e6, crossing.at))


def test_a_longer_programme_favours_the_better_pace() -> None:
    """5 + 10 · n against 1 + 12 · n: equal at n = 2, twice the excerpt."""
    now, other = (Entrant(1, 0, 13.0, 13.0, fixed_s=1.0), Entrant(2, 1, 15.0, 15.0, fixed_s=5.0))
    crossing = length_crossing(now, [other], 0.02)
    assert crossing is not None
    assert (crossing.contender_id, crossing.at) == (2, pytest.approx(2.0))
    assert length_crossing(now, [Entrant(3, 2, 15.0, 15.0)], 0.02) is None
    assert length_crossing(now, [Entrant(4, 3, 16.9, 16.9, fixed_s=5.0)], 0.02) is None


def test_a_price() -> None:
    assert pays_after(0, 100, 50) == 0
    assert pays_after(100, 3600, 50) == 2
    assert pays_after(101, 3600, 50) == 3
    assert pays_after(100, -5, 50) is None
    assert pays_after(100, 3600, 0) is None


def test_what_is_not_known_is_left_out() -> None:
    found = in_use(Entrant(3, 2, 10.0, 10.0), SLOW, use(1, 1, 20))
    assert (found.upload_s, found.delivered_s, found.stored_bytes) == (None, None, None)
    assert found.week_h == pytest.approx(10 / 3600)


@given(st.floats(0.01, 1e5), st.floats(0.1, 1e5), st.floats(0.01, 1e4))
def test_it_pays_with_that_export_and_not_with_the_one_before(
    price: float, saved: float, hour: float
) -> None:
    count = pays_after(price, saved, hour)
    assert count is not None
    each = saved / 3600 * hour
    assert count * each >= price * (1 - 1e-6)
    assert (count - 1) * each <= price * (1 + 1e-6)
