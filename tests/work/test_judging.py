"""What a run's output and its times lead to: reasons, floors and intervals, worked out here by other means."""

from fractions import Fraction

import numpy as np
import pytest
from scipy import linalg, stats

from added_runs import add_run, scored
from ovrik.report.words.reasons import reasons_words
from ovrik.store.study import Study
from ovrik.study.contender.contender import Contender
from ovrik.study.encoder.recipe import recipe
from ovrik.study.question.conduct import Conduct
from ovrik.study.question.limits import Limits, limits
from ovrik.work.evidence.gathered import Evidence, gather

TIMES = {1: [4.0, 4.4, 3.6, 4.1], 2: [2.0, 2.3, 1.8, 2.2], 4: [3.9, 4.5, 3.7, 3.9]}


def test_an_output_that_does_not_conform_is_not_acceptable(study: Study) -> None:
    scored(study, 1, [96.0] * 20)
    scored(study, 2, [96.0] * 20, ("it has 29 frames instead of 30",))
    first, second = gather(study).summaries[:2]
    assert first.acceptable is True
    assert second.acceptable is False
    assert tuple(reasons_words(second.reasons)) == ("it has 29 frames instead of 30",)
    assert gather(study).verdict.ids == (first.contender.contender_id,)


@pytest.mark.parametrize(
    ("asked", "vmaf", "reasons"),
    [
        (limits(vmaf_mean=90), [80.0] * 2 + [99.0] * 18, 0),
        (limits(vmaf_p5=90), [80.0] * 2 + [99.0] * 18, 1),
        (limits(vmaf_mean=97.2), [80.0] * 2 + [99.0] * 18, 1),
        (limits(vmaf_mean=97.1), [80.0] * 2 + [99.0] * 18, 0),
        (limits(vmaf_p5=90), [90.0] * 20, 0),
        (limits(vmaf_mean=90, vmaf_p5=90), [89.0] * 20, 2),
    ],
)
def test_each_floor_is_judged_by_its_own_figure(
    study: Study, asked: Limits, vmaf: list[float], reasons: int
) -> None:
    scored(study, 1, vmaf)
    study.set_limits(asked)
    assert len(gather(study).summaries[0].reasons) == reasons


def four_timed(study: Study) -> Evidence:
    """The baseline and two others, timed; one of three can't run."""
    study.add_contender(Contender("bundled", recipe("libx264", "fast", 22)))
    for contender, times in TIMES.items():
        for number, wall in enumerate(times, 1):
            add_run(study, contender, number, wall)
    return gather(study)


def by_hand(evidence: Evidence, contender: int, alpha: float) -> tuple[float, float]:
    """The interval of the ratio to the baseline, by SciPy's t on the moderated variances."""
    times = evidence.times
    logs = np.log(np.array(TIMES[1]) / np.array(TIMES[contender]))
    variances, freedoms = times.found.noise.variances, times.found.noise.freedoms
    # Four runs of each, of which each resembles the one before: the mean of such a series, by its covariance matrix.
    alike = linalg.toeplitz(round(times.found.alike.careful, 2) ** np.arange(4)).sum() / 4
    parts = variances[[times.rows[1], times.rows[contender]]] * alike / 4
    own = freedoms[[times.rows[1], times.rows[contender]]]
    freedom = min(parts.sum() ** 2 / (parts**2 / own).sum(), times.found.noise.total)
    half = stats.t.ppf(1 - alpha / 2, freedom) * np.sqrt(parts.sum())
    return float(np.exp(logs.mean() - half)), float(np.exp(logs.mean() + half))


def test_intervals_hold_for_all_comparisons_together(study: Study) -> None:
    evidence = four_timed(study)
    assert evidence.comparisons == 2
    for s in evidence.summaries:
        if s.contender.contender_id in (2, 4):
            assert s.ratio is not None
            assert (s.ratio.low, s.ratio.high) == pytest.approx(
                by_hand(evidence, s.contender.contender_id, 0.05 / 2), rel=1e-2
            )


def test_looks_are_paid_for_where_rounds_are_added(study: Study) -> None:
    study.set_conduct(Conduct(until_decided=True, most_rounds=10))
    evidence = four_timed(study)
    for s in evidence.summaries:
        if s.contender.contender_id in (2, 4):
            assert s.ratio is not None
            # 0.18 is what the table in docs/method.md has for ten rounds.
            assert (s.ratio.low, s.ratio.high) == pytest.approx(
                by_hand(evidence, s.contender.contender_id, 0.05 * 0.18 / 2), rel=1e-2
            )


def test_the_spread_shown_is_that_of_scipy(study: Study) -> None:
    for s in four_timed(study).summaries:
        if s.contender.contender_id in TIMES:
            logs = np.log(TIMES[s.contender.contender_id])
            assert s.spread is not None
            assert s.spread.share == pytest.approx(stats.tstd(logs))
            mean = stats.ttest_1samp(logs, 0).confidence_interval(0.95)
            assert (s.spread.low, s.spread.high) == pytest.approx((np.exp(mean.low), np.exp(mean.high)))


def test_size_a_minute_against_a_ceiling(study: Study) -> None:
    add_run(study, 1, 1, 3.0)
    excerpt, rate = study.facts().excerpt, study.programme().rate
    minutes = Fraction(excerpt.frames) / rate / 60
    per_minute = float(1 / minutes)  # the output is of one million bytes
    for ceiling, reasons in ((per_minute * 0.99, 1), (per_minute * 1.01, 0)):
        study.set_limits(limits(megabytes_per_minute=ceiling))
        found = gather(study).summaries[0]
        assert found.mb_per_minute == pytest.approx(per_minute)
        assert len(found.reasons) == reasons
