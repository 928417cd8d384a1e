"""What a verdict costs and how often it is wrong, on simulated line-ups, by the code that decides real ones."""

import sys
import time
from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass, replace

import numpy as np

from bench.seed import drawn
from ovrik.analysis.choice.best import against, best_of
from ovrik.analysis.choice.contest import contest
from ovrik.analysis.times.ahead import Ahead, ahead, position
from ovrik.analysis.times.joint import Joint, Times, joint
from ovrik.analysis.times.noise import STATED, Prior
from ovrik.analysis.times.ratio import Ratio

BEFORE = {
    "6, 3 % apart": "20 and more",
    "12, 3 % apart": "20 and more",
    "30, 3 % apart": "20 and more",
    "6, 8 % apart": "8 to 14",
    "12, 8 % apart": "8 to 14",
    "30, 8 % apart": "8 to 14",
}
"""Rounds' worth that comparisons with the baseline took to name one or a tie."""
BAND, MOST_ROUNDS, BLOCK = 0.02, 20, 0.03


@dataclass(frozen=True)
class Cell:
    """A kind of line-up. Fields: `name`; `logs` of the true times, shape (k,); `spreads` of one run, made anew for
    each study; `prior` of the noise; `drift`, by how much a round slows from its first run to its last; `outliers`,
    share of runs that something slows by up to 40 %; `failing`, share of outputs that miss a limit; `goal`, median
    and 90th percentile of the machine time, or None."""

    name: str
    logs: np.ndarray
    spreads: Callable[[np.random.Generator, int], np.ndarray]
    prior: Prior = STATED
    drift: float = 0.0
    outliers: float = 0.0
    failing: float = 0.0
    goal: tuple[float, float] | None = None


@dataclass
class Outcome:
    """One simulated study. Fields: `cost` in rounds' worth of everybody; `undecided`; `wrong`, the choice is more
    than the band slower than the truly fastest; `called`, somebody truly equal was called slower than the choice;
    `baseline_missed` of `baseline_shown` intervals against the baseline miss; `choice_off`, one against the choice
    does; `bound_off`, the bound on what a rival could gain is too low; `planned`, whether the plan after the first
    round held the rest's cost."""

    cost: float
    undecided: bool
    wrong: bool
    called: bool
    baseline_missed: int
    baseline_shown: int
    choice_off: bool
    bound_off: bool
    planned: bool | None


def even(spread: float) -> Callable[[np.random.Generator, int], np.ndarray]:
    """All runs spread alike."""
    return lambda _draw, k: np.full(k, spread)


def uneven(draw: np.random.Generator, k: int) -> np.ndarray:
    """Spreads from 1 to 6 %."""
    return draw.uniform(0.01, 0.06, k)


def one_erratic(draw: np.random.Generator, k: int) -> np.ndarray:
    """2 %, and one of 12 %."""
    out = np.full(k, 0.02)
    out[draw.integers(k)] = 0.12
    return out


def cells() -> Iterator[Cell]:
    """All kinds of line-ups, those with a goal first."""
    goals = {6: (5.5, 8.0), 12: (3.5, 5.0), 30: (3.5, 5.0)}
    for k in (6, 12, 30):
        decade = np.linspace(0, np.log(8), k)
        yield Cell(f"{k} over a factor of 8", decade, even(0.03), goal=(1.3, 2.5))
        yield Cell(f"{k}, 3 % apart", np.arange(k) * 0.03, even(0.03), goal=goals[k])
    for k in (6, 12, 30):
        apart = np.arange(k) * 0.03
        yield Cell(f"{k} equal", np.zeros(k), even(0.03))
        yield Cell(f"{k}, 1 % apart", np.arange(k) * 0.01, even(0.03))
        yield Cell(f"{k}, 8 % apart", np.arange(k) * 0.08, even(0.03))
        yield Cell(f"{k}, 3 % apart, spreads 1 to 6 %", apart, uneven)
        yield Cell(f"{k} equal, spreads 1 to 6 %", np.zeros(k), uneven)
        yield Cell(f"{k}, 3 % apart, one erratic", apart, one_erratic)
        yield Cell(f"{k}, 3 % apart, spread 1 %", apart, even(0.01))
        yield Cell(f"{k}, 3 % apart, spread 6 %", apart, even(0.06))
        yield Cell(f"{k}, 3 % apart, rounds drift by 5 %", apart, even(0.03), drift=0.05)
        yield Cell(f"{k}, 3 % apart, 3 % outliers", apart, even(0.03), outliers=0.03)
        yield Cell(f"{k}, 3 % apart, prior a third", apart, even(0.03), replace(STATED, spread=0.01))
        yield Cell(f"{k}, 3 % apart, prior threefold", apart, even(0.03), replace(STATED, spread=0.09))
        yield Cell(f"{k} equal, prior a third", np.zeros(k), even(0.03), replace(STATED, spread=0.01))
        yield Cell(f"{k}, 3 % apart, a tenth failing", apart, even(0.03), failing=0.1)
        yield Cell(f"{k}, 3 % apart, half failing", apart, even(0.03), failing=0.5)


