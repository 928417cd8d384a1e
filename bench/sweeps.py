"""The tests that `./run test` leaves out: many cases of what a few there show, and what needs a quiet machine."""

import os
import subprocess
import sys
import tempfile
from dataclasses import dataclass
from pathlib import Path
from xml.etree import ElementTree

from bench.trees import ROOT


@dataclass(frozen=True)
class Swept:
    """Fields: `tests`, how many there are; `wrong`, how many of them failed or could not be run."""

    tests: int
    wrong: int


def swept() -> Swept:
    """Run those of many cases, two at a time."""
    return _run(["--sweeps", "-n", "2"])


def quiet() -> Swept:
    """Run those that time something by the clock, one after another."""
    return _run(["-m", "quiet"])


def _run(words: list[str]) -> Swept:
    with tempfile.TemporaryDirectory() as folder:
        told = Path(folder) / "told.xml"
        subprocess.run(
            [sys.executable, "-m", "pytest", "-q", *words, f"--junitxml={told}", "tests"],
            cwd=ROOT,
            env={**os.environ, "QT_QPA_PLATFORM": "offscreen"},
            stdout=sys.stderr,
            check=False,
        )
        suite = ElementTree.parse(told).getroot()[0]
    return Swept(int(suite.get("tests", 0)), int(suite.get("failures", 0)) + int(suite.get("errors", 0)))
