"""What a verdict costs and how often it is wrong, on simulated line-ups, by the code that decides real ones."""

import sys
from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass, replace

import numpy as np

from ovrik.analysis.ahead import Ahead, ahead, position
from ovrik.analysis.best import against
from ovrik.analysis.contest import contest
from ovrik.analysis.joint import Joint, Times, joint
from ovrik.analysis.noise import STATED, Prior
from ovrik.analysis.ratio import Ratio

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
    `baseline_off`, an interval against the baseline misses; `choice_off`, one against the choice does; `bound_off`,
    the bound on what a rival could gain is too low; `planned`, whether the plan after the first round held the
    rest's cost."""

    cost: float
    undecided: bool
    wrong: bool
    called: bool
    baseline_off: bool
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
    fastest = truth[able].min()
    return Outcome(
        cost / float(np.exp(truth).sum()),
        bool(timed),
        not timed and bool(truth[best.choice] - fastest > np.log1p(BAND)),
        any(r is not None and r.high < 1 and truth[n] <= truth[best.choice] for n, r in _high(best.ratios)),
        _missed(against(found, base, np.flatnonzero(able), MOST_ROUNDS).items(), truth, base),
        _missed(enumerate(best.ratios), truth, best.choice),
        bool(truth[best.choice] - fastest > np.log1p(best.gain) + 1e-12),
        None if planned is None else planned.seconds_low <= cost - at_plan <= planned.seconds_high,
    )


def _high(ratios: tuple[Ratio | None, ...]) -> Iterator[tuple[int, Ratio]]:
    return ((n, r) for n, r in enumerate(ratios) if r is not None and r.high is not None)


def _missed(ratios: Iterable[tuple[int, Ratio | None]], truth: np.ndarray, base: int) -> bool:
    return any(
        r is not None and not r.low <= float(np.exp(truth[base] - truth[row])) <= r.high for row, r in ratios
    )


def _plan(found: Joint, able: np.ndarray, timed: tuple[int, ...], base: int) -> Ahead:
    return ahead(position(found, able, base if base in timed else None, BAND, 1, MOST_ROUNDS))


def main(studies: int = 400) -> None:
    """Print a line for each kind of line-up."""
    print(
        f"{'line-up':42}{'rounds’ worth':>16}{'goal':>12}  undecided  wrong  called  baseline  choice  bound  plan"
    )
    for cell in cells():
        draw = np.random.default_rng(12)
        got = [study(cell, draw, plan=cell.goal is not None) for _ in range(studies)]
        cost = np.array([o.cost for o in got])

        def share(name: str, got: list[Outcome] = got) -> str:
            values = [getattr(o, name) for o in got if getattr(o, name) is not None]
            return f"{100 * np.mean(values):.1f} %" if values else "–"

        goal = f"{cell.goal[0]:g} ({cell.goal[1]:g})" if cell.goal else ""
        print(
            f"{cell.name:42}{f'{np.median(cost):.2f} ({np.quantile(cost, 0.9):.2f})':>16}{goal:>12}"
            f"{share('undecided'):>11}{share('wrong'):>7}{share('called'):>8}{share('baseline_off'):>10}"
            f"{share('choice_off'):>8}{share('bound_off'):>7}{share('planned'):>8}",
            flush=True,
        )


if __name__ == "__main__":
    main(int(sys.argv[1]) if len(sys.argv) > 1 else 400)
