"""A structure of plain values, changed here and there so that most of it stays as it was."""

import json
from collections.abc import Iterator
from typing import Any

import numpy as np

NUMBERS = (0, 1, -1, 2, 3, 7, 255, 1 << 31, (1 << 63) - 1, -(1 << 63), 0.0, 0.5, -0.5, 1e-9, 1e9, 1e308)
TEXTS = (
    "",
    "x",
    "-o",
    "é" * 40,
    "a\nb",
    "\x1b[2J",
    "{input}",
    "%d",
    "=1+1",
    "1/0",
    "25/1",
    "30000/1001",
    "9" * 60,
)
MOST = 3
GROWN = 200
"""How long a list becomes that grows."""
Path = tuple[Any, ...]


def paths(value: Any, here: Path = ()) -> Iterator[Path]:
    """Where each value of a structure stands, its own place first."""
    yield here
    children = (
        value.items() if isinstance(value, dict) else enumerate(value) if isinstance(value, list) else ()
    )
    for key, child in children:
        yield from paths(child, (*here, key))


def at(value: Any, path: Path) -> Any:
    """What stands there."""
    for key in path:
        value = value[key]
    return value


def changed(value: Any, chance: np.random.Generator, texts: tuple[str, ...] = ()) -> Any:
    """A copy with up to three changes; `texts`, more that may come in some text's place."""
    made = json.loads(json.dumps(value))
    for _ in range(int(chance.integers(1, MOST + 1))):
        inner = [p for p in paths(made) if p]
        if inner:
            _change(made, inner[int(chance.integers(len(inner)))], chance, texts)
    return made


def _change(made: Any, path: Path, chance: np.random.Generator, texts: tuple[str, ...]) -> None:
    parent, key = at(made, path[:-1]), path[-1]
    here = parent[key]
    kind = chance.choice(("value", "value", "value", "value", "drop", "double", "graft", "other kind"))
    if kind == "drop":
        del parent[key]
    elif kind == "double" and isinstance(parent, list):
        parent[key:key] = [here] * int(chance.choice((1, 1, 2, GROWN)))
    elif kind == "graft":
        every = list(paths(made))
        parent[key] = json.loads(json.dumps(at(made, every[int(chance.integers(len(every)))])))
    elif kind == "other kind":
        parent[key] = [None, True, 5, 0.5, "x", [], {}, [here], {"x": here}][int(chance.integers(9))]
    else:
        parent[key] = other(here, made, chance, texts)


def other(here: Any, whole: Any, chance: np.random.Generator, texts: tuple[str, ...]) -> Any:
    """Another value of the same kind."""
    if isinstance(here, bool):
        return not here
    if isinstance(here, int | float):
        near = (here + 1, here - 1, here * 2, here / 2, -here)
        return (*near, *NUMBERS)[int(chance.integers(len(near) + len(NUMBERS)))]
    if isinstance(here, str):
        own = [v for p in paths(whole) if isinstance(v := at(whole, p), str)]
        every = [*own, *own, *TEXTS, *texts, *texts, here + " ", here[:-1], here.upper()]
        return every[int(chance.integers(len(every)))]
    if isinstance(here, list):
        return [here[n] for n in chance.permutation(len(here))]
    if isinstance(here, dict) and here:
        keys = list(here)
        return {
            (keys[int(chance.integers(len(keys)))] if n == 0 else k): v
            for n, (k, v) in enumerate(here.items())
        }
    return "x"


def toml(value: dict[str, Any]) -> str:
    """As TOML: tables within lists as tables of their own, everything else on one line."""
    plain, tables = [], []
    for key, v in value.items():
        if isinstance(v, dict):
            tables.append(f"[{json.dumps(key)}]\n{_lines(v)}")
        elif isinstance(v, list) and v and all(isinstance(x, dict) for x in v):
            tables += [f"[[{json.dumps(key)}]]\n{_lines(x)}" for x in v]
        else:
            plain.append(f"{json.dumps(key)} = {_literal(v)}\n")
    return "".join([*plain, *tables])


def _lines(table: dict[str, Any]) -> str:
    return "".join(f"{json.dumps(k)} = {_literal(v)}\n" for k, v in table.items())


def _literal(v: Any) -> str:
    if isinstance(v, dict):
        return "{" + ", ".join(f"{json.dumps(k)} = {_literal(x)}" for k, x in v.items()) + "}"
    if isinstance(v, list):
        return "[" + ", ".join(map(_literal, v)) + "]"
    if v is None:
        return '""'
    return json.dumps(v).replace("\\ud", "\\uFFFD\\u0d") if isinstance(v, str) else json.dumps(v)
