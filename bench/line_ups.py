"""Kinds of line-ups that a verdict is tried on: how their times are drawn, round after round."""

from collections.abc import Iterator
from dataclasses import dataclass, replace

import numpy as np

MOST_ROUNDS = 20
SIZES = (2, 6, 12, 30)
THROTTLED, OUTLIER = 0.25, 0.34
"""How far a throttled run is slowed down, and an outlier at the most, in logs of times."""


@dataclass(frozen=True)
class Kind:
    """Fields: `name`; `contenders`; `apart`, how far each is behind the one before it, as logs of times; `spread`
    of one run; `alike`, how far a contender's run correlates with its one before, and `rounds_alike` a round with
    the one before; `block`, how far rounds spread; `tails`, "t3" for Student's t with three degrees of freedom,
    "outliers" for a tenth that something slows down; `erratic`, who spreads five times as much: "one", "half" or
    ""; `in_round`, by how much a round slows from its first run to its last, and `over_rounds` from each to the
    next; `throttled`, whether a fifth of the runs is; `lost`, the share of runs that come to nothing."""

    name: str
    contenders: int
    apart: float = 0.02
    spread: float = 0.03
    alike: float = 0.0
    rounds_alike: float = 0.0
    block: float = 0.03
    tails: str = ""
    erratic: str = ""
    in_round: float = 0.0
    over_rounds: float = 0.0
    throttled: bool = False
    lost: float = 0.0


def drawn_alike(draw: np.random.Generator, alike: float, shape: tuple[int, ...], tails: str) -> np.ndarray:
    """Series of variance 1 along the last axis, each value of which correlates so with the one before."""
    fresh = draw.standard_t(3, shape) / np.sqrt(3) if tails == "t3" else draw.standard_normal(shape)
    out = fresh.copy()
    for at in range(1, shape[-1]):
        out[..., at] = alike * out[..., at - 1] + np.sqrt(1 - alike**2) * fresh[..., at]
    return out


@dataclass(frozen=True, eq=False)
class LineUp:
    """One study's truth. Fields: `kind`; `logs` of the true times, shape (k,); `errors` of each contender's runs in
    their order, shape (k, rounds); `rounds`, what each does to all in it, shape (rounds,)."""

    kind: Kind
    logs: np.ndarray
    errors: np.ndarray
    rounds: np.ndarray

    def seconds(self, row: int, run: int, number: int, place: float) -> float:
        """What a contender's run takes in a round, at a place of it from 0 to 1."""
        log = self.logs[row] + self.errors[row, run] + self.rounds[number] + self.kind.in_round * place
        return float(np.exp(log))


def line_up(kind: Kind, draw: np.random.Generator) -> LineUp:
    """Draw one; who is fastest is drawn too."""
    k, shape = kind.contenders, (kind.contenders, MOST_ROUNDS)
    spreads = np.full(k, kind.spread)
    spreads[draw.permutation(k)[: {"": 0, "one": 1, "half": k // 2}[kind.erratic]]] *= 5
    errors = drawn_alike(draw, kind.alike, shape, kind.tails) * spreads[:, None]
    if kind.tails == "outliers":
        errors = errors + draw.uniform(0, OUTLIER, shape) * (draw.random(shape) < 0.1)
    if kind.throttled:
        errors = errors + THROTTLED * (draw.random(shape) < 0.2)
    rounds = kind.block * drawn_alike(draw, kind.rounds_alike, (MOST_ROUNDS,), "")
    rounds = rounds + kind.over_rounds * np.arange(MOST_ROUNDS)
    return LineUp(kind, draw.permutation(np.arange(k) * kind.apart), errors, rounds)


HARD = (
    *(Kind(f"spread {100 * s:g} %", 0, spread=s) for s in (0.01, 0.03, 0.06, 0.10, 0.20)),
    *(Kind(f"runs alike, {r:g}", 0, alike=r) for r in (0.3, 0.5, 0.7)),
    Kind("rounds alike, 0.7, and spread by 8 %", 0, rounds_alike=0.7, block=0.08),
    Kind("Student's t, 3", 0, tails="t3"),
    Kind("a tenth outliers", 0, tails="outliers"),
    Kind("one erratic", 0, spread=0.02, erratic="one"),
    Kind("half erratic", 0, spread=0.02, erratic="half"),
    Kind("rounds slow by 5 % from end to end", 0, in_round=0.05),
    Kind("each round 3 % slower", 0, over_rounds=0.03),
    Kind("a fifth throttled", 0, throttled=True),
    Kind("a fifth lost", 0, lost=0.2),
    Kind("alike 0.5, half erratic, outliers", 0, spread=0.02, alike=0.5, erratic="half", tails="outliers"),
)
"""Everything at the edge of the tie band."""


def hard() -> Iterator[tuple[str, list[Kind]]]:
    """Each of these in all sizes, and some with all contenders equal."""
    for kind in HARD:
        yield kind.name, [replace(kind, contenders=k) for k in SIZES]
        if kind.name in EQUAL:
            yield f"{kind.name}, all equal", [replace(kind, contenders=k, apart=0.0) for k in SIZES]


EQUAL = ("spread 3 %", "runs alike, 0.7", "a tenth outliers", "one erratic")


QUIET = {
    **{f"{k} over a factor of 8": Kind("", k, apart=float(np.log(8)) / (k - 1)) for k in (6, 12, 30)},
    **{f"{k}, 3 % apart": Kind("", k, apart=0.03) for k in (6, 12, 30)},
    **{f"{k}, 8 % apart": Kind("", k, apart=0.08) for k in (6, 12, 30)},
    **{f"{k}, 3 % apart, spread 1 %": Kind("", k, apart=0.03, spread=0.01) for k in (6, 12, 30)},
}
"""On a quiet machine that is known."""
