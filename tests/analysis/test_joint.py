"""All times at once: against means, against SciPy, and against a general least-squares solver."""

from dataclasses import replace

import numpy as np
import pytest
from scipy import linalg, special, stats

from ovrik.analysis.times.joint import ROUND_EFFECT, Joint, Times, joint
from ovrik.analysis.times.noise import (
    ALIKE,
    ALIKE_WEIGHT,
    KNOWN_FREEDOM,
    MOST_PAIRS,
    STATED,
    UNUSUAL,
    Prior,
    Shown,
    moderated,
    pooled_prior,
    trigamma_inverse,
)
from ovrik.analysis.times.succession import NOTHING, UNKNOWN, Likeness
from quiet_machine import NEVER_ALIKE, QUIET, independent


def made(table: np.ndarray, prior: Prior = QUIET) -> Joint:
    """Log times of shape (contenders, rounds); NaN where a contender was not timed."""
    out = []
    for row in table:
        seen = np.flatnonzero(~np.isnan(row))
        out.append(Times(tuple(int(n) + 1 for n in seen), tuple(np.exp(row[seen]))))
    return joint(out, prior)


def test_complete_rounds_give_geometric_means_and_paired_ratios() -> None:
    random = np.random.default_rng(1)
    logs = random.normal(0, 0.1, 5) + random.normal(2, 0.02, (4, 5)) + np.arange(4)[:, None]
    found = made(logs)
    assert found.logs == pytest.approx(logs.mean(axis=1), abs=2e-3)
    for n in range(1, 4):
        assert found.gap(0, n) == pytest.approx((logs[0] - logs[n]).mean(), abs=1e-9)
        assert np.exp(found.logs[0]) / np.exp(found.logs[n]) == pytest.approx(np.exp(found.gap(0, n)))


def test_incomplete_rounds_agree_with_a_general_solver() -> None:
    """Weighted least squares with the rounds as rows of their own, solved by SciPy as one big system."""
    random = np.random.default_rng(2)
    table = random.normal(0, 0.03, 6) + random.normal(1, 0.02, (5, 6)) + np.arange(5)[:, None] / 5
    table[3, 2:], table[4, 1:], table[1, 4:] = np.nan, np.nan, np.nan
    found = made(table)
    rows = [(i, r) for i in range(5) for r in range(6) if not np.isnan(table[i, r])]
    design = np.zeros((len(rows) + 6, 11))
    aim = np.zeros(len(rows) + 6)
    for n, (i, r) in enumerate(rows):
        weight = 1 / np.sqrt(found.noise.variances[i])
        design[n, i] = design[n, 5 + r] = weight
        aim[n] = weight * table[i, r]
    for r in range(6):
        design[len(rows) + r, 5 + r] = 1 / ROUND_EFFECT
    theirs = linalg.lstsq(design, aim)[0]
    cover = linalg.inv(design.T @ design)[:5, :5]
    assert found.logs == pytest.approx(theirs[:5], abs=1e-8)
    assert found.cover == pytest.approx(cover, abs=1e-10)
    for one in range(5):
        gap = np.zeros(5)
        gap[one] += 1
        gap[2] -= 1
        assert found.errors_to(2)[one] == pytest.approx(np.sqrt(max(gap @ cover @ gap, 0)), abs=1e-8)


def test_what_a_round_does_to_all_counts_for_nothing() -> None:
    random = np.random.default_rng(3)
    quiet = random.normal(1, 0.02, (3, 4))
    loud = quiet + np.array([0.0, 0.5, -0.3, 0.2])
    assert made(loud).gap(0, 2) == pytest.approx(made(quiet).gap(0, 2), abs=1e-4)
    assert made(loud).errors_to(0)[1] == pytest.approx(made(quiet).errors_to(0)[1], rel=0.1)


def test_shared_rounds_are_counted() -> None:
    table = np.log([[1.0, 1.0, np.nan], [2.0, np.nan, 2.0], [np.nan] * 3])
    found = made(table)
    assert (found.shared(0, 1), found.shared(0, 0), found.counts.tolist()) == (1, 2, [2, 2, 0])
    assert np.isnan(found.logs).tolist() == [False, False, True]


def test_times_that_can_not_be_are_refused() -> None:
    with pytest.raises(ValueError, match="positive"):
        joint([Times((1,), (0.0,))])


