"""What a verdict costs and how often it is wrong, on simulated line-ups, by the code that decides real ones."""

import os
import sys
import time
from collections.abc import Callable, Iterable, Sequence
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass, replace
from itertools import chain

import numpy as np

from bench.line_ups import MOST_ROUNDS, QUIET, Kind, LineUp, hard, line_up
from bench.seed import drawn
from ovrik.analysis.choice.best import against, best_of
from ovrik.analysis.choice.contest import contest
from ovrik.analysis.times.ahead import Ahead, ahead, position
from ovrik.analysis.times.joint import Joint, Times, joint
from ovrik.analysis.times.noise import STATED, Prior, Shown, pooled_prior
from ovrik.analysis.times.ratio import Ratio
from ovrik.work.evidence.fixed_job import TIMES, begun_with

BAND, BEFORE = 0.02, 10
"""The tie band; and earlier studies of the same kind that a machine is known by."""
GOALS = {
    "6 over a factor of 8": (1.3, 2.5),
    "12 over a factor of 8": (1.4, 2.5),
    "30 over a factor of 8": (1.5, 2.5),
    "6, 3 % apart": (7.0, 9.9),
    "12, 3 % apart": (4.5, 6.1),
    "30, 3 % apart": (2.7, 3.2),
}
"""Machine time in rounds' worth of everybody, median and 90th percentile. The lower three are 1.05 of what it costs
to be right in every kind of line-up of `hard`: 1.5, 1.3 and 1.2 times the 4.39 (7.17), 3.35 (4.51) and 2.19 (2.66)
that it took while runs were taken for independent."""


@dataclass(frozen=True)
class Outcome:
    """One simulated study. Fields: `cost` in rounds' worth of everybody; `undecided`; `wrong`, the choice is more
    than the band slower than the truly fastest; `called`, somebody truly no slower was called slower than the
    choice; `missed`, after any look an interval against the baseline did not hold the truth; `missed_last`, at
    its end; `chosen_missed`, likewise one against the choice; `planned`, whether the plan after the first round
    held the rest's cost; `shown`, what it shows of the machine."""

    cost: float
    undecided: bool
    wrong: bool
    called: bool
    missed: bool
    missed_last: bool
    chosen_missed: bool
    planned: bool
    shown: Shown | None


def study(kind: Kind, draw: np.random.Generator, prior: Prior) -> Outcome:
    """One from its first round to the decision, or to the limit."""
    truth, k = line_up(kind, draw), kind.contenders
    base, able = int(draw.integers(k)), np.ones(k, bool)
    times: list[list[tuple[int, float]]] = [[] for _ in range(k)]
    timed, cost, missed, plan = tuple(range(k)), 0.0, False, None
    for number in range(MOST_ROUNDS):
        cost += _round(truth, times, timed, number, draw)
        found = joint([Times(tuple(n for n, _s in t), tuple(s for _n, s in t)) for t in times], prior)
        now = contest(found, able, base, BAND, MOST_ROUNDS)
        last = _misses(against(found, base, np.arange(k), MOST_ROUNDS).items(), truth.logs, base)
        missed |= last
        if plan is None:
            plan = cost, _plan(found, able, now.timed, base)
        timed = now.timed
        if not timed:
            break
    assert now.best is not None
    assert plan is not None
    best, fastest = now.best, truth.logs.min()
    noise = found.noise
    return Outcome(
        cost=cost / float(np.exp(truth.logs).sum()),
        undecided=bool(timed),
        wrong=not timed and bool(truth.logs[best.choice] - fastest > np.log1p(BAND) - 1e-9),
        called=any(
            r is not None and (r.high or 1) < 1 and truth.logs[n] <= truth.logs[best.choice]
            for n, r in enumerate(best.ratios)
        ),
        missed=missed,
        missed_last=last,
        chosen_missed=_misses(enumerate(best.ratios), truth.logs, best.choice),
        planned=plan[1].seconds_low <= cost - plan[0] <= plan[1].seconds_high,
        shown=Shown(noise.shown**0.5, noise.shown_freedom, found.alike_shown)
        if noise.shown_freedom
        else None,
    )


def _round(
    truth: LineUp,
    times: list[list[tuple[int, float]]],
    timed: Sequence[int],
    number: int,
    draw: np.random.Generator,
) -> float:
    """Time these in a round; gives the seconds that it took. In the first nothing is lost."""
    took = 0.0
    for place, row in enumerate(draw.permutation(list(timed))):
        seconds = truth.seconds(row, len(times[row]), number, place / len(timed))
        took += seconds
        if not number or draw.random() >= truth.kind.lost:
            times[row].append((number, seconds))
    return took


def _misses(ratios: Iterable[tuple[int, Ratio | None]], truth: np.ndarray, base: int) -> bool:
    return any(
        r is not None and not (r.low or 0) <= float(np.exp(truth[base] - truth[row])) <= (r.high or np.inf)
        for row, r in ratios
    )


def _plan(found: Joint, able: np.ndarray, timed: tuple[int, ...], base: int) -> Ahead:
    return ahead(position(found, able, base if base in timed else None, BAND, 1, MOST_ROUNDS))


