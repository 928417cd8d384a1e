"""Help, recent studies, drops and the window's place."""

import shutil
from pathlib import Path

import pytest
from PyQt6.QtCore import QMimeData, QPointF, Qt, QUrl
from PyQt6.QtGui import QDragEnterEvent, QDropEvent
from PyQt6.QtWidgets import QApplication, QFileDialog
from pytestqt.qtbot import QtBot

from ovrik.desk.app.station_table import STATIONS
from ovrik.desk.app.window import MainWindow
from ovrik.desk.dialogs.guide import LIBRARIES, document, headings
from ovrik.desk.dialogs.guide_table import PLACES
from ovrik.desk.files import recent
from ovrik.desk.widgets.pages import PagedStation

LONG_MS = 60_000


def test_every_place_of_help_is_there(tiny_window: MainWindow) -> None:
    for place, (name, heading) in PLACES.items():
        assert not heading or heading in headings(document(name)), place
    assert {s.key for s in STATIONS} <= set(PLACES)
    pages = {
        f"{s.key}/{key}"
        for s in STATIONS
        if isinstance(shown := tiny_window.stations[s.key], PagedStation)
        for key in shown.pages.keys
    }
    assert {place for place in PLACES if "/" in place} <= pages, "each names a page that there is"


def test_help_shows_what_is_on_show(tiny_window: MainWindow, qtbot: QtBot) -> None:
    tiny_window.go("timing")
    qtbot.keyClick(tiny_window, Qt.Key.Key_F1)
    reader = tiny_window.guide.shown
    assert reader is not None
    assert reader.isVisible()
    assert reader.list.currentItem().text() == PLACES["timing"][1]
    assert reader.text.textCursor().block().text() == PLACES["timing"][1]
    reader.field.setText("median")
    qtbot.keyClick(reader.field, Qt.Key.Key_Return)
    assert reader.text.textCursor().selectedText().lower() == "median"
    reader.field.setText("no such word")
    qtbot.keyClick(reader.field, Qt.Key.Key_Return)
    assert reader.said.text() == "not found"
    reader.close()
    tiny_window.go("verdict")
    tiny_window.stations["verdict"].turn_to("history")
    tiny_window.guide.show_here()
    assert reader.list.currentItem().text() == "Sittings"
    tiny_window.stations["verdict"].turn_to("factors")
    tiny_window.guide.show_here()
    assert reader.list.currentItem().text().strip() == "By factor"
    qtbot.wait(50)
    assert 0 <= reader.text.cursorRect().top() < 12, "the heading stands at the top"
    for show, word in (
        (tiny_window.guide.show_keys, "Ctrl+R"),
        (tiny_window.guide.show_about, LIBRARIES[3][0]),
    ):
        show()
        assert word in reader.text.toPlainText()
    assert "not found" not in reader.text.toPlainText()
    reader.close()


def test_recent_studies_are_kept_and_opened(
    demo_window: MainWindow, tiny_window: MainWindow, qtbot: QtBot, tmp_path: Path
) -> None:
    assert recent.recent()[:2] == [tiny_window.model.study.path, demo_window.model.study.path]
    menu = next(a.menu() for a in tiny_window.menu_button.menu().actions() if a.text() == "Open recent")
    menu.aboutToShow.emit()
    entries = [a.text() for a in menu.actions()]
    assert entries[0].endswith(tiny_window.model.study.path.name)
    wanted = demo_window.model.study.path
    demo_window.close()
    menu.actions()[1].trigger()
    qtbot.waitUntil(lambda: tiny_window.model.study.path == wanted, timeout=LONG_MS)
    recent.remember_recent(tmp_path / "gone.ovrik")
    tiny_window.files.open_path(tmp_path / "gone.ovrik")
    assert "is not there any more" in tiny_window.strip.words.text()
    assert tmp_path / "gone.ovrik" not in recent.recent()


def test_what_is_kept_of_the_desk_may_be_damaged(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    path = tmp_path / "desk.json"
    monkeypatch.setattr(recent, "_file", lambda: path)
    for text in (
        "",
        "[1]",
        '{"recent": 3, "geometry": "?"}',
        '{"recent": [1, "/a"]}',
        "\xff",
        "x" * (1 << 17),
    ):
        path.write_text(text, encoding="latin-1")
        assert recent.geometry() == b""
        assert set(recent.recent()) <= {Path("/a")}
    recent.remember_recent(tmp_path / "one.ovrik")
    assert recent.recent()[0] == tmp_path / "one.ovrik"
    for number in range(20):
        recent.remember_recent(tmp_path / f"{number}.ovrik")
    assert len(recent.recent()) == 10
    recent.keep_geometry(b"\x01\x02")
    assert recent.geometry() == b"\x01\x02"
    assert recent.recent()[0] == tmp_path / "19.ovrik"


def drop(window: MainWindow, *paths: Path) -> None:
    data = QMimeData()
    data.setUrls([QUrl.fromLocalFile(str(p)) for p in paths])
    rest = (Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier)
    entered = QDragEnterEvent(window.rect().center(), Qt.DropAction.CopyAction, data, *rest)
    QApplication.sendEvent(window, entered)
    assert entered.isAccepted()
    at = QPointF(window.rect().center())
    QApplication.sendEvent(window, QDropEvent(at, Qt.DropAction.CopyAction, data, *rest))


def test_what_is_dropped_is_taken_in(
    tiny_window: MainWindow,
    demo_copy: Path,
    clip: Path,
    qtbot: QtBot,
    tmp_path: Path,
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    window = tiny_window
    drop(window, demo_copy)
    qtbot.waitUntil(lambda: window.model.study.path == demo_copy, timeout=LONG_MS)
    begun = tmp_path / "begun.ovrik"
    clip = Path(shutil.copy(clip, tmp_path))
    drop(window, clip)
    qtbot.waitUntil(lambda: hasattr(window.files, "asked"), timeout=LONG_MS)
    assert window.files.asked.programme is not None
    window.files.asked.title.setText("begun")
    qtbot.mouseClick(window.files.asked.begin, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: window.model.study.path == begun, timeout=LONG_MS)
    plan = tmp_path / "a plan.toml"
    plan.write_text(f'[study]\ntitle = "Dropped"\nfootage = "{clip}"\n[[contender]]\nencoder = "libx264"\n')
    planned = tmp_path / "planned.ovrik"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_a: (str(planned), ""))
    qtbot.waitUntil(lambda: not window.runner.small_jobs, timeout=LONG_MS)
    drop(window, plan)
    qtbot.waitUntil(lambda: window.model.study.path == planned, timeout=LONG_MS)
    assert window.model.study.facts().title == "Dropped"
    words = tmp_path / "words.txt"
    words.write_text("words")
    qtbot.waitUntil(lambda: not window.runner.small_jobs, timeout=LONG_MS)
    drop(window, words)
    qtbot.waitUntil(lambda: "words.txt" in window.strip.words.text(), timeout=LONG_MS)
    assert window.model.study.path == planned
