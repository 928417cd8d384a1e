"""A filter graph that is too long for an argument is handed over in a file."""

import hashlib
from collections.abc import Sequence
from pathlib import Path

from ovrik.study.files.kept import cache_folder
from ovrik.study.files.whole_file import write_whole

LONGEST = 100_000
"""The kernel takes arguments of up to 128 KiB each."""
BY_SCRIPT = "filter_complex_script"
"""By this option builds up to version 7 read a graph from a file; later ones read any option's value from one."""


def graph_arguments(graph: str, options: Sequence[str]) -> list[str]:
    """How a build that takes these options is given a graph."""
    if len(graph.encode()) <= LONGEST:
        return ["-filter_complex", graph]
    place = graph_folder() / f"{hashlib.sha256(graph.encode()).hexdigest()[:32]}.graph"
    if not place.exists():
        write_whole(place, graph)
    return [f"-{BY_SCRIPT}" if BY_SCRIPT in options else "-/filter_complex", str(place)]


def graph_folder() -> Path:
    """Where long graphs lie."""
    return cache_folder("graphs")
