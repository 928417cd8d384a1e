"""Frames late and dropped, counted another way; and the streams that hold."""

import numpy as np
import pytest
from scipy import stats

from ovrik.analysis.scores.playback import PREROLL, Streams, between, most_held, paced
from ovrik.study.facts.played import Pace


def shown(moments: list[float], rate: float, preroll: int) -> int:
    """What a player does, screen period by screen period: it has a queue of what came, and at the end of each shows
    the newest that is due; how often that was nothing new before the last one was on the screen."""
    start, queue, on_screen, still, period = moments[0] + preroll / rate, list(enumerate(moments)), -1, 0, 0
    while on_screen < len(moments) - 1:
        due = [n for n, at in queue if at < start + (period + 1) / rate - 1e-9 and n <= period]
        still += max(due, default=0) <= on_screen and period > 0
        on_screen = max(due, default=0)
        period += 1
    return still


@pytest.mark.parametrize("seed", range(6))
def test_dropped_frames_agree_with_a_players_clock(seed: int) -> None:
    random = np.random.default_rng(seed)
    moments = np.cumsum(random.exponential(1 / 25, 200)).tolist()
    found = paced(moments, 25.0)
    assert found.dropped == shown(moments, 25.0, PREROLL)
    assert paced(moments, 25.0, 0).dropped == shown(moments, 25.0, 0) > found.dropped
    assert found.dropped <= 200 + round((moments[-1] - moments[0]) * 25)
    assert found.hitch_s == pytest.approx(max(np.diff(moments)) - 1 / 25)
    assert found.sustained == pytest.approx(199 / (moments[-1] - moments[0]))


def test_frames_in_time_hold_and_one_hitch_shows() -> None:
    steady = [n / 25 for n in range(50)]
    assert paced(steady, 25.0) == Pace(50, 0, 0, pytest.approx(25.0), pytest.approx(0, abs=1e-9), 25.0)
    assert paced(steady, 25.0).held
    # One frame comes late: it and what follows catch up, but how late it was against what a player holds ready tells.
    for late_s, wanted in ((0.07, (0, 0, True)), (0.1, (1, 0, True)), (0.14, (1, 1, False))):
        found = paced([t + late_s * (n == 10) for n, t in enumerate(steady)], 25.0)
        assert (found.late, found.dropped, found.held) == wanted
        assert found.hitch_s == pytest.approx(late_s)
    # A player that holds nothing ready drops a frame that is 60 ms late.
    assert paced([t + 0.06 * (n == 10) for n, t in enumerate(steady)], 25.0, 0).dropped == 1


def test_one_hitch_counts_once_however_late_all_that_follow_are() -> None:
    """A wait of five frames beyond its own time, then 25.1 frames a second: two are held ready, three are missed."""
    gaps = np.full(49, 1 / 25.1)
    gaps[20] += 5 / 25
    found = paced(np.concatenate([[0.0], np.cumsum(gaps)]).tolist(), 25.0)
    assert found.late > 25
    assert found.dropped in (2, 3)
    # Half as fast as it plays: every second period shows nothing new.
    slow = paced([n / 12.5 for n in range(50)], 25.0)
    assert slow.dropped == pytest.approx(49 - 2, abs=2)


def test_a_rate_over_rounds_has_students_interval() -> None:
    rounds = [22.6, 22.1, 23.3, 22.4]
    low, high = stats.t.interval(0.95, 3, np.mean(rounds), stats.sem(rounds))
    assert between(rounds) == pytest.approx((np.mean(rounds), low, high))
    assert between([24.0]) == (24.0, 0.0, float("inf"))


def test_too_slow_does_not_hold_and_too_few_frames_say_nothing() -> None:
    assert not paced([n / 24 for n in range(50)], 25.0).held
    assert not paced([1.0], 25.0).held
    assert not paced([], 25.0).held
    with pytest.raises(ValueError, match="above 0"):
        paced([0.0, 1.0], 0.0)


def test_the_most_streams_are_those_before_the_first_that_failed() -> None:
    good, bad = paced([n / 25 for n in range(9)], 25.0), paced([n / 20 for n in range(9)], 25.0)
    tried = [
        Streams(1, (good,)),
        Streams(2, (good, good)),
        Streams(3, (good, good, bad)),
        Streams(4, (good,) * 4),
    ]
    assert most_held(tried) == 2
    assert most_held(tried[::-1]) == 2
    assert most_held([Streams(1, (bad,))]) == most_held([]) == 0


def test_two_frames_have_a_pace_and_one_has_none() -> None:
    assert paced([0.0, 0.5], 25.0).sustained == 2.0
    assert paced([0.3], 25.0).sustained == 0.0
    assert paced([], 25.0).frames == 0
