"""A statistics study: on simulated times with known truth, the answers are right as often as they claim."""

import numpy as np
import pytest

from ovrik.analysis.drift import trend
from ovrik.analysis.ratio import answer, paired_ratio
from ovrik.analysis.together import FIRST_LOOK, LOOKS, alpha_for, look_alpha

STUDIES = 1000


def simulated(
    random: np.random.Generator,
    rounds: int,
    spread: float,
    difference: float = 0.0,
    drift: float = 0.0,
    outliers: float = 0.0,
    contenders: int = 1,
) -> np.ndarray:
    """Seconds of shape (1 + contenders, rounds). Half of a run's variance is its round's, shared by all; the
    rest its own. `difference`: how much faster the last contender is. `drift`: slower by so much at the end.
    `outliers`: share of rounds in which everything takes 1.2 times as long."""
    shared = random.normal(0, spread / 2**0.5, rounds) + np.linspace(0, drift, rounds)
    shared += np.log(1.2) * (random.random(rounds) < outliers)
    own = random.normal(0, spread / 2**0.5, (1 + contenders, rounds))
    logs = np.log(10) + shared + own
    logs[-1] -= np.log1p(difference)
    return np.exp(logs)


@pytest.mark.parametrize("spread", [0.01, 0.03, 0.08])
@pytest.mark.parametrize(("drift", "outliers"), [(0, 0), (0.1, 0), (0, 0.15)])
def test_intervals_cover_the_truth(spread: float, drift: float, outliers: float) -> None:
    random = np.random.default_rng([int(1000 * spread), int(100 * drift), int(100 * outliers)])
    hit = 0
    for n in range(2 * STUDIES):
        difference = (n % 11) / 100
        base, other = simulated(random, 6, spread, difference, drift, outliers)
        found = paired_ratio(base, other)
        assert found is not None
        hit += (found.low or 0) <= 1 + difference <= (found.high or 0)
    assert 0.93 <= hit / (2 * STUDIES) <= 0.97


def words(base: np.ndarray, other: np.ndarray, most: int, alpha: float, band: float = 0.02) -> str:
    """The answer when rounds are added until it is told."""
    for n in range(FIRST_LOOK, most + 1):
        said = answer(paired_ratio(base[:n], other[:n], alpha), band)
        if said != "unsure":
            return said
    return "unsure"


@pytest.mark.parametrize("most", [6, 12])
@pytest.mark.parametrize("spread", [0.02, 0.08])
def test_looking_after_every_round_does_not_make_differences(most: int, spread: float) -> None:
    random = np.random.default_rng([most, int(100 * spread)])
    alpha = alpha_for(1, most)
    wrong = sum(
        words(*simulated(random, most, spread), most, alpha) in ("faster", "slower") for _ in range(STUDIES)
    )
    assert wrong < 0.05 * STUDIES
    naive = np.random.default_rng([most, int(100 * spread)])
    careless = sum(
        words(*simulated(naive, most, spread), most, 0.05) in ("faster", "slower") for _ in range(STUDIES)
    )
    assert careless > wrong


def test_a_clear_difference_is_reported_within_six_rounds() -> None:
    random = np.random.default_rng(11)
    alpha = alpha_for(1, 6)
    right = sum(words(*simulated(random, 6, 0.02, 0.05), 6, alpha) == "faster" for _ in range(STUDIES))
    assert right > 0.95 * STUDIES


def test_many_comparisons_hold_together() -> None:
    random, alpha, wrong = np.random.default_rng(5), alpha_for(8), 0
    for _ in range(STUDIES):
        times = simulated(random, 6, 0.03, contenders=8)
        answers = [answer(paired_ratio(times[0], t, alpha), 0.0) for t in times[1:]]
        wrong += any(a in ("faster", "slower") for a in answers)
    assert wrong < 0.05 * STUDIES


@pytest.mark.parametrize("most", [6, 20])
def test_the_table_of_looks_is_what_a_simulation_gives(most: int) -> None:
    from scipy.special import stdtr

    x = np.random.default_rng(3).standard_normal((40_000, most))
    sums, squares, least = np.cumsum(x, 1), np.cumsum(x * x, 1), np.ones(len(x))
    for n in range(FIRST_LOOK, most + 1):
        mean = sums[:, n - 1] / n
        t = np.abs(mean) / np.sqrt((squares[:, n - 1] - n * mean**2) / (n - 1) / n)
        least = np.minimum(least, 2 * stdtr(n - 1, -t))
    assert np.quantile(least, 0.042) == pytest.approx(LOOKS[most], rel=0.06)
    assert LOOKS[20] < look_alpha(17) < LOOKS[16]


@pytest.mark.parametrize(
    ("one", "other", "said"),
    [(25.0, 26.0, "unsure"), (25.0, 25.0, "unsure"), (25.0, 40.0, "slower"), (300.0, 301.0, "unsure")],
)
def test_a_second_between_two_stopwatch_times_is_no_difference(one: float, other: float, said: str) -> None:
    assert answer(paired_ratio([one], [other], doubt_s=0.5), 0.02) == said


def test_the_same_second_over_three_rounds_of_long_exports_is_a_tie() -> None:
    assert answer(paired_ratio([300.0] * 3, [301.0] * 3, doubt_s=0.5), 0.02) == "tie"
    assert answer(paired_ratio([30.0] * 3, [31.0] * 3, doubt_s=0.5), 0.02) == "unsure"


def test_coarse_times_do_not_claim_more_than_they_were_read() -> None:
    found = paired_ratio([25.0, 25.0, 25.0], [26.0, 26.0, 26.0], doubt_s=0.5)
    assert found is not None
    assert found.low is not None
    assert (found.high or 0) / found.low > 1.03


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
