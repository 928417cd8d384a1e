"""From the command to a window that shows the demo's evidence."""

import os
import statistics
import subprocess
import sys
import time

from bench.subject import work_folder

CODE = """
import sys, time
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


def seconds(times: int = 3) -> float:
    """Median of some starts, each with a data folder of its own, so that the demo is unpacked too."""
    took = []
    for number in range(times):
        env = {**os.environ, "XDG_DATA_HOME": str(work_folder() / f"data-{number}")}
        began = time.monotonic()
        subprocess.run([sys.executable, "-c", CODE], env=env, check=True)
        took.append(time.monotonic() - began)
    return statistics.median(took)
