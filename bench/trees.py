"""Copies of the code that may be spoilt, and what the tests say of them."""

import os
import shutil
import subprocess
import sys
from collections.abc import Sequence
from pathlib import Path

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
