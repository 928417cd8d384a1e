"""Programme, treatments, excerpts and grid in a real window, by clicks and keys."""

from pathlib import Path

import opentimelineio as otio
import pytest
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtGui import QGuiApplication, QWheelEvent
from PyQt6.QtWidgets import QFileDialog, QInputDialog, QMessageBox
from pytestqt.qtbot import QtBot

from numbered import write_numbered
from ovrik.desk.app.window import MainWindow
from ovrik.quality.decode.probe import probe
from ovrik.quality.decode.timelines import read_timeline
from ovrik.study.programme.excerpt import Excerpt
from ovrik.study.programme.programme import Shot, of_clips
from ovrik.study.timeline.writer import write_timeline

LEFT = Qt.MouseButton.LeftButton
LONG_MS = 90_000


def wait_idle(window: MainWindow, qtbot: QtBot) -> None:
    qtbot.waitUntil(lambda: window.runner.job is None and not window.runner.small_jobs, timeout=LONG_MS)


@pytest.fixture
def timeline(tmp_path: Path) -> Path:
    """A timeline of two shots whose clips lie in another folder."""
    away = tmp_path / "away"
    away.mkdir()
    clips = [probe(write_numbered(away / "a.mkv", 60)), probe(write_numbered(away / "b.mkv", 60, first=100))]
    import dataclasses

    made = dataclasses.replace(
        of_clips("Two shots", clips), shots=(Shot(0, 5, 40, name="one"), Shot(1, 0, 40, 5, name="two"))
    )
    write_timeline(made, tmp_path / "cut.otio")
    text = (tmp_path / "cut.otio").read_text().replace("away/", "/gone/")
    (tmp_path / "cut.otio").write_text(text)
    return tmp_path / "cut.otio"


def open_timeline(window: MainWindow, qtbot: QtBot, timeline: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """Open… in the Footage station, and name the folder of what is missing."""
    monkeypatch.setattr(QFileDialog, "getOpenFileNames", lambda *_a: ([str(timeline)], ""))
    monkeypatch.setattr(QFileDialog, "getExistingDirectory", lambda *_a: str(timeline.parent / "away"))
    asked: list[str] = []

    def answer(box: QMessageBox) -> int:
        asked.append(box.text())
        chosen = box.buttons()[0]
        monkeypatch.setattr(QMessageBox, "clickedButton", lambda _b: chosen)
        return 0

    monkeypatch.setattr(QMessageBox, "exec", answer)
    window.stations["footage"].facts.source_wanted.emit()
    qtbot.waitUntil(lambda: len(window.model.evidence.programme.shots) == 2, timeout=20_000)
    wait_idle(window, qtbot)
    assert "2 clips of the timeline were not found" in asked[0]


def test_a_timeline_is_opened_its_clips_found_and_written_again(
    tiny_window: MainWindow, qtbot: QtBot, timeline: Path, monkeypatch: pytest.MonkeyPatch, tmp_path: Path
) -> None:
    window = tiny_window
    open_timeline(window, qtbot, timeline, monkeypatch)
    assert window.model.study.facts().excerpt == Excerpt(0, 75)
    strip = window.stations["footage"].strip
    strip.setFocus()
    qtbot.keyClick(strip, Qt.Key.Key_Down)
    assert window.stations["footage"].frame == 35
    assert "shot 2" in window.stations["footage"].viewer.caption
    assert "shot 2 of 2" in strip.accessibleDescription()
    qtbot.waitUntil(lambda: len(window.model.study.thumbnails()) > 10, timeout=20_000)
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_a: (str(tmp_path / "out.otio"), ""))
    window.stations["footage"].facts.timeline_wanted.emit()
    again = read_timeline(tmp_path / "out.otio").programme
    assert again is not None
    assert again.shots == window.model.evidence.programme.shots


def test_the_strip_zooms_and_scrolls(tiny_window: MainWindow, qtbot: QtBot) -> None:
    strip = tiny_window.stations["footage"].strip
    strip.setFocus()
    for _ in range(3):
        qtbot.keyClick(strip, Qt.Key.Key_Plus)
    assert strip.span == 24
    first = strip.first
    wheel = QWheelEvent(
        strip.rect().center().toPointF(),
        strip.mapToGlobal(strip.rect().center()).toPointF(),
        QPoint(),
        QPoint(0, -120),
        Qt.MouseButton.NoButton,
        Qt.KeyboardModifier.NoModifier,
        Qt.ScrollPhase.NoScrollPhase,
        False,
    )
    strip.wheelEvent(wheel)
    assert strip.first > first
    qtbot.keyClick(strip, Qt.Key.Key_End)
    assert strip.first + strip.span == strip.frames
    for _ in range(4):
        qtbot.keyClick(strip, Qt.Key.Key_Minus)
    assert (strip.first, strip.span) == (0, strip.frames)


