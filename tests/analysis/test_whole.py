"""Fixed cost, pace and forecast from segments, against programmes whose truth is known."""

import itertools

import numpy as np
import pytest
from scipy import stats

from ovrik.analysis.forecast.whole_programme import (
    Doubt,
    Timed,
    WholeForecast,
    _moved,
    check,
    costs,
    forecast_whole,
    spread_over,
    windows,
)

FIXED = 1.5


def paces(random: np.random.Generator, frames: int, busy: float) -> np.ndarray:
    """Seconds for each frame of a programme made of shots, some of them heavier by up to `busy`."""
    shots = np.repeat(1 + busy * random.random(frames // 50), 50)
    return 0.02 * shots


def timed(
    truth: np.ndarray,
    start: int,
    frames: int,
    random: np.random.Generator,
    noise: float = 0.0,
    complexity: np.ndarray | None = None,
) -> Timed:
    """One timing of a segment."""
    seconds = (FIXED + truth[start : start + frames].sum()) * np.exp(random.normal(0, noise))
    x = 1.0 if complexity is None else complexity[start : start + frames].mean() / complexity.mean()
    return Timed(start, frames, float(seconds), float(x))


def quarters(
    truth: np.ndarray, start: int, frames: int, random: np.random.Generator, noise: float
) -> list[Timed]:
    """A segment whole and in quarters, twice."""
    edges = [start + frames * n // 4 for n in range(5)]
    spans = [(a, b - a) for a, b in itertools.pairwise(edges)] + [(start, frames)]
    return [timed(truth, *s, random, noise) for _ in range(2) for s in spans]


def test_fixed_cost_is_reported_whatever_the_frames_are() -> None:
    random = np.random.default_rng(1)
    truth = paces(random, 400, 3.0)
    found = costs(quarters(truth, 50, 200, random, 1e-9), 50, 200)
    assert found is not None
    assert found.fixed == pytest.approx(FIXED, abs=1e-6)
    assert found.pace == pytest.approx(truth[50:250].mean(), abs=1e-6)
    assert found.lengths == 2


def test_intervals_of_costs_cover_the_truth() -> None:
    random, hits, tries = np.random.default_rng(2), np.zeros(2), 1000
    for _ in range(tries):
        truth = paces(random, 400, 1.0)
        found = costs(quarters(truth, 0, 200, random, 0.03), 0, 200)
        assert found is not None
        hits += (
            found.fixed_low <= FIXED <= found.fixed_high,
            found.pace_low <= truth[:200].mean() <= found.pace_high,
        )
    assert (hits / tries >= 0.93).all()
    assert (hits / tries <= 0.98).all()


def test_costs_need_more_than_one_length() -> None:
    random = np.random.default_rng(3)
    truth = paces(random, 400, 1.0)
    assert costs([timed(truth, 0, 100, random, 0.02) for _ in range(5)], 0, 100) is None
    assert costs([timed(truth, 0, 100, random), timed(truth, 0, 50, random)], 0, 100) is None
    # Two neighbours tell nothing of what both pay.
    halves = [timed(truth, s, 50, random, 0.01) for s in (0, 0, 50, 50)]
    assert costs(halves, 0, 100) is None
    assert costs([*halves, timed(truth, 0, 100, random, 0.01)], 0, 100) is not None


@pytest.mark.parametrize(("busy", "noise"), [(0.2, 0.02), (2.0, 0.02), (2.0, 0.06)])
def test_forecasts_are_as_sure_as_they_say(busy: float, noise: float) -> None:
    random, hit, tries, off = np.random.default_rng(4), 0, 400, []
    for _ in range(tries):
        truth = paces(random, 5000, busy)
        pieces = [timed(truth, *s, random, noise) for s in windows(5000, 50)[6::12]]
        found = forecast_whole(pieces, 5000, Doubt(FIXED, 0.05, noise))
        assert found is not None
        said = check(found, timed(truth, 0, 5000, random, noise).seconds)
        hit += said.within
        off.append(said.off)
    assert hit / tries >= 0.93
    assert abs(np.mean(off)) < 0.03


def test_complexity_narrows_a_forecast_and_moves_it() -> None:
    random = np.random.default_rng(5)
    complexity = np.repeat(0.4 + 1.2 * random.random(100), 50)
    truth = 0.02 * complexity
    calm = np.argsort([complexity[s : s + 50].mean() for s in range(0, 5000, 50)])[:40:6] * 50
    said = [timed(truth, int(s), 50, random, 0.01, complexity) for s in calm]
    blind = [Timed(t.start, t.frames, t.seconds) for t in said]
    real = FIXED + truth.sum()
    loads = complexity / complexity.mean()
    seeing, unseeing = (forecast_whole(t, 5000, Doubt(FIXED, 0.02, 0.01), loads) for t in (said, blind))
    assert seeing is not None
    assert unseeing is not None
    assert abs(seeing.seconds / real - 1) < 0.05
    assert unseeing.seconds < 0.8 * real
    assert "complexity" in seeing.basis


def test_one_segment_leaves_much_open() -> None:
    random = np.random.default_rng(6)
    truth = paces(random, 5000, 0.5)
    one = timed(truth, 0, 100, random)
    found = forecast_whole([one], 5000, Doubt(FIXED))
    assert found is not None
    assert found.high / found.low > 1.4
    whole = forecast_whole([Timed(0, 100, one.seconds, 0.5)], 5000, Doubt(FIXED))
    assert whole is not None
    assert whole.seconds > found.seconds
    assert whole.high > 2 * found.seconds > whole.low
    assert forecast_whole([], 5000, Doubt(FIXED)) is None


@pytest.mark.parametrize("segments", [1, 2, 4, 7])
def test_bounds_widen_on_both_sides_with_what_is_not_known(segments: int) -> None:
    random = np.random.default_rng(8)
    truth = paces(random, 5000, 0.5)
    said = [timed(truth, 600 * n, 100, random) for n in range(segments)]
    found = [
        forecast_whole(said, 5000, Doubt(FIXED, error, noise))
        for error, noise in ((0.01, 0.002), (0.05, 0.03))
    ]
    sure, unsure = (f for f in found if f is not None)
    assert unsure.seconds == pytest.approx(sure.seconds)
    assert unsure.low < sure.low <= sure.seconds <= sure.high < unsure.high
    more = forecast_whole(said, 9000, Doubt(FIXED, 0.01, 0.002))
    assert more is not None
    assert more.covered == pytest.approx(sure.covered * 5 / 9)
    assert (more.seconds - FIXED) / (sure.seconds - FIXED) == pytest.approx(
        9 / 5, rel=0.02 if segments < 3 else 0.2
    )


def test_the_fixed_cost_leaves_nothing_open_where_all_was_timed_at_once() -> None:
    """It is within that one time, whatever it is; of a longer programme it was taken off once and added once."""
    whole = [Timed(0, 1000, 20.0)]
    found = [forecast_whole(whole, 1000, Doubt(FIXED, error, 0.01)) for error in (0.01, 0.9)]
    sure, unsure = (f for f in found if f is not None)
    assert (unsure.low, unsure.high) == (pytest.approx(sure.low), pytest.approx(sure.high))
    longer = [forecast_whole(whole, 3000, Doubt(FIXED, error, 0.0)) for error in (0.0, 0.5)]
    sure, unsure = (f for f in longer if f is not None)
    assert unsure.high - sure.high == pytest.approx(2 * 2 * 0.5), (
        "two standard deviations of twice the fixed cost"
    )


def test_a_segment_within_another_does_not_count_twice() -> None:
    said = [Timed(0, 100, 3.0), Timed(0, 50, 9.0), Timed(200, 100, 3.0), Timed(400, 100, 3.0)]
    found = forecast_whole(said, 1000, Doubt(1.0, 0.0, 0.0))
    assert found is not None
    assert (found.segments, found.seconds, found.covered) == (3, pytest.approx(21.0), pytest.approx(0.3))


def test_windows_take_a_programme_apart() -> None:
    assert windows(1000, 300) == [(0, 333), (333, 333), (666, 334)]
    assert windows(90, 100) == [(0, 90)]
    assert sum(n for _s, n in windows(4711, 50)) == 4711


@pytest.mark.parametrize("count", [1, 5, 8, 37, 300])
def test_any_number_of_segments_is_spread_over_the_complexities(count: int) -> None:
    random = np.random.default_rng()
    loads = random.lognormal(0, 1, count)
    order = spread_over(loads.tolist(), 8)
    assert sorted(order) == list(range(count))
    ranks = np.argsort(np.argsort(loads))
    for some in range(8, count + 1, 4):
        apart = np.diff(np.sort(np.concatenate([[-1], ranks[order[:some]], [count]])))
        assert apart.max() <= 2.5 * count / some + 1, "no stretch of ranks is left out"


def test_weights_are_the_shares_that_are_nearest_in_complexity() -> None:
    """Three in four places are as calm as the first two segments, which share them."""
    said = [Timed(0, 10, 1.0, 0.5), Timed(20, 10, 1.2, 0.5), Timed(40, 10, 4.0, 2.5)]
    found = forecast_whole(said, 1000, Doubt(0.0, 0.0, 0.0), np.array([0.4, 0.5, 0.6, 2.5]))
    assert found is not None
    assert found.seconds == pytest.approx(1000 * (0.375 * 0.1 + 0.375 * 0.12 + 0.25 * 0.4))
    spread2 = ((0.02) ** 2 + 0.28**2) / 4
    variance = 1e6 * (2 * 0.375**2 + 0.25**2) * spread2 * (1 - 0.03)
    assert found.high - found.seconds == pytest.approx(stats.t.ppf(0.975, 2) * variance**0.5)


def test_the_line_by_which_it_is_moved_is_scipys() -> None:
    draw = np.random.default_rng()
    x = draw.uniform(0.4, 0.9, 9)
    pace = 0.02 + 0.05 * x + draw.normal(0, 0.002, 9)
    wanted = stats.linregress(x, pace)
    by, variance = _moved(pace, x, 0.3)
    assert (by, variance**0.5) == pytest.approx((0.3 * wanted.slope, 0.3 * wanted.stderr))
    assert _moved(pace[:4], x[:4], 0.3) == (0.0, 0.0)


@pytest.mark.parametrize(("error", "noise", "more"), [(0.0, 0.0, True), (0.6, 0.0, False), (0.0, 0.2, False)])
def test_how_many_more_segments_would_make_it_close(error: float, noise: float, more: bool) -> None:
    """As many as it says do it, where more can; where the export itself is that uncertain none do."""
    random = np.random.default_rng()
    truth = paces(random, 50_000, 1.5)
    order = random.permutation(1000)

    def known(count: int) -> WholeForecast:
        said = [timed(truth, int(n) * 50, 50, random) for n in order[:count]]
        found = forecast_whole(said, 50_000, Doubt(FIXED, error, noise))
        assert found is not None
        return found

    if not more:
        assert known(6).more is None
        return
    for count in (6, 12, 24, 48):
        found = known(count)
        assert found.close == (found.high - found.seconds <= 0.1 * found.seconds)
        assert found.close or found.more is None or found.more >= 1
    assert known(600).close