def test_moderated_variances_are_smyths() -> None:
    """d0 from the moments of log variances, by SciPy's own polygamma; then the weighed mean of own and common."""
    random = np.random.default_rng(5)
    freedoms = np.full(40, 4.0)
    squares = random.gamma(2, 2, 40) * random.gamma(3, 1 / 3, 40) * 0.0004
    own = squares / 4
    logs = np.log(own) - special.digamma(2.0) + np.log(2.0)
    apart = logs.var(ddof=1) * 40 - 40 * special.polygamma(1, 2.0)
    start = ALIKE_WEIGHT * special.polygamma(1, ALIKE / 2)
    d0 = 2 * trigamma_inverse(float((apart + start) / (40 + ALIKE_WEIGHT)))
    found = moderated(squares, freedoms, independent(0.02, 1e-9))
    assert found.alike == pytest.approx(d0)
    bound = stats.chi2.ppf(UNUSUAL, 4) * found.common
    assert found.common == pytest.approx(np.minimum(squares, bound).sum() / 160, rel=0.01)
    usual = squares <= bound
    assert 0 < usual.sum() < 40
    moderate = (d0 * found.common + squares) / (d0 + 4)
    assert found.variances[usual] == pytest.approx(moderate[usual])
    assert (found.variances[~usual] > moderate[~usual]).all()
    assert found.freedoms[usual] == pytest.approx(d0 + 4)
    assert (found.freedoms[~usual] < d0 + 4).all()


@pytest.mark.parametrize("x", [0.01, 0.5, 1.0, 3.7, 250.0])
def test_the_inverse_of_the_trigamma_function(x: float) -> None:
    assert trigamma_inverse(float(special.polygamma(1, x))) == pytest.approx(x, rel=1e-6)


def test_an_erratic_contender_keeps_its_own_spread() -> None:
    random = np.random.default_rng(6)
    logs = random.normal(0, 0.01, (12, 8))
    logs[5] += random.normal(0, 0.3, 8)
    found = made(logs).noise
    assert np.sqrt(found.variances[5]) > 0.15
    assert np.sqrt(np.delete(found.variances, 5)).max() < 0.1
    assert not found.alike_all


def test_the_prior_holds_at_first_and_is_soon_outweighed() -> None:
    random = np.random.default_rng(7)
    spread = []
    for rounds in (1, 2, 12):
        logs = random.normal(0, 0.01, (6, rounds))
        spread.append(float(np.sqrt(made(logs, independent(0.09, 3.0)).noise.common)))
    assert spread[0] == pytest.approx(0.09)
    assert spread[0] > spread[1] > spread[2]
    assert spread[2] < 0.025


def test_errors_are_as_large_as_the_scatter_of_estimates() -> None:
    """Over many studies the gaps scatter by their standard error, in rounds that are not complete too."""
    random, gaps, errors = np.random.default_rng(8), [], []
    for _ in range(500):
        table = random.normal(0, 0.03, 5) + random.normal(0, 0.02, (4, 5))
        table[3, 2:] = np.nan
        found = made(table, independent(0.02, 200.0))
        gaps.append([found.gap(0, n) for n in (1, 3)])
        errors.append(found.errors_to(0)[[1, 3]])
    scatter = np.std(gaps, axis=0)
    assert scatter == pytest.approx(np.mean(errors, axis=0), rel=0.1)


def test_intervals_cover_the_truth_as_often_as_students_say() -> None:
    """Two contenders and a prior that weighs nothing are a paired t test."""
    random = np.random.default_rng(9)
    logs = random.normal(0, 0.05, 7) + random.normal(0, 0.02, (2, 7))
    found = made(logs, independent(0.02, 1e-9))
    theirs = stats.ttest_rel(logs[0], logs[1])
    assert found.gap(0, 1) / found.errors_to(0)[1] == pytest.approx(theirs.statistic, rel=0.02)


def test_earlier_studies_on_the_machine_make_the_prior() -> None:
    assert pooled_prior([Shown(0.02, 9, NOTHING)]) is None
    found = pooled_prior([Shown(0.02, 30, Likeness(0.1, 10)), Shown(0.04, 10, Likeness(0.4, 2))])
    assert found is not None
    assert found.spread == pytest.approx(np.sqrt((30 * 0.02**2 + 10 * 0.04**2) / 40))
    assert (found.freedom, found.runs, found.fades) == (KNOWN_FREEDOM, 40, False)
    held = UNKNOWN.correlation * UNKNOWN.pairs
    assert found.alike.correlation == pytest.approx((held + 0.1 * 10 + 0.4 * 2) / (UNKNOWN.pairs + 12))
    many = pooled_prior([Shown(0.02, 300, Likeness(0.0, 5000))])
    assert many is not None
    assert many.alike.correlation < 0.01
    assert many.alike.pairs == MOST_PAIRS, "this study's own runs still count"


