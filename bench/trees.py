"""Copies of the code that may be spoilt, and what the tests say of them."""

import multiprocessing
import os
import shutil
import signal
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


def red(words: Sequence[str], tree: Path, most_s: float = MOST_S) -> bool:
    """Whether pytest finds something wrong in this tree, or does not come to an end in a time in which it should.

    In a fork of a process that has the libraries loaded and nothing of Ovrik: starting is most of what a quick test
    costs."""
    forks = multiprocessing.get_context("forkserver")
    forks.set_forkserver_preload(["bench.loaded"])
    process = forks.Process(target=_tested, args=(list(words), str(tree)))
    process.start()
    process.join(most_s)
    if process.exitcode is None:
        os.killpg(process.pid or 0, signal.SIGKILL)
        process.join()
    # 5: there was no test to run, as where all of a file has to be alone on the machine.
    return process.exitcode not in (0, 5)


def _tested(words: list[str], tree: str) -> None:
    """Ends with pytest's exit code; what it says goes nowhere."""
    os.setsid()
    os.chdir(tree)
    nowhere = os.open(os.devnull, os.O_WRONLY)
    os.dup2(nowhere, 1)
    os.dup2(nowhere, 2)
    os.environ |= {"PYTHONPATH": f"{tree}/src:{tree}", "QT_QPA_PLATFORM": "offscreen"}
    sys.path[:0] = [f"{tree}/src", f"{tree}/tests", tree]
    import pytest

    code = int(pytest.main(["-q", "-x", "-p", "no:cacheprovider", *words]))
    os._exit(code)


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