def test_treatments_are_added_changed_ordered_and_removed(tiny_window: MainWindow, qtbot: QtBot) -> None:
    window = tiny_window
    window.stations["footage"].show_page(1)
    panel = window.stations["footage"].treatments
    panel.add_kind("blur")
    panel.add_kind("grain")
    kinds = lambda: [t.kind for t in window.model.study.programme().treatments]  # noqa: E731
    assert kinds() == ["blur", "grain"]
    panel.list.setCurrentRow(0)
    radius = panel.form.fields["radius"]
    radius.setFocus()
    radius.selectAll()
    qtbot.keyClicks(radius, "7")
    qtbot.keyClick(radius, Qt.Key.Key_Return)
    assert window.model.study.programme().treatments[0]["radius"] == 7
    assert "radius 7 px" in panel.list.item(0).text()
    assert "software" in panel.where.text()
    panel._shift(1)
    assert kinds() == ["grain", "blur"]
    panel.list.setCurrentRow(0)
    panel._remove()
    assert kinds() == ["blur"]
    qtbot.mouseClick(panel.one, LEFT)
    panel.add_kind("retime")
    assert window.model.study.programme().shots[0].speed == 0.5
    assert panel.sets.currentText() == "custom"
    panel.sets.setCurrentText("straight cut")
    panel._take_set()
    assert window.model.study.programme().plain


def test_a_wrong_file_is_reported_and_changes_nothing(
    tiny_window: MainWindow, qtbot: QtBot, tmp_path: Path
) -> None:
    window = tiny_window
    window.stations["footage"].show_page(1)
    panel = window.stations["footage"].treatments
    panel.add_kind("grade")
    (tmp_path / "bad.cube").write_text("LUT_3D_SIZE 2\n0 0 0\n")
    lut = panel.form.fields["lut"]
    lut.setFocus()
    qtbot.keyClicks(lut, str(tmp_path / "bad.cube"))
    qtbot.keyClick(lut, Qt.Key.Key_Return)
    assert "1 rows instead of 8" in panel.trouble.text()
    assert panel.trouble.isVisible()
    assert window.model.study.programme().treatments[0]["lut"] == ""


def test_a_treated_picture_is_shown(tiny_window: MainWindow, qtbot: QtBot) -> None:
    window = tiny_window
    assert not window.stations["footage"].treated.isEnabled()
    window.stations["footage"].treatments.add_kind("title")
    qtbot.waitUntil(lambda: window.stations["footage"].viewer.image is not None, timeout=20_000)
    plain = window.stations["footage"].viewer.image
    qtbot.mouseClick(window.stations["footage"].treated, LEFT)
    qtbot.waitUntil(lambda: window.stations["footage"].viewer.caption.endswith("· treated"), timeout=20_000)
    shown = window.stations["footage"].viewer.image
    assert shown.width() == 960
    small = shown.scaled(plain.size())
    light = lambda image, top, bottom: sum(  # noqa: E731
        image.pixelColor(x, y).lightness() > 225
        for x in range(0, image.width(), 2)
        for y in range(top, bottom, 2)
    )
    half = plain.height() // 2
    assert light(small, half, plain.height()) > light(plain, half, plain.height()) + 8, "the title"


def test_complexity_is_measured_and_a_proposal_kept(tiny_window: MainWindow, qtbot: QtBot) -> None:
    window = tiny_window
    panel = window.stations["footage"].excerpts
    qtbot.mouseClick(panel.propose, LEFT)
    qtbot.waitUntil(lambda: window.model.curve is not None and window.runner.job is None, timeout=20_000)
    wait_idle(window, qtbot)
    found = panel.found()
    assert found
    name, excerpt = found[0][0].split(":")[0], found[0][1]
    panel.take(name, excerpt)
    assert window.model.study.facts().excerpt == excerpt
    assert [e.name for e in window.model.study.excerpts()] == [name]
    assert "of the whole" in panel.like.text()
    assert name in window.roster.about.text()