def test_what_is_only_stated_counts_for_less_the_more_runs_there_are() -> None:
    random, spreads = np.random.default_rng(4), []
    for rounds in (1, 3, 8):
        logs = random.normal(0, 0.01, (4, rounds))
        spreads.append(float(np.sqrt(made(logs, replace(STATED, alike=NEVER_ALIKE)).noise.common)))
    assert spreads[0] == pytest.approx(STATED.spread)
    assert spreads[0] > 1.5 * spreads[1] > 2 * spreads[2]
    assert spreads[2] < 0.02


def test_one_that_is_erratic_does_not_speak_for_the_others() -> None:
    random = np.random.default_rng(12)
    logs = random.normal(0, 0.02, (12, 6))
    alone = made(np.delete(logs, 3, axis=0)).noise
    logs[3] *= 5
    found = made(logs).noise
    others = np.delete(found.variances, 3)
    assert np.sqrt(others.mean() / alone.variances.mean()) < 1.35
    assert np.sqrt(found.variances[3]) > 0.8 * logs[3].std(ddof=1)
    assert found.freedoms[3] < others.size / 11 * np.delete(found.freedoms, 3).min()


def test_a_disturbed_run_says_as_little_as_it_may_be_off() -> None:
    """Weighed by what may have slowed it, it moves a mean by little, and tells nothing of the others' spread."""
    calm = np.random.default_rng(2).normal(0, 0.02, (3, 5))
    times = [Times(tuple(range(5)), tuple(np.exp(row))) for row in calm]
    loud = np.exp(calm[0] + np.array([0, 0, 0.6, 0, 0]))
    marked = Times(tuple(range(5)), tuple(loud), slowed=(0, 0, 0.7, 0, 0))
    before, after = (joint([one, *times[1:]], QUIET) for one in (times[0], marked))
    bare = joint([replace(marked, slowed=()), *times[1:]], QUIET)
    assert after.gap(0, 1) == pytest.approx(before.gap(0, 1), abs=0.02)
    assert abs(bare.gap(0, 1) - before.gap(0, 1)) > 0.1
    assert after.noise.common < 2 * before.noise.common < bare.noise.common / 4
    assert after.errors_to(1)[0] > before.errors_to(1)[0]


def test_where_all_are_disturbed_nothing_is_told_apart() -> None:
    """Other programs used nine tenths of the processors: what is left of a run may be a tenth or all of it."""
    logs = np.random.default_rng(8).normal(0, 0.05, (3, 4)) + np.array([[0.0], [0.1], [0.3]])
    times = [Times(tuple(range(4)), tuple(np.exp(row)), slowed=(2.3,) * 4) for row in logs]
    found = joint(times, QUIET)
    assert found.errors_to(0)[1:].min() > 0.3


def test_times_that_never_vary_leave_no_noise_however_many_rounds_are_missing() -> None:
    """What is known of noise is then what was assumed, spread over all degrees of freedom (Smyth 2004)."""
    table = np.repeat([[0.0], [0.5], [1.0], [1.1]], 12, axis=1)
    table[1, 3:], table[2, :7], table[3, 1:] = np.nan, np.nan, np.nan
    found = made(table)
    assert found.noise.common * found.noise.total == pytest.approx(QUIET.freedom * QUIET.spread**2)
    assert found.logs == pytest.approx([0.0, 0.5, 1.0, 1.1], abs=1e-9)


def test_how_far_a_reading_may_be_off_is_half_its_step() -> None:
    """A time that is read to ±0.5 s, in logs; whether it was read once or twice, it is the same clock."""
    found = joint(
        [
            Times((1,), (10.0,), 0.5),
            Times((1, 2), (20.0, 20.0), 0.5),
            Times((1, 2), (5.0, 5.0)),
            Times((), ()),
        ]
    )
    assert found.read == pytest.approx([0.05, 0.025, 0.0, 0.0])
