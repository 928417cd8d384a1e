"""History, a new sitting, studies side by side and passing on, in a real window."""

import shutil
from collections.abc import Callable
from pathlib import Path

import pytest
from PyQt6.QtCore import QPoint, QRectF, Qt
from PyQt6.QtGui import QContextMenuEvent, QGuiApplication
from PyQt6.QtWidgets import QApplication, QDialog, QFileDialog, QMenu, QWidget
from pytestqt.qtbot import QtBot

from added_runs import add_run
from ovrik.desk.app.window import MainWindow
from ovrik.desk.dialogs.new_sitting import NewSitting
from ovrik.desk.dialogs.passing_on import SendDialog
from ovrik.desk.model.history import courses, places
from ovrik.desk.stations.verdict.history_courses import MARGIN_PX
from ovrik.desk.stations.verdict.history_page import COURSE, ONE_ONLY
from ovrik.desk.style import marks
from ovrik.store.study import Study

LEFT = Qt.MouseButton.LeftButton
LONG_MS = 60_000
Open = Callable[[Study], MainWindow]


def timed(study: Study, times: dict[int, list[float]], version: str) -> None:
    for number, found in times.items():
        for round_, seconds in enumerate(found, 1):
            add_run(study, number, round_, seconds, version=version)


@pytest.fixture
def three(study: Study, open_window: Open) -> MainWindow:
    """Three sittings: nothing changed, then a build that is slower at one contender."""
    steady = [1.0, 1.002, 0.998, 1.001]
    for name, version, scale in (("one", "9.0.2", 1.0), ("two", "9.0.2", 1.01), ("new build", "10.1", 1.4)):
        if name != "one":
            study.begin_sitting(name)
        timed(study, {1: [2 * scale * s for s in steady], 2: steady}, version)
    study.close()
    return open_window(Study.open(study.path))


def history(window: MainWindow) -> QWidget:
    window.go("verdict")
    window.stations["verdict"].turn_to("history")
    return window.stations["verdict"].history


def test_history_compares_the_last_two_and_any_two(three: MainWindow, qtbot: QtBot) -> None:
    page = history(three)
    assert [page.now.itemText(n).split(":")[0] for n in range(3)] == ["1", "2", "3"]
    assert (page.then.currentData(), page.now.currentData()) == (2, 3)
    assert page.pair.new_builds
    row = [page.table.item(0, c).text() for c in range(6)]
    assert row[2:4] == ["2.02", "2.80"]
    assert row[5] == "▼ slower"
    assert page.table.item(1, 5).text() == "= same"
    assert page.courses.pair == (1, 2)
    assert "10.1" in page.notes.text()
    page.then.setFocus()
    qtbot.keyClick(page.then, Qt.Key.Key_Up)
    page.then.activated.emit(page.then.currentIndex())
    assert page.then.currentData() == 1
    assert page.table.item(0, 2).text() == "2.00"
    page.now.setCurrentIndex(1)
    page.now.activated.emit(1)
    assert [page.table.item(n, 5).text() for n in (0, 1)] == ["= same", "= same"]
    assert not page.pair.new_builds


def test_the_chart_is_drawn_from_each_first_time(three: MainWindow) -> None:
    page = history(three)
    [first, second] = courses(three.model.sittings)
    assert first.logs[0] == 0
    assert first.seconds[2] / first.seconds[0] == pytest.approx(1.4, rel=1e-3)
    assert first.logs[2] == pytest.approx(0.3365, abs=0.002)
    assert all(h > 0 for h in second.halves)
    assert [p.builds for p in places(three.model.sittings)] == ["9.0.2", "9.0.2", "10.1"]
    at = page.courses.plot(QRectF(0, 0, 200, 36))
    ys = [at.y(v) for v in first.logs]
    assert ys[0] == 18
    assert ys[0] > ys[1] > ys[2] > 0, "slower stands higher"
    assert "10.1" in page.along.text()
    page.table.selectRow(1)
    assert three.model.selection == second.contender_id


def test_a_course_is_drawn_where_its_times_are(three: MainWindow, qtbot: QtBot) -> None:
    """Read back from the pixels: the mark of the last sitting stands at its change, by the scale that is said."""
    page = history(three)
    [first, _second] = courses(three.model.sittings)
    page.table.choose(2)
    qtbot.wait(50)
    box = page.table.visualItemRect(page.table.item(0, COURSE))
    drawn = page.table.viewport().grab(box).toImage()
    at = page.courses.plot(QRectF(0, 0, box.width(), box.height()))
    tint, scale = marks.colour(first.contender_id).name(), drawn.devicePixelRatio()
    for number in page.courses.pair:
        log = first.logs[number]
        rows = [
            y
            for y in range(drawn.height())
            if drawn.pixelColor(round(at.x(number) * scale), y).name() == tint
        ]
        middle = sum(rows) / len(rows) / scale
        share = (box.height() / 2 - middle) / (box.height() / 2 - MARGIN_PX)
        assert share * page.courses.reach == pytest.approx(log, abs=0.04)


