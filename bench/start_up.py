"""From the command to a window that shows the demo's evidence, against importing its libraries alone."""

import os
import statistics
import subprocess
import sys
import time

from bench.subject import work_folder

CODE = """
from ovrik.demo.scenario import unpack_demo
from ovrik.desk.app import application
from ovrik.desk.window import MainWindow
from ovrik.store.study import Study
app = application()
window = MainWindow(Study.open(unpack_demo()))
window.show()
while window.runner.small_jobs or not window.isVisible():
    app.processEvents()
assert window.stations["verdict"].table.rowCount() == len(window.model.evidence.summaries)
app.processEvents()
"""
LIBRARIES = "import PyQt6.QtWidgets, numpy, scipy.special, pyqtgraph, av"
THERE = "\nimport os, time\nprint(time.monotonic(), flush=True)\nos._exit(0)"
"""The moment that counts: what a process does to end is no part of a start."""


def _seconds(code: str) -> float:
    env = {**os.environ, "XDG_DATA_HOME": str(work_folder() / "start-up data")}
    began = time.monotonic()
    done = subprocess.run(
        [sys.executable, "-c", code + THERE], env=env, check=True, capture_output=True, text=True
    )
    return float(done.stdout.split()[-1]) - began


def ratio(times: int = 7) -> tuple[float, float]:
    """Median seconds of a start, and the median of its ratios to the import of the libraries, taken in turn."""
    _seconds(CODE), _seconds(LIBRARIES)  # unpacks the demo, and fills the page cache
    pairs = [(_seconds(CODE), _seconds(LIBRARIES)) for _ in range(times)]
    return statistics.median(a for a, _b in pairs), statistics.median(a / b for a, b in pairs)
