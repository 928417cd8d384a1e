"""A statistics study: on simulated times of known truth, verdicts and intervals are right as often as they say."""

import numpy as np
import pytest
from scipy import stats
from scipy.signal import fftconvolve

from ovrik.analysis.choice.best import against, best_of, pair, still_in
from ovrik.analysis.choice.contest import contest
from ovrik.analysis.times.critical import LOOK_SHARES, alpha_for, dunnett, look_share, one_sided
from ovrik.analysis.times.joint import Joint, Times, joint
from ovrik.analysis.times.noise import Prior
from ovrik.analysis.times.ratio import answer
from quiet_machine import QUIET, independent

STUDIES = 400


def complete(logs: np.ndarray, prior: Prior = QUIET) -> Joint:
    """Log times of shape (contenders, rounds), every contender in every round."""
    rounds = tuple(range(1, logs.shape[1] + 1))
    return joint([Times(rounds, tuple(np.exp(row))) for row in logs], prior)


def simulated(random: np.random.Generator, means: np.ndarray, rounds: int, spread: float) -> np.ndarray:
    """Log times with an effect of each round, shared by all."""
    shared = random.normal(0, 0.03, rounds)
    return means[:, None] + shared + random.normal(0, spread, (len(means), rounds))


@pytest.mark.parametrize(("contenders", "runs"), [(1, 6), (3, 4), (5, 6), (12, 3)])
def test_dunnett_agrees_with_scipy(contenders: int, runs: int) -> None:
    random = np.random.default_rng(contenders)
    groups = random.normal(0, 1, (contenders + 1, runs))
    found = stats.dunnett(*groups[1:], control=groups[0], random_state=1).confidence_interval(0.95)
    pooled = np.sqrt(groups.var(axis=1, ddof=1).mean())
    theirs = float(found.high[0] - found.low[0]) / 2 / (pooled * np.sqrt(2 / runs))
    freedom = float((contenders + 1) * (runs - 1))
    assert dunnett(contenders, freedom, 0.05) == pytest.approx(theirs, rel=0.006)
    bonferroni = stats.t.ppf(1 - 0.025 / contenders, freedom)
    assert dunnett(contenders, freedom, 0.05) <= bonferroni + 1e-4


def test_bounds_on_one_side_are_students() -> None:
    assert one_sided(np.array([3.0, 20.0]), 5, 0.05) == pytest.approx(stats.t.ppf(0.99, [3, 20]))


def crossed(bound: float, looks: int, step: float = 0.005) -> float:
    """The chance that a sum of so many standard normal steps is above bound · √k after any of them (Armitage,
    McPherson and Rowe 1969): the density of what has not crossed yet, look by look."""
    at = np.arange(-45.0, 30.0, step)
    kernel = stats.norm.pdf(np.arange(-8.0, 8.0 + step / 2, step)) * step
    density, out = stats.norm.pdf(at), 0.0
    for look in range(1, looks + 1):
        beyond = at > bound * np.sqrt(look)
        out += float(density[beyond].sum() * step)
        density = fftconvolve(np.where(beyond, 0.0, density), kernel, mode="same")
    return out


@pytest.mark.parametrize("looks", sorted(LOOK_SHARES))
def test_the_shares_of_looks_are_those_of_the_recursion(looks: int) -> None:
    alpha = 0.05 / 11
    assert crossed(stats.norm.isf(alpha * look_share(looks)), looks) == pytest.approx(alpha, rel=0.02)


def test_between_the_tables_rows_a_share_lies_between() -> None:
    assert look_share(1) == look_share(0) == 1
    assert LOOK_SHARES[20] < look_share(17) < LOOK_SHARES[16]
    assert alpha_for(20) == pytest.approx(0.05 * LOOK_SHARES[20])


def test_the_bound_on_a_rival_is_hsus() -> None:
    """With every contender in every round and a prior that weighs nothing: mean gaps, and t at 1 − α / (m − 1)."""
    logs = simulated(np.random.default_rng(4), np.array([0.0, 0.04, 0.1]), 6, 0.02)
    found = complete(logs, independent(0.02, 1e-9))
    best = best_of(found, np.ones(3, bool), 0.02, 0)
    assert best is not None
    assert best.choice == int(np.argmin(logs.mean(axis=1)))
    for rival in {0, 1, 2} - {best.choice}:
        gap = logs[best.choice].mean() - logs[rival].mean()
        t = stats.t.ppf(1 - 0.05 / 2, found.freedoms_to(best.choice)[rival])
        parts = (found.noise.variances[best.choice] + found.noise.variances[rival]) / 6
        assert best.gains[rival] == pytest.approx(np.expm1(gap + t * np.sqrt(parts)), abs=2e-4)