def study(cell: Cell, draw: np.random.Generator, plan: bool) -> Outcome:
    """One study from its first round to the decision, or to the limit."""
    k = len(cell.logs)
    spreads, base = cell.spreads(draw, k), int(draw.integers(k))
    able = np.ones(k, bool)
    able[draw.permutation(k)[: round(cell.failing * k)]] = False
    rounds: list[list[int]] = [[] for _ in range(k)]
    seconds: list[list[float]] = [[] for _ in range(k)]
    timed, cost, at_plan, planned = tuple(range(k)), 0.0, 0.0, None
    for number in range(1, MOST_ROUNDS + 1):
        effect = draw.normal(0, BLOCK)
        for place, row in enumerate(draw.permutation(timed)):
            log = cell.logs[row] + effect + draw.normal(0, spreads[row]) + cell.drift * place / len(timed)
            log += draw.uniform(0, 0.34) * (draw.random() < cell.outliers)
            rounds[row].append(number)
            seconds[row].append(float(np.exp(log)))
            cost += float(np.exp(log))
        found = joint([Times(tuple(r), tuple(s)) for r, s in zip(rounds, seconds, strict=True)], cell.prior)
        now = contest(found, able, base, BAND, MOST_ROUNDS)
        if plan and number == 1:
            at_plan, planned = cost, _plan(found, able, now.timed, base)
        timed = now.timed
        if not timed:
            break
    assert now.best is not None
    truth, best = cell.logs, now.best
    versus = against(found, base, np.flatnonzero(able), MOST_ROUNDS)
    fastest = truth[able].min()
    return Outcome(
        cost / float(np.exp(truth).sum()),
        bool(timed),
        not timed and bool(truth[best.choice] - fastest > np.log1p(BAND)),
        any(r is not None and r.high < 1 and truth[n] <= truth[best.choice] for n, r in _high(best.ratios)),
        _missed(versus.items(), truth, base),
        len(versus),
        bool(_missed(enumerate(best.ratios), truth, best.choice)),
        bool(truth[best.choice] - fastest > np.log1p(best.gain) + 1e-12),
        None if planned is None else planned.seconds_low <= cost - at_plan <= planned.seconds_high,
    )


def _high(ratios: tuple[Ratio | None, ...]) -> Iterator[tuple[int, Ratio]]:
    return ((n, r) for n, r in enumerate(ratios) if r is not None and r.high is not None)


def _missed(ratios: Iterable[tuple[int, Ratio | None]], truth: np.ndarray, base: int) -> int:
    return sum(
        r is not None and not r.low <= float(np.exp(truth[base] - truth[row])) <= r.high for row, r in ratios
    )


def _plan(found: Joint, able: np.ndarray, timed: tuple[int, ...], base: int) -> Ahead:
    return ahead(position(found, able, base if base in timed else None, BAND, 1, MOST_ROUNDS))


@dataclass(frozen=True)
class Found:
    """What a kind of line-up came to. Fields: `cell`; `outcomes`, one for each study."""

    cell: Cell
    outcomes: tuple[Outcome, ...]

    @property
    def cost(self) -> tuple[float, float]:
        """Machine time in rounds' worth of everybody: median and 90th percentile."""
        costs = [o.cost for o in self.outcomes]
        return float(np.median(costs)), float(np.quantile(costs, 0.9))

    def share(self, name: str) -> float:
        """Per cent of the studies in which something was so; NaN where it was not asked."""
        values = [getattr(o, name) for o in self.outcomes if getattr(o, name) is not None]
        return 100 * float(np.mean(values)) if values else float("nan")

    @property
    def missed(self) -> tuple[float, float]:
        """Per cent of single intervals against the baseline that miss, and of studies in which any does."""
        shown = sum(o.baseline_shown for o in self.outcomes)
        missed = sum(o.baseline_missed for o in self.outcomes)
        return 100 * missed / max(shown, 1), 100 * float(
            np.mean([o.baseline_missed > 0 for o in self.outcomes])
        )

    def row(self) -> str:
        """A row of the table in docs/method.md."""
        goal = f"{self.cell.goal[0]:g} ({self.cell.goal[1]:g})" if self.cell.goal else ""
        plan = f"{self.share('planned'):.0f} %" if self.cell.goal else ""
        shares = (f"{self.share(n):.1f} %" for n in ("undecided", "wrong", "called"))
        rest = (f"{self.missed[0]:.1f}, {self.missed[1]:.1f} %", f"{self.share('bound_off'):.1f} %", plan)
        cost = f"{self.cost[0]:.2f} ({self.cost[1]:.2f})"
        cells = (self.cell.name, cost, goal, BEFORE.get(self.cell.name, ""), *shares, *rest)
        return f"| {' | '.join(cells)} |"


def found(studies: int, say: Callable[[str], None] = print) -> list[Found]:
    """Simulate every kind of line-up, and say its row."""
    say("| line-up | machine time | goal | before | undecided | wrong | called | miss | bound | plan |")
    say("|---|---|---|---|---|---|---|---|---|---|")
    out = []
    for cell in cells():
        draw = drawn(cell.name)
        out.append(Found(cell, tuple(study(cell, draw, cell.goal is not None) for _ in range(studies))))
        say(out[-1].row())
    return out


def seconds_of_200() -> float:
    """Verdict and all intervals of 200 contenders with 20 runs each, best of five."""
    draw, k = drawn("200 contenders"), 200
    logs = (
        np.linspace(0, 2, k)[:, None]
        + draw.normal(0, BLOCK, MOST_ROUNDS)
        + draw.normal(0, 0.03, (k, MOST_ROUNDS))
    )
    times = [Times(tuple(range(MOST_ROUNDS)), tuple(np.exp(row))) for row in logs]
    took = []
    for _ in range(5):
        began = time.perf_counter()
        at_once = joint(times)
        best_of(at_once, np.ones(k, bool), BAND, MOST_ROUNDS)
        against(at_once, 0, np.arange(k), MOST_ROUNDS)
        took.append(time.perf_counter() - began)
    return min(took)


if __name__ == "__main__":
    found(int(sys.argv[1]) if len(sys.argv) > 1 else 400)
