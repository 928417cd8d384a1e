"""The screen that a window is on goes away while something is timed."""

import os
import signal
import subprocess
import sys
import time
from contextlib import closing
from pathlib import Path

import psutil
import pytest

from ovrik.machine.processes.strays import MARK
from ovrik.store.study import Study
from ovrik.study.question.conduct import Conduct

LONG_S = 60
WINDOW = """
import sys
from pathlib import Path
from PyQt6.QtCore import QTimer
from PyQt6.QtWidgets import QApplication
from ovrik.desk.app.main import run_desk
from ovrik.desk.app.window import MainWindow

def begin():
    [window] = [w for w in QApplication.topLevelWidgets() if isinstance(w, MainWindow)]
    window.go("timing")
    window.stations["timing"].rounds.setValue(60)
    window.stations["timing"].start.click()

import ovrik.desk.app.main as desk
made = desk.application
def application():
    app = made()
    QTimer.singleShot(500, begin)
    return app
desk.application = application
sys.exit(run_desk(Path(sys.argv[1])))
"""


def test_what_had_ended_is_kept_and_nothing_is_left_at_work(study: Study, tmp_path: Path) -> None:
    path = study.path
    study.set_conduct(Conduct(rest=False, repeat_disturbed=False))
    study.close()
    read, write = os.pipe()
    screen = subprocess.Popen(
        ["Xvfb", "-displayfd", str(write), "-screen", "0", "1280x800x24", "-nolisten", "tcp"],
        pass_fds=(write,),
        stderr=subprocess.DEVNULL,
    )
    os.close(write)
    with os.fdopen(read) as said:
        name = f":{said.readline().strip()}"
    with (tmp_path / "log").open("wb") as log:
        window = subprocess.Popen(
            [sys.executable, "-c", WINDOW, str(path)],
            env={**os.environ, "DISPLAY": name, "QT_QPA_PLATFORM": "xcb"},
            stdout=log,
            stderr=log,
        )
    try:
        done = wait_for_runs(path, 2)
        screen.send_signal(signal.SIGKILL)
        assert window.wait(LONG_S) != 0
    finally:
        window.kill()
        screen.kill()
        screen.wait()
    until = time.monotonic() + LONG_S
    while at_work(window.pid) and time.monotonic() < until:
        time.sleep(0.1)
    assert not at_work(window.pid)
    with closing(Study.open(path)) as again:
        kept = {r.id: r.wall_s for r in again.runs() if r.state == "done"}
        assert {r.state for r in again.runs()} <= {"done", "interrupted", "stopped"}
        assert done.items() <= kept.items()
        assert again.hold.take()


def wait_for_runs(path: Path, count: int) -> dict[int, float | None]:
    until = time.monotonic() + LONG_S
    while time.monotonic() < until:
        time.sleep(0.3)
        with closing(Study.open(path)) as seen:
            done = {r.id: r.wall_s for r in seen.runs() if r.state == "done"}
        if len(done) >= count:
            return done
    pytest.fail("nothing is timed")


def at_work(killed: int) -> list[int]:
    """Living processes that carry the mark of an export of that window."""
    found = []
    for process in psutil.process_iter():
        try:
            mark = process.environ().get(MARK, "") if process.status() != psutil.STATUS_ZOMBIE else ""
        except psutil.Error:
            continue
        found += [process.pid] if mark.startswith(f"{killed}:") else []
    return found