@dataclass(frozen=True)
class Cell:
    """A kind of line-up on a machine that is known, or of which nothing is. Fields: `kind`; `known`; `outcomes`."""

    kind: Kind
    known: bool
    outcomes: tuple[Outcome, ...]

    @property
    def cost(self) -> tuple[float, float]:
        """Machine time in rounds' worth of everybody: median and 90th percentile."""
        costs = [o.cost for o in self.outcomes]
        return float(np.median(costs)), float(np.quantile(costs, 0.9))

    def share(self, name: str) -> float:
        """Per cent of the studies in which something was so."""
        return 100 * float(np.mean([getattr(o, name) for o in self.outcomes]))


JOB_SHARE = 0.5
"""A short job that touches no drive spreads by so much of what exports do."""


def _job(kind: Kind, draw: np.random.Generator) -> float:
    """How a fixed job spread on the same machine."""
    truth = line_up(replace(kind, contenders=1, spread=JOB_SHARE * kind.spread, erratic=""), draw)
    return float(np.std(truth.errors[0, : TIMES - 1], ddof=1))


def cell(kind: Kind, known: bool, studies: int) -> Cell:
    """Simulate it; a known machine is known by other studies for every twenty, another by a fixed job."""
    draw, prior, out = drawn(f"{kind} {known}"), STATED, list[Outcome]()
    for number in range(studies):
        if known and number % 20 == 0:
            before = (study(kind, draw, STATED).shown for _ in range(BEFORE))
            prior = pooled_prior([s for s in before if s]) or STATED
        if not known:
            prior = replace(STATED, spread=begun_with(_job(kind, draw)))
        out.append(study(kind, draw, prior))
    return Cell(kind, known, tuple(out))


@dataclass(frozen=True)
class Row:
    """What a kind of line-up came to in all its sizes. Fields: `name`; `cells`."""

    name: str
    cells: tuple[Cell, ...]

    def worst(self, name: str, known: bool) -> float:
        """Per cent in the size in which it is most."""
        return max(c.share(name) for c in self.cells if c.known is known)

    def text(self) -> str:
        """A row of the table in docs/method.md."""
        of = ("undecided", "wrong", "called", "missed_last", "missed", "chosen_missed")
        pairs = (" ".join(f"{self.worst(name, known):.1f}" for known in (True, False)) for name in of)
        cost = " ".join(
            f"{np.median([c.cost[0] for c in self.cells if c.known is k]):.1f}" for k in (True, False)
        )
        return f"| {self.name} | {cost} | {' | '.join(pairs)} |"


HEAD = "| line-up | rounds | undecided | wrong | called | miss at the end | after any look | against the choice |"


def found(studies: int, say: Callable[[str], None] = print, only: str = "") -> list[Row]:
    """Simulate every kind, each size of it known and unknown, and say its row."""
    say(f"{HEAD}\n|{'---|' * 8}")
    rows = []
    with ProcessPoolExecutor(os.cpu_count()) as pool:
        for name, kinds in hard():
            if only in name:
                both = [(kind, known) for kind in kinds for known in (True, False)]
                cells = pool.map(cell, *zip(*both, strict=True), [studies] * len(both))
                rows.append(Row(name, tuple(cells)))
                say(rows[-1].text())
    return rows


def quiet(studies: int, say: Callable[[str], None] = print) -> dict[str, Cell]:
    """What it costs on a quiet machine that is known."""
    with ProcessPoolExecutor(os.cpu_count()) as pool:
        cells = pool.map(cell, QUIET.values(), [True] * len(QUIET), [studies] * len(QUIET))
        out = dict(zip(QUIET, cells, strict=True))
    say("| line-up | machine time | undecided | wrong | plan |\n|---|---|---|---|---|")
    for name, one in out.items():
        cells = (f"{one.cost[0]:.2f} ({one.cost[1]:.2f})", *(f"{one.share(n):.1f}" for n in SHOWN))
        say(f"| {name} | {' | '.join(cells)} |")
    return out


SHOWN = ("undecided", "wrong", "planned")


def seconds_of_200() -> float:
    """Verdict and all intervals of 200 contenders with 20 runs each, best of five."""
    draw, k = drawn("200 contenders"), 200
    logs = np.linspace(0, 2, k)[:, None] + draw.normal(0, 0.03, 20) + draw.normal(0, 0.03, (k, 20))
    times = [Times(tuple(range(20)), tuple(np.exp(row))) for row in logs]
    took = []
    for _ in range(5):
        began = time.perf_counter()
        at_once = joint(times)
        best_of(at_once, np.ones(k, bool), BAND, MOST_ROUNDS)
        against(at_once, 0, np.arange(k), MOST_ROUNDS)
        took.append(time.perf_counter() - began)
    return min(took)


if __name__ == "__main__":
    count = int(sys.argv[1]) if len(sys.argv) > 1 else 400
    quiet(count)
    found(count, only=next(chain(sys.argv[2:3], [""])))