def test_who_is_not_able_has_no_part_in_the_verdict() -> None:
    found = complete(np.log([[1.0, 1.01], [2.0, 2.02], [4.0, 4.04]]))
    best = best_of(found, np.array([False, True, True]), 0.02, 0)
    assert best is not None
    assert best.choice == 1
    assert np.isnan(best.gains).tolist() == [True, True, False]
    assert best.gain == 0
    assert best_of(found, np.zeros(3, bool), 0.02, 0) is None


@pytest.mark.parametrize("spreads", [(0.03, 0.03), (0.01, 0.05)])
@pytest.mark.parametrize("contenders", [4, 12])
def test_of_equal_contenders_none_is_called_slower_too_often(
    contenders: int, spreads: tuple[float, float]
) -> None:
    random, wrong, off = np.random.default_rng(contenders), 0, 0
    for _ in range(STUDIES):
        own = random.uniform(*spreads, (contenders, 1))
        logs = random.normal(0, 0.03, 5) + own * random.standard_normal((contenders, 5))
        found = complete(logs)
        best = best_of(found, np.ones(contenders, bool), 0.02, 0)
        assert best is not None
        wrong += any(r is not None and (r.high or 2) < 1 for r in best.ratios)
        versus = against(found, 0, np.arange(contenders), 0)
        off += any(not (r.low or 0) <= 1 <= (r.high or 0) for r in versus.values())
    assert wrong < 0.05 * STUDIES
    assert off < 0.07 * STUDIES


