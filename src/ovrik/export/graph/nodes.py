"""Filter graphs as values, written out with every character escaped that needs it."""

import re
from dataclasses import dataclass

IN_VALUE = re.compile(r"([\\':])")
IN_GRAPH = re.compile(r"([\\'\[\],;])")


@dataclass(frozen=True)
class Node:
    """One filter. Fields: `name`; `options`, pairs of option and value, the value as meant."""

    name: str
    options: tuple[tuple[str, str], ...] = ()

    def text(self) -> str:
        """As it stands in a graph."""
        said = ":".join(f"{key}={escaped(value)}" for key, value in self.options)
        return f"{self.name}={said}" if said else self.name


@dataclass(frozen=True)
class Chain:
    """Filters one after another. Fields: `inputs`, labels or streams without brackets; `nodes`;
    `outputs`, labels."""

    inputs: tuple[str, ...]
    nodes: tuple[Node, ...]
    outputs: tuple[str, ...]

    def text(self) -> str:
        """As it stands in a graph."""

        def labels(names: tuple[str, ...]) -> str:
            return "".join(f"[{n}]" for n in names)

        return labels(self.inputs) + ",".join(n.text() for n in self.nodes) + labels(self.outputs)


def node(name: str, /, **options: object) -> Node:
    """A filter by its options; a number is written in full, without an exponent."""
    return Node(name, tuple((key.rstrip("_"), _written(value)) for key, value in options.items()))


def _written(value: object) -> str:
    return f"{value:.8f}".rstrip("0").rstrip(".") if isinstance(value, float) else str(value)


def escaped(value: str) -> str:
    """A value for an option: escaped once for the option list and once for the graph around it."""
    return IN_GRAPH.sub(r"\\\1", IN_VALUE.sub(r"\\\1", value))


def graph_text(chains: list[Chain]) -> str:
    """The whole graph."""
    return ";".join(c.text() for c in chains)
