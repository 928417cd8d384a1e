"""Ratios and intervals agree with SciPy, and answers follow from intervals alone."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy import stats

from ovrik.analysis.choice.factor_effects import FactorEffect, LevelEffect
from ovrik.analysis.times.drift import trend
from ovrik.analysis.times.ratio import Ratio, answer, paired_ratio, rounds_to_decide, t_quantile
from ovrik.analysis.times.spread import spread_of
from ovrik.report.words.factors import effect_words
from ovrik.work.answers.factors import Factors


@pytest.mark.parametrize("count", [2, 3, 5, 12, 60])
def test_interval_agrees_with_scipy(count: int) -> None:
    random = np.random.default_rng(count)
    base = random.lognormal(1.5, 0.05, count)
    other = base / 1.4 * random.lognormal(0, 0.03, count)
    ours = paired_ratio(base.tolist(), other.tolist())
    theirs = stats.ttest_rel(np.log(base), np.log(other))
    interval = theirs.confidence_interval(0.95)
    assert ours is not None
    assert np.log(ours.value) == pytest.approx(np.log(stats.gmean(base / other)), abs=1e-12)
    assert np.log(ours.low or 0) == pytest.approx(interval.low, abs=1e-10)
    assert np.log(ours.high or 0) == pytest.approx(interval.high, abs=1e-10)
    assert (ours.low > 1 or ours.high < 1) == (theirs.pvalue < 0.05)  # type: ignore[operator]


def test_quantile_agrees_with_scipy() -> None:
    for freedom in (1, 2, 7, 40, 1000):
        assert t_quantile(freedom) == pytest.approx(stats.t.ppf(0.975, freedom), rel=1e-9)


def test_ratio_and_saved_come_from_one_number() -> None:
    ratio = paired_ratio([10.0, 10.0], [6.58, 6.58])
    assert ratio is not None
    assert ratio.value == pytest.approx(1.5198, abs=1e-4)
    assert ratio.saved == pytest.approx(1 - 6.58 / 10)


def test_few_rounds() -> None:
    assert paired_ratio([], []) is None
    single = paired_ratio([4.0], [2.0])
    assert single is not None
    assert (single.value, single.low, single.high) == (2.0, None, None)
    assert answer(single, 0.02) == "unsure"
    assert answer(None, 0.02) == "unsure"


@pytest.mark.parametrize(("base", "other"), [([1.0], [1.0, 2.0]), ([0.0], [1.0]), ([1.0], [-1.0])])
def test_nonsense_is_refused(base: list[float], other: list[float]) -> None:
    with pytest.raises(ValueError):
        paired_ratio(base, other)


def made(value: float, low: float, high: float) -> Ratio:
    return Ratio(value, low, high, 5)


@pytest.mark.parametrize(
    ("ratio", "said"),
    [
        (made(1.5, 1.4, 1.6), "faster"),
        (made(0.7, 0.6, 0.8), "slower"),
        (made(1.0, 0.99, 1.01), "tie"),
        (made(1.01, 1.005, 1.015), "tie"),  # clear of 1, but too small to matter
        (made(1.02, 0.97, 1.06), "unsure"),
        (made(1.03, 1.01, 1.05), "faster"),
        (made(1.0, 0.97, 1.01), "unsure"),
    ],
)
def test_answers(ratio: Ratio, said: str) -> None:
    assert answer(ratio, 0.02) == said


def test_a_wider_band_makes_more_ties() -> None:
    assert answer(made(1.03, 1.01, 1.05), 0.06) == "tie"


def test_order_of_pairs_does_not_matter_but_pairing_does() -> None:
    base, other = [10.0, 20.0, 40.0], [5.0, 10.0, 20.0]
    paired = paired_ratio(base, other)
    crossed = paired_ratio(base, other[::-1])
    turned = paired_ratio(base[::-1], other[::-1])
    assert paired is not None
    assert turned is not None
    assert crossed is not None
    assert paired.high == pytest.approx(2.0)
    assert turned.high == pytest.approx(paired.high or 0)
    assert (crossed.high or 0) > 10


@pytest.mark.parametrize(
    ("ratio", "band", "more"),
    [
        (made(1.05, 1.05 / 1.1, 1.05 * 1.1), 0.0001, 15),  # ln 1.1 · √(5/n) < ln 1.05 from n = 20 on
        (made(1.0, 1 / 1.05, 1.05), 0.02, 26),  # ln 1.05 · √(5/n) < ln 1.02 from n = 31 on: a tie
        (made(1.5, 0.9, 2.5), 0.02, 3),  # ln (2.5 / 1.5) · √(5/n) < ln 1.5 from n = 8 on
    ],
)
def test_rounds_to_decide_narrow_the_interval_until_it_answers(ratio: Ratio, band: float, more: int) -> None:
    assert rounds_to_decide(ratio, band) == more


def test_rounds_to_decide_without_an_interval() -> None:
    assert rounds_to_decide(None, 0.02) == 1
    assert rounds_to_decide(paired_ratio([2.0], [1.0]), 0.02) == 1
    assert rounds_to_decide(made(1.0001, 0.5, 2.0), 0.0) is None


def test_intervals_cover_the_truth_as_often_as_they_say() -> None:
    random = np.random.default_rng(11)
    hits = 0
    for _ in range(2000):
        shared = random.normal(0, 0.05, 5)  # what moves a whole round moves both alike
        base = np.exp(2 + shared + random.normal(0, 0.02, 5))
        other = np.exp(2 - np.log(1.3) + shared + random.normal(0, 0.02, 5))
        ratio = paired_ratio(base.tolist(), other.tolist())
        assert ratio is not None
        hits += (ratio.low or 0) <= 1.3 <= (ratio.high or 0)
    assert 0.935 <= hits / 2000 <= 0.965


@given(st.lists(st.tuples(*[st.floats(1e-3, 1e5)] * 2), min_size=2, max_size=6))
def test_however_runs_contradict_one_another_ends_are_numbers(times: list[tuple[float, float]]) -> None:
    base, other = zip(*times, strict=True)
    ratio, spread, moved = (
        paired_ratio(base, other, 1e-3),
        spread_of(base),
        trend(base, [1] * len(base), other),
    )
    assert ratio is not None
    assert spread is not None
    ends = [ratio.low, ratio.high, spread.low, spread.high, *([moved.low, moved.high] if moved else [])]
    assert all(end is not None and np.isfinite(end) for end in ends)
    assert min(ratio.low or 0, spread.low) > 0
    level = LevelEffect("9.0", "5.1", ratio.pairs, ratio, answer(ratio, 0.02), None, None)
    assert effect_words(Factors((), {}), FactorEffect("build", "5.1", (level,), ()), level)
