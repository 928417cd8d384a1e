"""The whole cost against draws of what it is made of, and its crossings and pay-offs against trying every number."""

import math

import numpy as np
import pytest
from hypothesis import assume, given, settings
from hypothesis import strategies as st
from scipy import stats

from ovrik.analysis.choice.changes import exports_below, exports_crossing
from ovrik.analysis.choice.entrant import Entrant, Wanting, judge
from ovrik.analysis.choice.payoff import exports_until, payoff
from ovrik.analysis.choice.whole_cost import Step, entered, step_of, whole_costs
from ovrik.analysis.choice.worth import Use, in_use
from ovrik.analysis.times.joint import Joint, Times, joint
from ovrik.analysis.times.noise import Prior
from ovrik.study.question.limits import Limits


def timed(*usual: float, rounds: int = 5, spread: float = 0.03) -> Joint:
    draw = np.random.default_rng(7)
    names = tuple(range(rounds))
    return joint(
        [Times(names, tuple(t * np.exp(draw.normal(0, spread, rounds)))) for t in usual], Prior(spread, 20.0)
    )


def test_the_error_of_a_difference_is_that_of_draws() -> None:
    """Two contenders share one step and the second has another: costs of many studies drawn and fitted to no formula,
    so that what the steps add to the error of the gap is seen as it comes out."""
    found, shared, own = timed(8.0, 3.0), Step(2.0, 0.05**2, 9.0), Step(6.0, 0.08**2, 9.0)
    whole = whole_costs(found, np.array([0.0, 1.5]), [(shared, [0, 1]), (own, [1])], exports=2.0)
    draw = np.random.default_rng(20261201)
    logs = draw.multivariate_normal(found.logs, found.cover, 200_000)
    first = 2.0 * np.exp(draw.normal(0, 0.05, 200_000))
    second = 6.0 * np.exp(draw.normal(0, 0.08, 200_000))
    costs = np.exp(logs) + np.stack([first / 2, first / 2 + second / 2 + 1.5], axis=1)
    gaps = np.log(costs[:, 0] / costs[:, 1])
    assert whole.gap(0, 1) == pytest.approx(float(np.median(gaps)), abs=1e-3)
    assert whole.errors_to(0)[1] == pytest.approx(float(gaps.std()), rel=0.02)
    apart = whole_costs(found, np.array([0.0, 1.5]), [(shared, [0]), (shared, [1]), (own, [1])], exports=2.0)
    assert apart.errors_to(0)[1] > whole.errors_to(0)[1], "what both share moves both"


@settings(max_examples=50)
@given(
    st.lists(st.floats(0.5, 60.0), min_size=2, max_size=5),
    st.floats(0.0, 30.0),
    st.floats(0.1, 50.0),
    st.floats(1.0, 20.0),
)
def test_a_cost_is_the_sum_of_its_parts_and_less_the_more_exports_share_it(
    usual: list[float], sent: float, first: float, exports: float
) -> None:
    found = timed(*usual)
    step = Step(first, 0.01, 5.0)
    whole = whole_costs(found, np.full(len(usual), sent), [(step, [1])], exports)
    added = np.full(len(usual), sent) + first / exports * (np.arange(len(usual)) == 1)
    np.testing.assert_allclose(np.exp(whole.logs), np.exp(found.logs) + added)
    alone = whole_costs(found, np.full(len(usual), sent), [(step, [1])], 1.0)
    assert whole.logs[1] <= alone.logs[1] + 1e-12
    none = whole_costs(found, np.zeros(len(usual)), [])
    np.testing.assert_allclose(none.cover, found.cover)
    np.testing.assert_allclose(none.noise.freedoms, found.noise.freedoms)
    assert np.all(whole.noise.freedoms > 0)


def test_a_size_that_is_not_known_leaves_no_cost() -> None:
    whole = whole_costs(timed(3.0, 4.0), np.array([math.nan, 1.0]), [])
    assert math.isnan(whole.logs[0])
    assert not whole.seen[0].any()
    assert whole.logs[1] == pytest.approx(math.log(5.0), abs=0.05)


@pytest.mark.parametrize("times", [1, 3, 8])
def test_intervals_of_a_step_hold_on_a_machine_that_is_known(times: int) -> None:
    """The true time lies within 95 of 100 intervals, whether it was made once or often."""
    draw, hits, trials = np.random.default_rng(times), 0, 400
    for _n in range(trials):
        names = tuple(range(6))
        found = joint(
            [Times(names, tuple(np.exp(draw.normal(0, 0.05, 6)))) for _c in range(4)], Prior(0.05, 3.0, 50)
        )
        step = step_of(list(9.0 * np.exp(draw.normal(0, 0.05, times))), found)
        half = stats.t.ppf(0.975, step.freedoms) * step.variance**0.5
        hits += abs(math.log(step.seconds / 9.0)) <= half
    assert hits / trials >= 0.93
    assert step_of([9.0], found).variance > step_of([9.0, 9.1, 8.9], found).variance