def test_excerpts_are_kept_by_name_and_forgotten(
    tiny_window: MainWindow, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    window = tiny_window
    panel = window.stations["footage"].excerpts
    for name, excerpt in (("one", Excerpt(0, 10)), ("two", Excerpt(12, 8))):
        window.stations["footage"].choose(excerpt)
        monkeypatch.setattr(QInputDialog, "getText", lambda *_a, n=name: (n, True))
        qtbot.mouseClick(panel.keep, LEFT)
    panel.names.setCurrentText("one")
    panel._take_named()
    assert window.model.study.facts().excerpt == Excerpt(0, 10)
    qtbot.mouseClick(panel.forget, LEFT)
    assert [e.name for e in window.model.study.excerpts()] == ["two"]


def test_the_cache_is_cleared_by_a_click(tiny_window: MainWindow, qtbot: QtBot) -> None:
    from ovrik.quality.reference.made import make_reference

    window = tiny_window
    make_reference(window.model.study.programme(), Excerpt(0, 5))
    window.stations["footage"].facts.follow()
    assert "in the cache" in window.stations["footage"].facts.cache.text()
    qtbot.mouseClick(window.stations["footage"].facts.clear, LEFT)
    assert window.stations["footage"].facts.cache.text() == "No reference in the cache"


def test_a_grid_is_filled_filtered_and_put_in_the_line_up(tiny_window: MainWindow, qtbot: QtBot) -> None:
    window = tiny_window
    window.go("lineup")
    window.stations["lineup"].show_page(1)
    grid = window.stations["lineup"].grid
    for key, text in (
        ("encoder", "libx264, libx265"),
        ("preset", "ultrafast, fast"),
        ("container", "mov, webm"),
        ("quality", "24"),
    ):
        grid.fields[key].setFocus()
        grid.fields[key].selectAll()
        qtbot.keyClicks(grid.fields[key], text)
    qtbot.waitUntil(lambda: len(grid.found) == 8, timeout=5_000)
    assert "8 of 8 combinations; 4 can't run" in grid.says.text()
    model = grid.shown
    rows = [model.index(r, 1).data() for r in range(model.rowCount())]
    assert sum(text.startswith("✕ WebM") for text in rows) == 4
    struck = [model.index(r, 0).data(Qt.ItemDataRole.FontRole).strikeOut() for r in range(8)]
    assert sum(struck) == 4
    qtbot.keyClicks(grid.filter, "-fast")
    assert model.rowCount() == 4
    grid.filter.clear()
    qtbot.mouseClick(grid.put, LEFT)
    qtbot.waitUntil(lambda: window.stations["lineup"].pages.number == 0, timeout=10_000)
    assert len(window.model.evidence.summaries) == 3 + 4
    assert "4 added" in window.strip.words.text()


def test_a_known_level_is_put_in_and_taken_out(tiny_window: MainWindow, qtbot: QtBot) -> None:
    grid = tiny_window.stations["lineup"].grid
    grid.toggle("container", "mkv", True)
    assert grid.fields["container"].text().endswith(", mkv")
    grid.toggle("container", "mkv", False)
    assert "mkv" not in grid.fields["container"].text()
    grid.fields["gop"].setText("often")
    grid.expand()
    assert '"often" is not a number' in grid.says.text()
    assert not grid.put.isEnabled()


def test_further_settings_reach_the_command_and_are_kept(tiny_window: MainWindow, qtbot: QtBot) -> None:
    window = tiny_window
    window.go("lineup")
    form = window.stations["lineup"].contenders.form
    qtbot.keyClick(window, Qt.Key.Key_M, Qt.KeyboardModifier.AltModifier)
    assert form.pages.number == 1
    form.gop.setFocus()
    form.gop.selectAll()
    qtbot.keyClicks(form.gop, "48")
    form.raw.setFocus()
    qtbot.keyClicks(form.raw, "refs=2")
    form.tune.setFocus()
    qtbot.keyClick(form.tune, Qt.Key.Key_Down)
    assert "-g 48" in window.stations["lineup"].contenders.command.toPlainText()
    assert "-refs 2" in window.stations["lineup"].contenders.command.toPlainText()
    qtbot.mouseClick(window.stations["lineup"].contenders.keep, LEFT)
    kept = window.model.study.contenders()[0].recipe
    assert (kept.gop, kept.raw, kept.tune) == (48, (("refs", "2"),), "film")


def test_a_raw_option_that_the_build_does_not_know_is_reported(tiny_window: MainWindow, qtbot: QtBot) -> None:
    window = tiny_window
    window.go("lineup")
    form = window.stations["lineup"].contenders.form
    form.raw.setFocus()
    qtbot.keyClicks(form.raw, "refz=2")
    assert "has no option refz" in window.stations["lineup"].contenders.note.text()


def test_moving_filtering_and_comparing(tiny_window: MainWindow, qtbot: QtBot) -> None:
    window = tiny_window
    window.go("lineup")
    window.model.select(1)
    qtbot.keyClick(window, Qt.Key.Key_Down, Qt.KeyboardModifier.ControlModifier)
    assert [c.contender_id for c in window.model.study.contenders()] == [2, 1, 3]
    page = window.stations["lineup"].contenders
    qtbot.keyClicks(page.filter, "svt")
    assert page.table.rowCount() == 1
    page.filter.clear()
    window.model.select(2)
    page.against.setCurrentIndex(page.against.findData(3))
    page._show_difference()
    assert "no single cause" in page.differ.text()
    struck = page.table.item(page.table.keys.index(3), 0)
    assert struck is not None
    assert struck.font().strikeOut()


def test_the_line_up_says_how_long_it_will_take(tiny_window: MainWindow, qtbot: QtBot) -> None:
    window = tiny_window
    window.go("lineup")
    assert "not known until something has been tried" in window.stations["lineup"].plan.text()
    qtbot.mouseClick(window.stations["lineup"].try_them, LEFT)
    wait_idle(window, qtbot)
    assert "4 runs in about" in window.stations["lineup"].plan.text()
    assert not window.stations["lineup"].try_them.isEnabled()


def test_what_a_timeline_leaves_out_is_said(
    tiny_window: MainWindow, qtbot: QtBot, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    write_numbered(tmp_path / "a.mkv", 60)
    time = otio.opentime.RationalTime
    odd = otio.schema.Clip(
        "a.mkv", otio.schema.ExternalReference("a.mkv"), otio.opentime.TimeRange(time(0, 25), time(20, 25))
    )
    odd.effects.append(otio.schema.Effect("Glow", "glow"))
    made = otio.schema.Timeline("t")
    made.tracks.append(otio.schema.Track("V", children=[odd], kind="Video"))
    otio.adapters.write_to_file(made, str(tmp_path / "t.otio"))
    monkeypatch.setattr(QFileDialog, "getOpenFileNames", lambda *_a: ([str(tmp_path / "t.otio")], ""))
    tiny_window.stations["footage"].facts.source_wanted.emit()
    qtbot.waitUntil(lambda: "Glow" in tiny_window.strip.words.text(), timeout=20_000)
    assert any("Glow" in n for n in tiny_window.model.evidence.programme.left_out)


def test_what_differs_is_in_columns_where_they_have_room_and_in_words_where_not(
    demo_window: MainWindow, qtbot: QtBot
) -> None:
    window = demo_window
    window.go("lineup")
    page = window.stations["lineup"].contenders
    row = page.table.keys.index(5)
    for width, in_words in ((1280, True), (1920, False)):
        window.resize(width, 800)
        qtbot.wait(30)
        assert page.table.isColumnHidden(2) is not in_words
        assert page.table.horizontalScrollBar().maximum() == 0, "nothing is to be scrolled to at the side"
    assert page.table.item(row, 2).text() == "x265, fast, CRF 28, 10 bit"
    assert page.held.text() == "The same in all: audio aac; all else at its default."
    assert not page.command_window.isVisible()
    qtbot.mouseClick(page.see, LEFT)
    assert page.command_window.isVisible()
    assert "libx264" in page.command_window.text.toPlainText()
    page.command_window.copy()
    assert QGuiApplication.clipboard().text() == page.command_window.text.toPlainText()
    page.command_window.close()


def test_pages_of_every_station_turn_by_the_same_keys(tiny_window: MainWindow, qtbot: QtBot) -> None:
    window = tiny_window
    for key in ("lineup", "timing", "scrutiny", "verdict"):
        window.go(key)
        pages = window.stations[key].pages
        count = pages.stack.count()
        assert pages.number == 0
        qtbot.keyClick(window, Qt.Key.Key_PageDown, Qt.KeyboardModifier.ControlModifier)
        assert pages.number == 1
        for _step in range(2):
            qtbot.keyClick(window, Qt.Key.Key_PageUp, Qt.KeyboardModifier.ControlModifier)
        assert pages.number == count - 1
        letters = [b.toolTip().rpartition("(Alt+")[2][0] for b in pages.buttons]
        assert len(set(letters)) == count
        for number, letter in enumerate(letters):
            qtbot.keyClick(window, getattr(Qt.Key, f"Key_{letter}"), Qt.KeyboardModifier.AltModifier)
            assert pages.number == number, letter