def test_with_one_sitting_it_says_how_to_begin_another(
    study: Study, open_window: Open, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    timed(study, {1: [2.0, 2.0], 2: [1.0, 1.0]}, "9.0.2")
    study.close()
    window = open_window(Study.open(study.path))
    page = history(window)
    assert page.sentence.text() == ONE_ONLY
    assert not page.listed.isVisible()
    asked: list[NewSitting] = []

    def answer(dialog: NewSitting) -> int:
        asked.append(dialog)
        dialog.named.setText("after the update")
        return int(QDialog.DialogCode.Accepted)

    monkeypatch.setattr(NewSitting, "exec", answer)
    qtbot.mouseClick(page.begin, LEFT)
    qtbot.waitUntil(lambda: len(window.model.study.sittings()) == 2, timeout=LONG_MS)
    [dialog] = asked
    assert list(dialog.boxes) == ["bundled"]
    offered = [dialog.boxes["bundled"].itemData(n) for n in range(dialog.boxes["bundled"].count())]
    assert offered[0] == ""
    assert "system" in offered
    assert not any(key.startswith("standin-") for key in offered), "a real build's place is no stand-in's"
    assert not dialog.both.isEnabled()
    dialog.boxes["bundled"].setCurrentIndex(offered.index("system"))
    assert dialog.both.isEnabled()
    assert dialog.builds == {"bundled": "system"}
    assert window.model.study.sitting.name == "after the update"
    qtbot.waitUntil(
        lambda: "Nothing has been timed in the new sitting" in page.sentence.text(), timeout=LONG_MS
    )


def copied(widget: QWidget, entry: str, qtbot: QtBot) -> str:
    """What the clipboard holds after an entry of the widget's own menu was chosen by key."""
    board = QGuiApplication.clipboard()
    board.clear()
    place = QPoint(20, 20)
    reason = QContextMenuEvent.Reason.Keyboard
    QApplication.sendEvent(widget, QContextMenuEvent(reason, place, widget.mapToGlobal(place)))
    menu = QApplication.activePopupWidget()
    assert isinstance(menu, QMenu)
    next(a for a in menu.actions() if a.text() == entry).trigger()
    menu.close()
    return board.text() or ("picture" if not board.pixmap().isNull() else "")


def test_tables_and_charts_copy_as_text_and_picture(three: MainWindow, qtbot: QtBot) -> None:
    page = history(three)
    text = copied(page.table.viewport(), "Copy the table as text", qtbot)
    assert text.splitlines()[0].split("\t")[:3] == ["contender", "over the sittings", "then s"]
    assert text.splitlines()[1].split("\t")[3] == "2.80"
    assert (
        copied(page.table.viewport(), "Copy the table as CSV", qtbot).splitlines()[0].startswith("contender,")
    )
    assert copied(page.table.viewport(), "Copy as a picture", qtbot) == "picture"


def test_charts_say_their_points(demo_window: MainWindow, qtbot: QtBot) -> None:
    demo_window.go("verdict")
    verdict = demo_window.stations["verdict"]
    verdict.turn_to("choice")
    chart = verdict.choice.chart
    assert copied(chart, "Copy as a picture", qtbot) == "picture"
    lines = copied(chart, "Copy as text", qtbot).splitlines()
    assert len(lines) == len(chart.shown.points) > 5
    assert all(p.label in line for p, line in zip(chart.shown.points, lines, strict=True))
    demo_window.go("timing")
    lanes = demo_window.stations["timing"].lanes.chart
    said = copied(lanes, "Copy as text", qtbot).splitlines()
    assert sum("round 3:" in line for line in said) >= 8


def test_studies_are_laid_side_by_side(
    three: MainWindow, qtbot: QtBot, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    other = tmp_path / "other machine's.ovrik"
    shutil.copy(three.model.study.path, other)
    monkeypatch.setattr(QFileDialog, "getOpenFileNames", lambda *_a: ([str(other)], ""))
    three.files.lay_beside()
    qtbot.waitUntil(lambda: getattr(three.files, "beside", None) is not None, timeout=LONG_MS)
    shown = three.files.beside
    assert shown.isVisible()
    assert not shown.unlike.isVisible()
    assert len(shown.chart.rows) == 4
    assert "other machine's" in shown.chart.accessibleDescription()
    shown.close()


def test_a_study_to_send_says_its_size_first(
    three: MainWindow, qtbot: QtBot, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    into = tmp_path / 'sent "x".ovrik'
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_a: (str(into), ""))
    said: list[str] = []

    def answer(dialog: SendDialog) -> int:
        said.append(dialog.how_large.text())
        dialog.sealed.setChecked(True)
        return int(QDialog.DialogCode.Accepted)

    monkeypatch.setattr(SendDialog, "exec", answer)
    three.files.send()
    qtbot.waitUntil(lambda: into.exists() and three.runner.job is None, timeout=LONG_MS)
    assert "Packed: " in three.strip.words.text()
    assert said[0].startswith("It will take about")
    three.files.open_path(into)
    qtbot.waitUntil(lambda: three.model.study.path == into, timeout=LONG_MS)
    qtbot.waitUntil(lambda: three.model.sittings is not None, timeout=LONG_MS)
    page = history(three)
    assert three.model.study.read_only
    assert not page.begin.isEnabled()
    assert page.table.item(0, 5).text() == "▼ slower"


def test_a_quick_look_that_ends_first_takes_no_sittings_away(three: MainWindow) -> None:
    """The slow look reads sittings and kinds too: that a quick one began later and ended before is no matter."""
    model = three.model
    slow = model.look()
    model.sittings = None
    model.look(with_kinds=False)()
    assert model.sittings is None
    told: list[bool] = []
    model.evidence_changed.connect(lambda: told.append(True))
    slow()
    assert model.sittings is not None
    assert told
    found = model.sittings
    model.look(with_kinds=False)()
    assert model.sittings is found