def test_a_time_that_was_entered_is_known_as_a_watch_is_read() -> None:
    found = timed(3.0, 4.0)
    assert entered(2.0, found).variance > step_of([2.0], found).variance
    assert entered(2.0, found).variance > entered(200.0, found).variance
    with pytest.raises(ValueError, match="positive"):
        step_of([1.0, 0.0], found)


seconds = st.floats(0.1, 500.0)


@given(seconds, seconds, seconds)
def test_the_export_from_which_it_pays_is_found_by_trying_all(
    first: float, direct: float, later: float
) -> None:
    count = exports_until(first, direct, later)
    if direct <= later:
        assert count is None
        return
    assume(first / (direct - later) < 2000)
    assert count == next(
        n for n in range(1, 3000) if n * (direct - later) > first or math.isclose(n * (direct - later), first)
    ) or count == pytest.approx(first / (direct - later), abs=1.001)


@given(seconds, seconds, seconds, st.floats(0, 1), st.floats(0, 1))
def test_bounds_of_a_pay_off_lie_around_it(
    first: float, direct: float, later: float, first_half: float, ratio_half: float
) -> None:
    found = payoff(first, direct, later, first_half, ratio_half)
    order = [math.inf if n is None else n for n in (found.low, found.exports, found.high)]
    assert order == sorted(order)
    exact = payoff(first, direct, later, 0.0, 0.0)
    assert exact.low == exact.exports == exact.high


def contenders(rows: list[tuple[float, float]], exports: float) -> list[Entrant]:
    return [Entrant(n, n, a, a + first / exports, first_s=first) for n, (a, first) in enumerate(rows)]


def cheapest(rows: list[tuple[float, float]], exports: int) -> int:
    return min(range(len(rows)), key=lambda n: rows[n][0] + rows[n][1] / exports)


@given(
    st.lists(st.tuples(st.floats(1, 30), st.sampled_from([0.0, 3.0, 11.0, 47.0])), min_size=2, max_size=6),
    st.integers(1, 12),
)
def test_where_another_is_ahead_by_the_number_of_exports(rows: list[tuple[float, float]], now: int) -> None:
    found = contenders(rows, float(now))
    choice = found[cheapest(rows, now)]
    others = [e for e in found if e is not choice]
    costs = sorted(rows[n][0] + rows[n][1] / k for n in range(len(rows)) for k in (now,))
    assume(costs[1] - costs[0] > 1e-6)
    up, down = exports_crossing(choice, others, float(now)), exports_below(choice, others, float(now))
    later = next((k for k in range(now + 1, 400) if cheapest(rows, k) != choice.contender_id), None)
    earlier = next((k for k in range(now - 1, 0, -1) if cheapest(rows, k) != choice.contender_id), None)
    if later is None:
        assert up is None or up.at >= 399 or not _clear(rows, choice, up.contender_id, int(up.at))
    elif _clear(rows, choice, cheapest(rows, later), later):
        assert up is not None
        level = not _clear(rows, choice, up.contender_id, later - 1)
        assert up.at == later or (level and up.at == later - 1)
        assert up.contender_id == cheapest(rows, later)
    if earlier is None:
        assert down is None
    elif _clear(rows, choice, cheapest(rows, earlier), earlier):
        assert down is not None
        assert (int(down.at), down.contender_id) == (earlier, cheapest(rows, earlier))


def _clear(rows: list[tuple[float, float]], choice: Entrant, other: int, exports: int) -> bool:
    """Whether they differ there by more than sums of floats do."""
    at = [rows[n][0] + rows[n][1] / exports for n in (choice.contender_id, other)]
    return abs(at[0] - at[1]) > 1e-6


def test_what_comes_first_counts_in_use() -> None:
    """By hand: of a film of 10 min, 250 times as long, 2.4 s take 7.7 s, or 3.1 s after 8.49 s."""
    direct, later = Entrant(1, 0, 7.7, 7.7), Entrant(2, 1, 3.1, 11.59, first_s=8.49)
    for films, saved in ((1.0, -2.7014), (2.0, 0.2465), (10.0, 2.6049)):
        use = Use(2.4, 10.0, 10.0, 20.0, 1.0, 0.0, films)
        assert in_use(later, direct, use).saved_week_h == pytest.approx(saved, abs=1e-3)
        assert in_use(later, direct, use).first_s == pytest.approx(8.49 * 250 / films)
    overnight = Use(2.4, 10.0, 10.0, 20.0, 1.0, 50.0, 1.0, first_waits=False)
    assert in_use(later, direct, overnight).saved_week_h == pytest.approx(3.1944, abs=1e-3)
    dear = Entrant(2, 1, 3.1, 11.59, first_s=8.49, yearly=1000.0)
    # 4.6 s · 250 saved an export, at 50 an hour 15.97 each: 63 exports a year.
    assert in_use(dear, direct, overnight).pays_a_year == 63


def test_what_was_not_timed_is_wanted_before_anything_is_chosen() -> None:
    unknown = Entrant(1, 0, 3.0, 3.0, first_s=None)
    assert judge(unknown, Limits()).wanting == (Wanting.FIRST,)
    assert judge(Entrant(1, 0, 3.0, 3.0), Limits()).acceptable
