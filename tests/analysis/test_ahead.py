"""The plan for the rest holds what really comes, on simulated studies that end as real ones do."""

import numpy as np
import pytest

from ovrik.analysis.choice.contest import contest
from ovrik.analysis.times.ahead import Ahead, ahead, position
from ovrik.analysis.times.joint import Joint, Times, joint
from quiet_machine import QUIET

BAND, MOST = 0.02, 20


class Simulated:
    """A study whose true log times are known. The baseline is the last row."""

    def __init__(self, logs: np.ndarray, seed: int) -> None:
        self.logs, self.draw = logs, np.random.default_rng(seed)
        self.rounds: list[list[int]] = [[] for _ in logs]
        self.seconds: list[list[float]] = [[] for _ in logs]

    def time(self, number: int, rows: tuple[int, ...]) -> Joint:
        """Add a round of these, and fit all times."""
        effect = self.draw.normal(0, 0.03)
        for row in rows:
            self.rounds[row].append(number)
            self.seconds[row].append(float(np.exp(self.logs[row] + effect + self.draw.normal(0, 0.03))))
        return joint(
            [Times(tuple(r), tuple(s)) for r, s in zip(self.rounds, self.seconds, strict=True)], QUIET
        )

    def decide(self) -> tuple[Ahead | None, float, int]:
        """The plan after the first round, and the seconds and runs that came of it."""
        base, able = len(self.logs) - 1, np.ones(len(self.logs), bool)
        timed, plan, first, begun = tuple(range(len(self.logs))), None, 0.0, 0
        for number in range(1, MOST + 1):
            found = self.time(number, timed)
            timed = contest(found, able, base, BAND, MOST).timed
            if number == 1:
                also = base if base in timed else None
                plan = ahead(position(found, able, also, BAND, 1, MOST)) if timed else None
                first, begun = sum(map(sum, self.seconds)), sum(map(len, self.rounds))
            if not timed:
                break
        return plan, sum(map(sum, self.seconds)) - first, sum(map(len, self.rounds)) - begun


@pytest.mark.parametrize("logs", [np.arange(6) * 0.03, np.linspace(0, 1.0, 8)])
def test_the_plan_holds_what_comes(logs: np.ndarray) -> None:
    held = inside = planned = 0
    for seed in range(60):
        plan, seconds, runs = Simulated(logs, seed).decide()
        if plan is None:
            continue
        planned += 1
        held += plan.seconds_low <= seconds <= plan.seconds_high
        inside += plan.runs_low <= runs <= plan.runs_high
        assert plan.runs_low <= plan.runs <= plan.runs_high
        assert plan.seconds_low <= plan.seconds <= plan.seconds_high
    assert planned >= 20
    assert held >= 0.85 * planned
    assert inside >= 0.85 * planned


def test_the_plan_is_no_longer_than_its_limit_and_the_same_twice() -> None:
    study = Simulated(np.zeros(5), 3)
    found = study.time(1, tuple(range(5)))
    place = position(found, np.ones(5, bool), None, BAND, 1, 4)
    plan = ahead(place)
    assert plan.runs_high <= 3 * 5
    assert plan.undecided > 0.5
    assert plan == ahead(place)


def test_what_is_decided_needs_nothing_more() -> None:
    found = joint([Times((1, 2), (1.0, 1.01)), Times((1, 2), (9.0, 9.01))], QUIET)
    plan = ahead(position(found, np.ones(2, bool), None, BAND, 2, MOST))
    assert (plan.runs_high, plan.seconds_high, plan.undecided) == (0, 0.0, 0.0)