@pytest.mark.parametrize("prior", [0.01, 0.03, 0.09])
def test_a_choice_that_is_decided_is_right(prior: float) -> None:
    """Rounds of what can still win, to the decision: the choice is then within the band of the truly fastest."""
    random, means = np.random.default_rng(int(1000 * prior)), np.arange(6) * 0.03
    wrong = costs = 0
    for _ in range(STUDIES // 4):
        rounds: list[list[int]] = [[] for _ in means]
        seconds: list[list[float]] = [[] for _ in means]
        timed: tuple[int, ...] = tuple(range(6))
        for number in range(1, 21):
            effect = random.normal(0, 0.03)
            for row in timed:
                rounds[row].append(number)
                seconds[row].append(float(np.exp(means[row] + effect + random.normal(0, 0.03))))
            found = joint(
                [Times(tuple(r), tuple(s)) for r, s in zip(rounds, seconds, strict=True)], independent(prior)
            )
            now = contest(found, np.ones(6, bool), 0, 0.02, 20)
            timed = now.timed
            if not timed:
                break
        assert now.best is not None
        wrong += not timed and means[now.best.choice] > 0.02
        costs += sum(map(len, rounds)) / 6
    assert wrong < 0.05 * STUDIES / 4
    assert costs < 9 * STUDIES / 4


def test_rivals_come_back_when_what_was_learned_since_makes_them_rivals() -> None:
    """Left out after one round; then times that scatter far more than was assumed."""
    first = joint([Times((1,), (1.0,)), Times((1,), (1.5,)), Times((1,), (1.05,))], QUIET)
    assert contest(first, np.ones(3, bool), None, 0.02, 0).rivals == (2,)
    later = joint(
        [Times((1, 2, 3), (1.0, 1.8, 1.2)), Times((1,), (1.5,)), Times((1, 2, 3), (1.05, 1.0, 1.7))], QUIET
    )
    assert 1 in contest(later, np.ones(3, bool), None, 0.02, 0).rivals


def test_the_baseline_is_timed_as_long_as_its_own_statement_needs() -> None:
    far = complete(np.log([[1.0, 1.01], [1.01, 1.0], [3.0, 3.02]]))
    assert contest(far, np.ones(3, bool), 2, 0.0001, 0).timed == (0, 1)
    near = complete(np.log([[1.0, 1.01], [1.01, 1.0], [1.06, 1.08]]))
    able = np.array([True, True, False])
    assert contest(near, able, 2, 0.0001, 0).timed == (0, 1, 2)
    assert contest(near, able, None, 0.0001, 0).timed == (0, 1)


def test_without_times_everybody_is_timed_and_when_decided_nobody() -> None:
    none = joint([Times((), ()), Times((), ())])
    assert contest(none, np.ones(2, bool), 0, 0.02, 0).timed == (0, 1)
    clear = complete(np.log([[1.0, 1.01], [3.0, 3.02]]))
    assert contest(clear, np.ones(2, bool), 0, 0.02, 0).timed == ()
    best = best_of(clear, np.ones(2, bool), 0.02, 0)
    assert best is not None
    assert not len(still_in(best, 0.02))


@pytest.mark.parametrize(
    ("one", "other", "said"),
    [(25.0, 26.0, "unsure"), (25.0, 25.0, "unsure"), (25.0, 60.0, "slower"), (300.0, 301.0, "unsure")],
)
def test_a_second_between_two_stopwatch_times_is_no_difference(one: float, other: float, said: str) -> None:
    found = joint([Times((-1,), (one,), 0.5), Times((-1,), (other,), 0.5)])
    assert answer(against(found, 0, np.array([1]), 0)[1], 0.02) == said


def test_no_interval_is_narrower_than_the_reading_of_a_stopwatch() -> None:
    rounds = (-1, -2, -3)
    found = joint([Times(rounds, (10.0,) * 3, 0.5), Times(rounds, (8.0,) * 3, 0.5)], independent(0.001, 50.0))
    ratio = pair(found, 0, 1, 1, 0)
    assert ratio is not None
    assert ratio.value == pytest.approx(1.25)
    versus = against(found, 0, np.array([1]), 0)[1]
    for one in (ratio, versus):
        assert np.log(one.high or 0) - np.log(1.25) >= 0.5 / 10 + 0.5 / 8 - 1e-9
    best = best_of(found, np.ones(2, bool), 0.02, 0)
    assert best is not None
    assert np.log1p(best.gains[0]) >= np.log(0.8) + 0.5 / 10 + 0.5 / 8 - 1e-9


def test_many_contenders_are_judged_while_a_limit_is_dragged() -> None:
    """Shape only; `./run bench` times it."""
    found = complete(simulated(np.random.default_rng(1), np.linspace(0, 2, 200), 20, 0.03))
    best = best_of(found, np.ones(200, bool), 0.02, 20)
    assert best is not None
    assert len(best.ratios) == 200
    assert len(against(found, 5, np.arange(200), 20)) == 199


@pytest.mark.parametrize("contenders", [2, 3, 6])
def test_intervals_hold_for_all_pairs_and_bounds_for_all_rivals(contenders: int) -> None:
    """By SciPy's t: two-sided at one m(m − 1)/2-th of the error, one-sided at one (m − 1)-th."""
    random, alpha = np.random.default_rng(contenders), alpha_for(1)
    found = complete(random.normal(0, 0.02, (contenders, 5)) + 0.01 * np.arange(contenders)[:, None])
    best = best_of(found, np.ones(contenders, bool), 0.02, 1)
    assert best is not None
    errors, freedoms = found.errors_to(best.choice), found.freedoms_to(best.choice)
    pairs = contenders * (contenders - 1) / 2
    for row in (r for r in range(contenders) if r != best.choice):
        ratio = best.ratios[row]
        assert ratio is not None
        wide = stats.t.ppf(1 - alpha / 2 / pairs, freedoms[row]) * errors[row]
        assert np.log(ratio.high / ratio.low) / 2 == pytest.approx(wide)
        up = stats.t.ppf(1 - alpha / (contenders - 1), freedoms[row]) * errors[row]
        assert np.log1p(best.gains[row]) == pytest.approx(found.gap(best.choice, row) + up)


@pytest.mark.parametrize("missing", [False, True])
def test_dunnetts_intervals_are_for_contenders_timed_as_often(missing: bool) -> None:
    """Where one was timed less, it is Student's t at one m-th of the error."""
    logs = np.random.default_rng(0).normal(0, 0.02, (4, 6))
    if missing:
        logs[3, 4:] = np.nan
    seen = [np.flatnonzero(~np.isnan(row)) for row in logs]
    found = joint(
        [Times(tuple(at), tuple(np.exp(row[at]))) for row, at in zip(logs, seen, strict=True)], QUIET
    )
    assert found.noise.alike_all
    rows, alpha = np.array([1, 2, 3]), alpha_for(1)
    errors, freedoms = found.errors_to(0)[rows], found.freedoms_to(0)[rows]
    wide = (
        stats.t.ppf(1 - alpha / 6, freedoms)
        if missing
        else np.full(3, dunnett(3, float(np.floor(freedoms.min())), alpha))
    )
    made = against(found, 0, rows, 1)
    halves = [np.log(made[row].high / made[row].low) / 2 for row in rows]
    assert halves == pytest.approx(wide * errors)
    assert not np.allclose(
        stats.t.ppf(1 - alpha / 6, freedoms), dunnett(3, float(freedoms.min()), alpha), rtol=1e-3
    )
