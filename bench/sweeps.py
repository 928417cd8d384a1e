"""The tests that are marked as sweeps: many cases of what a few in `./run test` show."""

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
    """Run them all."""
    with tempfile.TemporaryDirectory() as folder:
        told = Path(folder) / "told.xml"
        subprocess.run(
            [sys.executable, "-m", "pytest", "-q", "--sweeps", "-n", "2", f"--junitxml={told}", "tests"],
            cwd=ROOT,
            env={**os.environ, "QT_QPA_PLATFORM": "offscreen"},
            stdout=sys.stderr,
            check=False,
        )
        suite = ElementTree.parse(told).getroot()[0]
    return Swept(int(suite.get("tests", 0)), int(suite.get("failures", 0)) + int(suite.get("errors", 0)))
