"""Copies of the code that may be spoilt, and what the tests say of them."""

import os
import shutil
import subprocess
import sys
import tempfile
from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import ThreadPoolExecutor, as_completed
from pathlib import Path
from queue import SimpleQueue
from typing import TypeVar

Tried = TypeVar("Tried")

ROOT = Path(__file__).parents[1]
COPIED = ("src", "tests", "bench", "docs", "pyproject.toml", "README.md", "CONTRIBUTING.md", "run")
MOST_S = 300


def copied(into: Path) -> Path:
    """All that the tests need, in a new folder."""
    into.mkdir()
    for name in COPIED:
        there = ROOT / name
        if there.is_dir():
            shutil.copytree(there, into / name, ignore=shutil.ignore_patterns("__pycache__", "*.egg-info"))
        else:
            shutil.copy(there, into / name)
    return into


def red(words: Sequence[str], tree: Path) -> bool:
    """Whether pytest finds something wrong in this tree, or does not come to an end in a time in which it should."""
    try:
        done = subprocess.run(
            [sys.executable, "-m", "pytest", "-q", "-x", "-p", "no:cacheprovider", *words],
            cwd=tree,
            env={**os.environ, "PYTHONPATH": f"{tree / 'src'}:{tree}", "QT_QPA_PLATFORM": "offscreen"},
            capture_output=True,
            timeout=MOST_S,
            check=False,
        )
    except subprocess.TimeoutExpired:
        return True
    # 5: there was no test to run, as where all of a file has to be alone on the machine.
    return done.returncode not in (0, 5)


def in_copies(
    todo: Sequence[Tried], answer: Callable[[Tried, Path], str], workers: int = 2
) -> Iterator[tuple[Tried, str]]:
    """Each with its answer, as they come; every worker has a copy of the code to itself."""
    free: SimpleQueue[Path] = SimpleQueue()

    def with_a_tree(one: Tried) -> tuple[Tried, str]:
        tree = free.get()
        try:
            return one, answer(one, tree)
        finally:
            free.put(tree)

    with tempfile.TemporaryDirectory(prefix="ovrik-mutants-") as folder, ThreadPoolExecutor(workers) as pool:
        for number in range(workers):
            free.put(copied(Path(folder) / str(number)))
        for done in as_completed([pool.submit(with_a_tree, one) for one in todo]):
            yield done.result()
