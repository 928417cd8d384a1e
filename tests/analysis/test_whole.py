"""Fixed cost, pace and forecast from segments, against programmes whose truth is known."""

import itertools

import numpy as np
import pytest
from scipy import stats

from ovrik.analysis.forecast.whole_programme import (
    Doubt,
    Timed,
    _regressed,
    check,
    costs,
    forecast_whole,
    spread_out,
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
        pieces = [timed(truth, *s, random, noise) for s in spread_out(5000, 50, 8)]
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
    seeing, unseeing = (forecast_whole(t, 5000, Doubt(FIXED, 0.02, 0.01)) for t in (said, blind))
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


def test_pieces_lie_evenly_and_within() -> None:
    assert spread_out(1000, 100, 4) == [(75, 100), (325, 100), (575, 100), (825, 100)]
    assert spread_out(90, 100, 4) == [(0, 90)]
    assert len(spread_out(250, 100, 6)) == 2


def test_pace_at_the_wholes_complexity_is_scipys() -> None:
    """A line through the segments, read at 1: SciPy's intercept of the same line moved there, and its error."""
    draw = np.random.default_rng(8)
    x = draw.uniform(0.4, 1.9, 9)
    pace = 0.02 + 0.05 * x + draw.normal(0, 0.002, 9)
    wanted = stats.linregress(x - 1, pace)
    weight = np.full(9, 1 / 9)
    found = _regressed(pace, x, weight)
    assert found is not None
    assert found == pytest.approx((wanted.intercept, 3 * wanted.intercept_stderr))
    assert _regressed(pace, np.ones(9), weight) is None
