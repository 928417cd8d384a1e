"""Errors that nobody foresaw, bad files and places that can't be written: the window says so and lives on."""

import sqlite3
import sys
import threading
from pathlib import Path

import pytest
from PyQt6.QtCore import QObject, Qt
from pytestqt.qtbot import QtBot

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
