"""The parts of a run by the clock, of one pass and of two."""

from dataclasses import replace

import pytest

from ovrik.analysis.times.estimate import from_trial
from ovrik.export.run.timed import RunResult
from ovrik.store.records.run import RunRecord, RunState
from ovrik.study.facts.passes import PassTimes
from ovrik.study.programme.excerpt import Excerpt
from ovrik.work.apart.phases import shape_of

TWO = (PassTimes(10.0, 0.5, 9.5), PassTimes(12.0, 0.5, 11.0))
MADE = RunRecord(
    contender_id=1,
    excerpt=Excerpt(0, 250),
    started_utc="",
    state=RunState.DONE,
    wall_s=22.0,
    first_frame_s=0.5,
    last_frame_s=21.0,
    passes=TWO,
    earlier_passes=(("x",),),
)


def test_both_passes_are_paced() -> None:
    found = shape_of([MADE])
    assert found is not None
    assert (found.first, found.steady, found.finish) == (1.0, 19.5, 1.5)
    assert found.pace == pytest.approx(250 / 19.5)


def test_a_run_whose_passes_are_not_known_is_not_cut_up() -> None:
    """The first frame that earlier schemas kept was the last pass's: all of the first pass seemed start-up."""
    assert shape_of([replace(MADE, passes=(), first_frame_s=10.5)]) is None
    assert shape_of([replace(MADE, passes=(TWO[0], PassTimes(12.0)))]) is None
    one = replace(MADE, passes=(), earlier_passes=())
    assert shape_of([one]) is not None


def test_a_forecast_from_a_trial_of_two_passes_grows_with_both() -> None:
    """A trial of 30 frames that took 1.2 s, of them 0.2 s before frames came in either pass: 600 frames take 20.2 s,
    not the 9 s of one whose first pass was taken for start-up."""
    tried = RunResult("done", "", passes=(PassTimes(0.6, 0.1, 0.6), PassTimes(0.6, 0.1, 0.6)))
    assert tried.start_up_s == pytest.approx(0.2)
    assert from_trial(1.2, tried.start_up_s, 30, 600).seconds == pytest.approx(20.2)
