"""What each factor brings, against a table of effects and interactions that is known."""

import itertools

import numpy as np
import pytest

from ovrik.analysis.choice.factor_effects import FactorEffect, LevelEffect, factor_effects
from ovrik.analysis.times.cells import Cells, cells_of
from ovrik.analysis.times.joint import Times, joint
from ovrik.analysis.times.noise import Prior

BUILD, PRESET, DEPTH = ("5.1", "9.0"), ("ultrafast", "fast", "medium", "slow"), ("8", "10")
SPEED = {"9.0": 1.07, "fast": 0.5, "medium": 0.25, "slow": 0.1, "10": 0.8}
"""Known effects: how many times as fast a level is as the first of its factor."""
SIZE = {"9.0": 1.0, "fast": 0.9, "medium": 0.8, "slow": 0.75, "10": 1.02}
GAIN = {"9.0": 0.0, "fast": 1.0, "medium": 2.0, "slow": 2.5, "10": 0.2}
GRID = [{"build": b, "preset": p, "depth": d} for b, p, d in itertools.product(BUILD, PRESET, DEPTH)]


def truth(cell: dict[str, str], interaction: float) -> float:
    """Seconds. At ultrafast the newer build is `interaction` times as fast again."""
    seconds = 10.0
    for level in cell.values():
        seconds /= SPEED.get(level, 1.0)
    if (cell["build"], cell["preset"]) == ("9.0", "ultrafast"):
        seconds /= interaction
    return seconds


def timed(random: np.random.Generator, interaction: float, noise: float, rounds: int = 4) -> Cells:
    effect = random.normal(0, 0.02, rounds)
    runs = [
        Times(
            tuple(range(rounds)),
            tuple(truth(c, interaction) * np.exp(effect + random.normal(0, noise, rounds))),
        )
        for c in GRID
    ]
    return cells_of([joint(runs, Prior(0.03, 3.0))])


def found(cells: Cells, base: dict[str, str] | None = None) -> dict[str, FactorEffect]:
    sizes = np.array([np.prod([SIZE.get(v, 1.0) for v in c.values()]) for c in GRID]) * 1e6
    gains = np.array([90 + sum(GAIN.get(v, 0.0) for v in c.values()) for c in GRID])
    made = factor_effects(
        GRID, cells, base or {"build": "5.1", "preset": "medium", "depth": "8"}, 0.02, sizes, gains
    )
    return {f.key: f for f in made}


def level(of: FactorEffect, name: str) -> LevelEffect:
    return next(x for x in of.levels if x.level == name)


def test_without_noise_the_table_comes_back() -> None:
    effects = found(timed(np.random.default_rng(1), 1.0, 1e-6))
    assert [(f.key, f.base, len(f.levels)) for f in effects.values()] == [
        ("build", "5.1", 1),
        ("preset", "medium", 3),
        ("depth", "8", 1),
    ]
    build = level(effects["build"], "9.0")
    assert build.ratio.value == pytest.approx(1.07, rel=1e-4)
    assert build.pairs == 8
    assert (build.answer, build.other) == ("faster", "")
    slow = level(effects["preset"], "slow")
    assert slow.ratio.value == pytest.approx(0.4, rel=1e-4)
    assert slow.answer == "slower"
    assert slow.size is not None
    assert slow.quality is not None
    assert slow.size.mean == pytest.approx(0.75 / 0.8)
    assert slow.quality.mean == pytest.approx(0.5)
    assert slow.size.low == pytest.approx(0.75 / 0.8)


def test_an_interaction_is_found_where_it_is() -> None:
    """ "7 % faster everywhere but at ultrafast": there the newer build loses what it gains."""
    effects = found(timed(np.random.default_rng(2), 1 / 1.2, 0.005))
    build = level(effects["build"], "9.0")
    assert build.other == "preset"
    assert [g.level for g in build.exceptions] == ["ultrafast"]
    assert build.exceptions[0].ratio.value == pytest.approx(1.07 / 1.2, rel=0.01)
    assert build.exceptions[0].answer == "slower"
    assert build.ratio.value == pytest.approx(1.07, rel=0.01)
    assert build.ratio.pairs == 6
    # Seen from the other side: what ultrafast brings is another thing with the newer build.
    assert level(effects["preset"], "ultrafast").other == "build"


def test_intervals_hold_together_and_nothing_is_made_up() -> None:
    """In at least 95 of 100 simulated grids every interval of every factor holds its true value, and no interaction
    is claimed where there is none; where there is one it is found."""
    random = np.random.default_rng(7)
    held = honest = seen = 0
    for _grid in range(200):
        effects = found(timed(random, 1.0, 0.03))
        every = [(f, x) for f in effects.values() for x in f.levels]
        held += all(
            x.ratio.low <= SPEED.get(x.level, 1.0) / SPEED.get(f.base, 1.0) <= x.ratio.high  # type: ignore[operator]
            for f, x in every
        )
        honest += not any(x.other for _f, x in every)
        build = level(found(timed(random, 1.25, 0.03))["build"], "9.0")
        seen += build.other == "preset" and [g.level for g in build.exceptions] == ["ultrafast"]
    assert held >= 188
    assert honest >= 190
    assert seen >= 180


def test_what_never_varies_alone_is_said() -> None:
    """The slow preset was only timed with 10 bit: neither can be told from the other."""
    kept = [
        n for n, c in enumerate(GRID) if (c["preset"] != "slow" or c["depth"] == "10") and c["build"] == "5.1"
    ]
    kept = [n for n in kept if GRID[n]["preset"] == "slow" or GRID[n]["depth"] == "8"]
    cells = timed(np.random.default_rng(3), 1.0, 0.01)
    logs = np.full(len(GRID), np.nan)
    logs[kept] = cells.logs[kept]
    effects = found(Cells(logs, cells.cover, cells.parts, cells.freedoms, cells.total))
    assert "build" not in effects
    assert effects["preset"].alone == ("slow",)
    assert effects["depth"].levels == ()
    alone = found(Cells(logs, cells.cover, cells.parts, cells.freedoms, cells.total), {"preset": "slow"})
    assert alone["preset"].base != "slow", "what has no pairs is no base, whoever wants it"


def test_the_base_is_one_that_has_pairs() -> None:
    cells = timed(np.random.default_rng(4), 1.0, 0.01)
    assert found(cells, {"preset": "nothing"})["preset"].base in PRESET
    assert found(cells, {"preset": "slow"})["preset"].base == "slow"
    assert level(found(cells, {"preset": "slow"})["preset"], "medium").answer == "faster"
