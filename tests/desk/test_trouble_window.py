"""Errors that nobody foresaw, bad files and places that can't be written: the window says so and lives on."""

import sqlite3
import sys
import threading
from contextlib import closing
from pathlib import Path

import pytest
from PyQt6.QtCore import QObject, Qt
from PyQt6.QtWidgets import QFileDialog
from pytestqt.qtbot import QtBot

from added_runs import add_run
from conftest import Open
from ovrik.desk.app.main import catch_errors
from ovrik.desk.app.window import MainWindow
from ovrik.desk.viewing.pictures import Pictures
from ovrik.log import log_file
from ovrik.quality.viewing.frames import FrameReader
from ovrik.store.study import Study
from tiny_clip import write_clip

LEFT = Qt.MouseButton.LeftButton


def fail() -> None:
    raise KeyError("nobody foresaw this")


@pytest.fixture
def hooked(tiny_window: MainWindow, monkeypatch: pytest.MonkeyPatch, tmp_path: Path) -> MainWindow:
    """A window that catches errors, as it does for users, and a log of this test's own."""
    monkeypatch.setenv("XDG_STATE_HOME", str(tmp_path / "state"))
    for place in (sys, threading):
        monkeypatch.setattr(place, "excepthook", place.excepthook)
    catch_errors(tiny_window)
    return tiny_window


def test_an_error_in_a_click_is_shown_and_written_down(hooked: MainWindow, qtbot: QtBot) -> None:
    hooked.go("timing")
    hooked.stations["timing"].start.clicked.disconnect()
    hooked.stations["timing"].start.clicked.connect(fail)
    qtbot.mouseClick(hooked.stations["timing"].start, LEFT)
    qtbot.waitUntil(lambda: "nobody foresaw this" in hooked.strip.words.text(), timeout=5000)
    assert "in fail" in log_file().read_text()
    hooked.go("verdict")
    assert hooked.isVisible()
    assert hooked.station_buttons["verdict"].isChecked()


def test_an_error_in_a_thread_is_shown(hooked: MainWindow, qtbot: QtBot) -> None:
    threading.Thread(target=fail).start()
    qtbot.waitUntil(lambda: "nobody foresaw this" in hooked.strip.words.text(), timeout=5000)
    assert hooked.isVisible()


def test_a_bad_file_does_not_end_the_viewer(
    qtbot: QtBot, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    bad = tmp_path / "bad.mkv"
    bad.write_bytes(write_clip(tmp_path / "good.mkv", 6).read_bytes()[:700] + b"\x1a" * 5000)
    (tmp_path / "text.mkv").write_text("no clip")
    owner = QObject()
    pictures = Pictures(owner)
    try:
        for path in (bad, tmp_path / "text.mkv", tmp_path / "gone.mkv"):
            with qtbot.waitSignal(pictures.failed, timeout=10_000):
                pictures.kept(path, 2)
        with monkeypatch.context() as patch:
            patch.setattr(FrameReader, "picture", lambda *_: fail())
            with qtbot.waitSignal(pictures.failed, timeout=10_000):
                pictures.kept(tmp_path / "good.mkv", 1)
        with qtbot.waitSignal(pictures.ready, timeout=10_000):
            pictures.kept(tmp_path / "good.mkv", 2)
    finally:
        pictures.close()


def test_a_study_that_can_not_be_written_opens_and_says_so(
    tiny_window: MainWindow, open_window: Open, qtbot: QtBot
) -> None:
    path = tiny_window.model.study.path
    contenders = len(tiny_window.model.evidence.summaries)
    tiny_window.close()
    sqlite3.connect(path).execute("PRAGMA wal_checkpoint(TRUNCATE)")
    window = open_window(Study._reader(path))
    assert len(window.model.evidence.summaries) == contenders
    assert "is read-only" in window.strip.words.text()
    window.go("timing")
    for page in (
        window.stations["lineup"],
        window.stations["footage"],
        window.stations["timing"].start,
        window.stations["timing"].stop,
    ):
        assert not page.isEnabled()
    qtbot.keyClick(window, Qt.Key.Key_E, Qt.KeyboardModifier.ControlModifier)
    qtbot.waitUntil(lambda: window.runner.job is None, timeout=20_000)
    assert window.isVisible()


def test_a_damaged_study_says_which_rows_and_is_recovered_from_the_menu(
    tiny_window: MainWindow, open_window: Open, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch, tmp_path: Path
) -> None:
    study = tiny_window.model.study
    for number in range(1, 4):
        add_run(study, 1, number, 2.0)
    path, into = study.path, tmp_path / "recovered.ovrik"
    tiny_window.close()
    with closing(sqlite3.connect(path)) as db:
        db.execute("UPDATE run SET wall_s = 0.5 WHERE round = 2")
        db.commit()
    window = open_window(Study.open(path))
    assert "read-only: run 2 is not as written" in window.strip.words.text()
    assert not window.stations["timing"].start.isEnabled()
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *_a: (str(path), ""))
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_a: (str(into), ""))
    window.files.recover()
    qtbot.waitUntil(lambda: window.model.study.path == into, timeout=20_000)
    qtbot.waitUntil(lambda: "Recovered 2 runs; lost: run 2" in window.strip.words.text(), timeout=5000)
    assert [r.round for r in window.model.study.runs()] == [1, 3]
