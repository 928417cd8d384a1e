"""Studies opened one after another, in one window and in windows of their own: nothing of the last one stays."""

import gc
import shutil
from pathlib import Path

from PyQt6 import sip
from PyQt6.QtWidgets import QApplication
from pytestqt.qtbot import QtBot

from ovrik.desk.app.main import take_down
from ovrik.desk.app.station_table import STATIONS
from ovrik.desk.app.window import MainWindow
from ovrik.desk.model.study import DeskModel
from ovrik.store.study import Study

LONG_MS = 60_000
TWENTY = 20


def copies(study: Study, folder: Path, count: int) -> list[Path]:
    """So many studies, each called otherwise."""
    paths = [folder / f"it's “{number}”.ovrik" for number in range(count)]
    for path in paths:
        shutil.copy(study.path, path)
    return paths


def alive(kind: type) -> int:
    """How many objects of a kind there are."""
    gc.collect()
    return sum(isinstance(found, kind) for found in gc.get_objects())


def test_twenty_in_one_window(tiny_window: MainWindow, study: Study, qtbot: QtBot, tmp_path: Path) -> None:
    before = alive(DeskModel)
    for number, path in enumerate(copies(study, tmp_path, TWENTY)):
        tiny_window.files.open_path(path)
        qtbot.waitUntil(lambda path=path: tiny_window.model.study.path == path, timeout=LONG_MS)
        if number < len(STATIONS):
            tiny_window.go(STATIONS[-1 - number].key)
        qtbot.waitUntil(lambda: not tiny_window.runner.small_jobs, timeout=LONG_MS)
    assert alive(DeskModel) <= before + 1


def test_windows_come_and_go(qapp: QApplication, study: Study, qtbot: QtBot, tmp_path: Path) -> None:
    top, kept = len(qapp.topLevelWidgets()), alive(MainWindow)
    for path in copies(study, tmp_path, 6):
        window = MainWindow(Study.open(path))
        window.machine.probed = True
        window.show()
        qtbot.waitUntil(lambda window=window: not window.runner.small_jobs, timeout=LONG_MS)
        take_down(window)
        assert sip.isdeleted(window)
        del window
    assert alive(MainWindow) <= kept + 1
    assert len(qapp.topLevelWidgets()) <= top + 1
