"""One stopwatch time against times that Ovrik measured: a ratio with an interval, which holds."""

import math

import numpy as np
import pytest

from added_runs import add_run
from ovrik.analysis.choice.best import against
from ovrik.analysis.times.joint import Times, joint
from ovrik.analysis.times.noise import Prior
from ovrik.store.study import Study
from ovrik.work.evidence.gathered import gather
from ovrik.work.outside.by_hand import enter_time


def test_one_time_by_hand_is_held_against_the_baselines_measured_ones(study: Study) -> None:
    base, other, *_more = study.contenders()
    for number in range(1, 6):
        add_run(study, base.contender_id, number, 10.0 + 0.1 * (number % 3))
    enter_time(study, other, 20.0, 1.0)
    coarse = gather(study).summaries[1]
    assert coarse.by_hand
    assert coarse.ratio is not None
    assert coarse.ratio.value == pytest.approx(0.5, rel=0.05)
    assert coarse.ratio.low is not None
    assert coarse.ratio.high is not None
    assert coarse.ratio.low < 0.5 < coarse.ratio.high
    assert coarse.ratio.high - coarse.ratio.low > 0.025, "no surer than it was read"
    assert gather(study).verdict.choice == base.contender_id or not gather(study).summaries[0].judged


def test_like_is_compared_with_like_where_there_is_such(study: Study) -> None:
    base, other, *_more = study.contenders()
    add_run(study, base.contender_id, 1, 10.0)
    enter_time(study, base, 12.0, 0.1)
    enter_time(study, other, 6.0, 0.1)
    ratio = gather(study).summaries[1].ratio
    assert ratio is not None
    assert ratio.value == pytest.approx(2.0)


@pytest.mark.parametrize("spread", [0.02, 0.08])
def test_the_interval_holds(spread: float) -> None:
    """Five measured rounds of three contenders, and one time by hand of a fourth, read to the second, made at another
    moment at which everything may take up to a tenth more or less."""
    draw, hits, trials = np.random.default_rng(20261201), 0, 300
    for _n in range(trials):
        moments = draw.normal(0, 0.04, 6)
        rows = [
            Times(
                tuple(("driven", r) for r in range(5)),
                tuple(t * np.exp(moments[r] + draw.normal(0, spread)) for r in range(5)),
            )
            for t in (20.0, 25.0, 30.0)
        ]
        by_hand = round(40.0 * math.exp(moments[5] + draw.normal(0, spread)))
        rows.append(Times((("by hand", 1),), (float(by_hand),), 0.5))
        ratio = against(joint(rows, Prior(spread, 3.0, 40)), 0, np.array([1, 2, 3]), 0)[3]
        assert ratio.low is not None
        assert ratio.high is not None
        hits += ratio.low <= 0.5 <= ratio.high
    assert hits / trials >= 0.95
