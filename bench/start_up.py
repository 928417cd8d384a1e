"""From the command to a window that shows the demo's evidence, against importing its libraries alone."""

import os
import statistics
import subprocess
import sys
import time
from pathlib import Path

from bench.subject import work_folder
from ovrik.demo.scenario import unpack_demo

CODE = """
import sys
from ovrik.cli import main

def populated():
    from PyQt6.QtWidgets import QApplication
    app = QApplication.instance()
    [window] = [w for w in app.topLevelWidgets() if type(w).__name__ == "MainWindow"]
    while window.model.judge is None or not window.isVisible():
        app.processEvents()
    assert window.stations["verdict"].choice.panel.title.text() == window.model.evidence.choice.contender.label
    assert len(window.roster.list.found) == len(window.model.evidence.summaries)
    app.processEvents()
    THERE

import PyQt6.QtWidgets
PyQt6.QtWidgets.QApplication.exec = lambda self=None: populated()
main(["open", sys.argv[1]])
"""
"""The command itself; only its wait for the user is replaced."""
LIBRARIES = "import PyQt6.QtWidgets, numpy, scipy.special, pyqtgraph, av, pydantic, psutil, psygnal; THERE"
THERE = "import os, time; print(time.monotonic(), flush=True); os._exit(0)"
"""The moment that counts: what a process does to end is no part of a start."""


def _seconds(code: str, study: Path) -> float:
    # Libraries come compiled; so is Ovrik from its second start on, unless a shell forbids to keep that.
    env = {k: v for k, v in os.environ.items() if k != "PYTHONDONTWRITEBYTECODE"}
    env |= {"XDG_DATA_HOME": str(study.parent)}
    begin = [sys.executable, "-c", code.replace("THERE", THERE), str(study)]
    began = time.monotonic()
    done = subprocess.run(begin, env=env, check=True, capture_output=True, text=True)
    return float(done.stdout.split()[-1]) - began


def ratio(times: int = 7) -> tuple[float, float]:
    """Median seconds of a start, and the median of its ratios to the import of the libraries, taken in turn."""
    study = unpack_demo(work_folder() / "start-up")
    _seconds(CODE, study), _seconds(LIBRARIES, study)  # fills the page cache
    pairs = [(_seconds(CODE, study), _seconds(LIBRARIES, study)) for _ in range(times)]
    return statistics.median(a for a, _b in pairs), statistics.median(a / b for a, b in pairs)
