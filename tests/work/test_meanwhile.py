"""Outputs are scored while they are checked: what was foreseen is taken, what turned out otherwise is not."""

import threading
from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np
import pytest

from ovrik.errors import Ask, OvrikError, Stopped
from ovrik.quality.scores.metrics import BesideFilters, ToScore
from ovrik.store.records.score import MetricScores
from ovrik.work.checking.meanwhile import Meanwhile, Scores

WANTED: Any = None  # what they are to be is asked by nobody here
ONE, OTHER, LATE = (
    ToScore(Path(name), WANTED, beside=BesideFilters(trim))
    for name, trim in (("a", ""), ("b", ""), ("b", "trim=start_frame=2,"))
)


def of(value: float) -> Scores:
    return {"vmaf": MetricScores("", np.array([value]))}


def begun(
    scoring: Callable[[Callable[[float], None], Ask], list[Scores]], stop: Ask = lambda: False
) -> Meanwhile:
    made = Meanwhile((ONE, OTHER), scoring)
    made.begin(stop)
    return made


def test_each_gets_its_own_whatever_is_asked_for_in_whatever_order() -> None:
    meanwhile = begun(lambda _say, _stop: [of(1), of(2)])
    found = meanwhile.of((OTHER, LATE, ONE), lambda _s: None)
    assert [f and f["vmaf"].values.tolist() for f in found] == [[2], None, [1]]


def test_what_nobody_wants_is_ended() -> None:
    ended = threading.Event()

    def scoring(_say: Callable[[float], None], stop: Ask) -> list[Scores]:
        while not stop():
            ended.wait(0.01)
        ended.set()
        raise Stopped

    assert begun(scoring).of([LATE], lambda _s: None) == [None]
    assert ended.is_set()


def test_how_far_it_is_is_told_while_one_waits_for_it() -> None:
    heard, told = threading.Event(), list[float]()

    def scoring(say: Callable[[float], None], _stop: Ask) -> list[Scores]:
        say(0.5)
        assert heard.wait(5)
        return [of(1), of(2)]

    def tell(share: float) -> None:
        told.append(share)
        heard.set()

    assert begun(scoring).of([ONE], tell) != [None]
    assert set(told) == {0.5}


def test_a_failure_leaves_them_to_be_scored_one_by_one_and_a_stop_is_a_stop() -> None:
    def fails(trouble: BaseException) -> Callable[[Callable[[float], None], Ask], list[Scores]]:
        def scoring(_say: Callable[[float], None], _stop: Ask) -> list[Scores]:
            raise trouble

        return scoring

    assert begun(fails(OvrikError("one could not be scored", ""))).of([ONE], lambda _s: None) == [None]
    with pytest.raises(Stopped):
        begun(fails(Stopped())).of([ONE], lambda _s: None)
    with pytest.raises(ZeroDivisionError):
        begun(fails(ZeroDivisionError())).of([ONE], lambda _s: None)


def test_without_jobs_nothing_begins() -> None:
    meanwhile = Meanwhile((), lambda _say, _stop: pytest.fail("begun"))
    meanwhile.begin(lambda: False)
    assert meanwhile.of([ONE], lambda _s: None) == [None]
