"""Work in a real window: choose the excerpt, change the line-up, time, look, read the verdict."""

import shutil
import threading
from pathlib import Path
from typing import Any

import pytest
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtWidgets import QFileDialog, QInputDialog
from pytestqt.qtbot import QtBot

from ovrik.desk.app.window import MainWindow
from ovrik.store.study import Study
from ovrik.study.encoder.intermediate import intermediate
from ovrik.study.programme.excerpt import Excerpt
from ovrik.work.checking import one_pass, scoring
from played import Played

LEFT = Qt.MouseButton.LeftButton
LONG_MS = 90_000


def retype(qtbot: QtBot, field: object, text: str) -> None:
    field.setFocus()
    field.selectAll()
    qtbot.keyClicks(field, text)
    qtbot.keyClick(field, Qt.Key.Key_Return)


def pick(qtbot: QtBot, box: object, text: str) -> None:
    """Choose an entry of a combo box with the keyboard."""
    box.setFocus()
    at = box.findText(text, Qt.MatchFlag.MatchStartsWith)
    assert at >= 0
    key = Qt.Key.Key_Down if at > box.currentIndex() else Qt.Key.Key_Up
    for _ in range(abs(at - box.currentIndex())):
        qtbot.keyClick(box, key)
    assert box.currentIndex() == at


def wait_idle(window: MainWindow, qtbot: QtBot) -> None:
    qtbot.waitUntil(lambda: window.runner.job is None and not window.runner.small_jobs, timeout=LONG_MS)


def test_the_whole_path_by_hand(tiny_window: MainWindow, qtbot: QtBot) -> None:
    window = tiny_window
    assert window.station_buttons["footage"].isChecked()
    retype(qtbot, window.stations["footage"].start, "5")
    retype(qtbot, window.stations["footage"].length, "20")
    assert window.model.study.facts().excerpt == Excerpt(5, 20)
    qtbot.keyClick(window, Qt.Key.Key_3, Qt.KeyboardModifier.AltModifier)
    retype(qtbot, window.stations["timing"].rounds, "2")
    assert "This makes 4 more runs" in window.stations["timing"].lanes.now.plan.text()
    qtbot.mouseClick(window.stations["timing"].start, LEFT)
    assert window.runner.job is not None
    assert not window.stations["timing"].start.isEnabled()
    assert not window.stations["lineup"].isEnabled()
    wait_idle(window, qtbot)
    evidence = window.model.evidence
    assert [len(s.counted) for s in evidence.summaries] == [2, 2, 0]
    assert "Timing finished" in window.strip.words.text()
    first = evidence.summaries[0]
    assert first.conforms is True
    assert first.vmaf is not None
    assert first.runs[0].own_cpu_s is not None
    qtbot.keyClick(window, Qt.Key.Key_4, Qt.KeyboardModifier.AltModifier)
    viewer = window.stations["scrutiny"].viewer
    qtbot.waitUntil(lambda: viewer.image is not None and viewer.image.width() == 320, timeout=20_000)
    output = viewer.image.copy()
    viewer.setFocus()
    qtbot.keyClick(viewer, Qt.Key.Key_F)
    qtbot.waitUntil(lambda: viewer.image is not None and viewer.image != output, timeout=20_000)
    assert viewer.caption.startswith("Reference")
    qtbot.keyClick(window, Qt.Key.Key_5, Qt.KeyboardModifier.AltModifier)
    assert window.stations["verdict"].choice.panel.title.text() == evidence.choice.contender.label


def test_what_has_been_judged_is_shown_while_others_are_judged(
    tiny_window: MainWindow, qtbot: QtBot, played: Played, monkeypatch: pytest.MonkeyPatch
) -> None:
    window, seen, real, passes = tiny_window, threading.Event(), one_pass.scores_of, list[int]()
    ids = [s.contender.contender_id for s in window.model.driven[:2]]
    window.jobs.start_timing(ids, 1, score=False)
    wait_idle(window, qtbot)

    def waits(*asked: Any) -> Any:
        passes.append(len(passes))
        assert len(passes) == 1 or seen.wait(60)
        return real(*asked)

    monkeypatch.setattr(scoring, "TOGETHER", 1)
    monkeypatch.setattr(one_pass, "scores_of", waits)
    window.jobs.start_scoring()
    qtbot.waitUntil(lambda: any(s.score for s in window.model.evidence.summaries), timeout=LONG_MS)
    assert window.runner.job is not None, "the second one is still being judged"
    assert sum(bool(s.score) for s in window.model.evidence.summaries) == 1
    seen.set()
    wait_idle(window, qtbot)
    assert sum(bool(s.score) for s in window.model.evidence.summaries) == 2


def test_one_more_round_of_one_contender(tiny_window: MainWindow, qtbot: QtBot, played: Played) -> None:
    window = tiny_window
    window.go("timing")
    window.model.select(2)
    pick(qtbot, window.stations["timing"].who, "selected only")
    retype(qtbot, window.stations["timing"].rounds, "1")
    qtbot.keyClick(window, Qt.Key.Key_R, Qt.KeyboardModifier.ControlModifier)
    wait_idle(window, qtbot)
    assert [len(s.runs) for s in window.model.evidence.summaries] == [0, 1, 0]
    assert window.stations["timing"].runs.table.rowCount() == 1


def test_stopping_keeps_what_is_finished(tiny_window: MainWindow, qtbot: QtBot, played: Played) -> None:
    window = tiny_window
    window.go("timing")
    window.stations["timing"].rounds.setValue(60)
    qtbot.mouseClick(window.stations["timing"].start, LEFT)
    counted = lambda: sum(len(s.counted) for s in window.model.evidence.summaries)  # noqa: E731
    qtbot.waitUntil(lambda: counted() >= 2, timeout=LONG_MS)
    assert window.strip.stop.isVisible()
    assert "left" in window.strip.left.text()
    qtbot.mouseClick(window.strip.stop, LEFT)
    wait_idle(window, qtbot)
    assert "stopped. Finished work is kept" in window.strip.words.text()
    assert 2 <= counted() < 100
    states = {r.state for r in window.model.study.runs()}
    assert states <= {"done", "stopped"}
    assert window.stations["timing"].start.isEnabled()


def test_a_change_of_theme_leaves_what_is_locked_locked(
    tiny_window: MainWindow, qtbot: QtBot, played: Played
) -> None:
    window = tiny_window
    window.go("timing")
    window.stations["timing"].rounds.setValue(60)
    qtbot.mouseClick(window.stations["timing"].start, LEFT)
    qtbot.waitUntil(lambda: any(s.counted for s in window.model.evidence.summaries), timeout=LONG_MS)
    old = window.stations["timing"]
    window.dress_anew()
    assert window.stations["timing"] is not old
    assert not window.stations["lineup"].isEnabled()
    assert not window.stations["footage"].isEnabled()
    assert not window.stations["timing"].start.isEnabled()
    assert window.stations["timing"].stop.isEnabled()
    before = len(window.model.study.runs())
    qtbot.waitUntil(lambda: len(window.model.study.runs()) > before + 1, timeout=LONG_MS)
    qtbot.mouseClick(window.stations["timing"].stop, LEFT)
    wait_idle(window, qtbot)
    assert "stopped. Finished work is kept" in window.strip.words.text()
    assert window.stations["lineup"].isEnabled()
    assert window.stations["footage"].isEnabled()
    assert window.stations["timing"].start.isEnabled()


def test_closing_in_mid_run_leaves_nothing_running(tiny_window: MainWindow, qtbot: QtBot) -> None:
    window = tiny_window
    path = window.model.study.path
    window.stations["timing"].rounds.setValue(60)
    window.go("timing")
    qtbot.mouseClick(window.stations["timing"].start, LEFT)
    qtbot.waitUntil(lambda: bool(window.model.study.runs()), timeout=LONG_MS)
    window.close()
    again = Study.open(path)
    assert {r.state for r in again.runs()} <= {"done", "stopped"}
    assert again.hold.take()
    again.close()


def test_changing_one_thing(tiny_window: MainWindow, qtbot: QtBot) -> None:
    window = tiny_window
    window.go("lineup")
    window.model.select(1)
    qtbot.keyClick(window, Qt.Key.Key_D, Qt.KeyboardModifier.ControlModifier)
    made = window.model.selection
    assert len(window.model.evidence.summaries) == 4
    form = window.stations["lineup"].contenders.form
    pick(qtbot, form.encoder, "HEVC")
    assert form.preset.currentText() == "medium"
    pick(qtbot, form.preset, "ultrafast")
    retype(qtbot, form.quality, "30")
    assert "libx265" in window.stations["lineup"].contenders.command.toPlainText()
    qtbot.mouseClick(window.stations["lineup"].contenders.keep, LEFT)
    kept = window.model.study.contenders()[-1]
    assert kept.contender_id == made
    assert (kept.recipe.encoder, kept.recipe.preset, kept.recipe.quality) == ("libx265", "ultrafast", 30)
    assert kept.label == "x265 ultrafast"
    held = window.stations["lineup"].contenders.differ.text()
    assert "differs from" in held
    assert "5 things: encoder (x264 → x265), preset (veryfast → ultrafast)" in held


def test_a_bad_setting_is_reported_and_can_not_be_kept(tiny_window: MainWindow, qtbot: QtBot) -> None:
    window = tiny_window
    window.go("lineup")
    form = window.stations["lineup"].contenders.form
    pick(qtbot, form.mode, "average")
    form.bit_rate.setFocus()
    form.bit_rate.selectAll()
    qtbot.keyClicks(form.bit_rate, "much")
    assert '"much" is not a bit rate' in window.stations["lineup"].contenders.note.text()
    assert not window.stations["lineup"].contenders.keep.isEnabled()
    form.bit_rate.selectAll()
    qtbot.keyClicks(form.bit_rate, "3M")
    assert window.stations["lineup"].contenders.keep.isEnabled()
    qtbot.mouseClick(window.stations["lineup"].contenders.undo, LEFT)
    assert not window.stations["lineup"].contenders.keep.isEnabled()
    assert form.mode.currentData() == "constant quality"


def test_an_intermediate_has_a_size_and_a_pixel_format(tiny_window: MainWindow, qtbot: QtBot) -> None:
    window = tiny_window
    window.go("lineup")
    form = window.stations["lineup"].contenders.form
    qtbot.mouseClick(form.pages.buttons[2], LEFT)
    assert not form.into.pixel_format.isEnabled()
    pick(qtbot, form.into.codec, "FFV1")
    assert form.into.pixel_format.isEnabled()
    pick(qtbot, form.into.pixel_format, "yuv420p")
    form.into.size.setFocus()
    form.into.size.lineEdit().selectAll()
    qtbot.keyClicks(form.into.size, "wide")
    assert not window.stations["lineup"].contenders.keep.isEnabled()
    form.into.size.lineEdit().selectAll()
    qtbot.keyClicks(form.into.size, "160x90")
    qtbot.mouseClick(window.stations["lineup"].contenders.keep, LEFT)
    into = window.model.study.contenders()[0].prerendered
    assert into is not None
    assert (into.codec, into.width, into.height, into.pixel_format) == ("ffv1", 160, 90, "yuv420p")


def test_only_the_deliverys_own_codec_can_be_passed_through(tiny_window: MainWindow, qtbot: QtBot) -> None:
    window = tiny_window
    window.go("lineup")
    form = window.stations["lineup"].contenders.form
    passed = "ProRes HQ, passed through"
    assert form.into.codec.findText(passed) < 0
    pick(qtbot, form.encoder, "ProRes (prores_ks)")
    pick(qtbot, form.preset, "hq")
    qtbot.mouseClick(form.pages.buttons[2], LEFT)
    pick(qtbot, form.into.codec, passed)
    assert form.into.made() == intermediate("prores-hq", passed=True)
    qtbot.mouseClick(form.pages.buttons[0], LEFT)
    pick(qtbot, form.preset, "lt")
    assert form.into.made() == intermediate("prores-hq"), "it can still be coded again"
    assert form.into.codec.findText("ProRes LT, passed through") > 0


def test_labels_can_be_changed_but_not_doubled(tiny_window: MainWindow, qtbot: QtBot) -> None:
    window = tiny_window
    window.go("lineup")
    name = window.stations["lineup"].contenders.form.name
    name.selectAll()
    qtbot.keyClicks(name, window.model.study.contenders()[1].label)
    assert "is already labelled" in window.stations["lineup"].contenders.note.text()
    assert not window.stations["lineup"].contenders.keep.isEnabled()
    name.selectAll()
    qtbot.keyClicks(name, "House master")
    qtbot.mouseClick(window.stations["lineup"].contenders.keep, LEFT)
    assert window.model.study.contenders()[0].label == "House master"
    assert window.model.study.contenders()[0].contender_id == 1


def test_dropping_and_another_baseline(tiny_window: MainWindow, qtbot: QtBot) -> None:
    window = tiny_window
    window.go("lineup")
    window.model.select(2)
    qtbot.keyClick(window, Qt.Key.Key_B, Qt.KeyboardModifier.ControlModifier)
    assert window.model.study.facts().baseline_id == 2
    window.model.select(1)
    qtbot.keyClick(window, Qt.Key.Key_Delete, Qt.KeyboardModifier.ControlModifier)
    assert [c.contender_id for c in window.model.study.contenders()] == [2, 3]
    assert window.model.selection == 2


def test_the_strip_answers_to_mouse_and_keys(tiny_window: MainWindow, qtbot: QtBot) -> None:
    window = tiny_window
    strip = window.stations["footage"].strip
    qtbot.mouseClick(strip, LEFT, pos=QPoint(round(strip.x_of(12.5)), 50))
    assert window.stations["footage"].frame == 12
    strip.setFocus()
    qtbot.keyClick(strip, Qt.Key.Key_Right)
    assert window.stations["footage"].frame == 13
    qtbot.keyClick(strip, Qt.Key.Key_BracketLeft)
    assert window.model.study.facts().excerpt == Excerpt(13, 17)
    qtbot.keyClick(strip, Qt.Key.Key_Right, delay=1)
    qtbot.keyClick(strip, Qt.Key.Key_End)
    qtbot.keyClick(strip, Qt.Key.Key_Left)
    qtbot.keyClick(strip, Qt.Key.Key_BracketRight)
    assert window.model.study.facts().excerpt == Excerpt(13, 16)
    grip = QPoint(round(strip.x_of(13)), 50)
    qtbot.mousePress(strip, LEFT, pos=grip)
    qtbot.mouseMove(strip, QPoint(round(strip.x_of(4.5)), 50))
    qtbot.mouseRelease(strip, LEFT, pos=QPoint(round(strip.x_of(4.5)), 50))
    assert window.model.study.facts().excerpt == Excerpt(4, 25)


def test_thumbnails_are_made_for_a_new_clip(tiny_window: MainWindow, qtbot: QtBot) -> None:
    qtbot.waitUntil(lambda: len(tiny_window.model.study.thumbnails()) == 30, timeout=20_000)
    qtbot.waitUntil(lambda: bool(tiny_window.stations["footage"].strip._pictures), timeout=5_000)


def test_footage_that_went_missing_is_reported(tiny_window: MainWindow, qtbot: QtBot, tmp_path: Path) -> None:
    window = tiny_window
    window.model.study.move_footage(tmp_path / "lost.mkv")
    window.go("timing")
    qtbot.mouseClick(window.stations["timing"].start, LEFT)
    wait_idle(window, qtbot)
    assert "lost.mkv is not there" in window.strip.words.text()
    assert window.strip.words.property("role") == "trouble"


def test_plan_and_csv_are_written(
    tiny_window: MainWindow, qtbot: QtBot, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    plan, table, page = tmp_path / "saved.toml", tmp_path / "saved.csv", tmp_path / "a 'saved' page.html"
    answers = iter([str(plan), str(table), str(page)])
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_a: (next(answers), ""))
    qtbot.keyClick(tiny_window, Qt.Key.Key_S, Qt.KeyboardModifier.ControlModifier)
    tiny_window.files.write("table of runs", ".csv", runs=True)
    qtbot.keyClick(tiny_window, Qt.Key.Key_P, Qt.KeyboardModifier.ControlModifier)
    qtbot.waitUntil(lambda: page.exists() and table.exists(), timeout=20_000)
    assert page.read_text().startswith("<!doctype html>")
    from ovrik.study.question.plan import load_plan

    question = load_plan(plan)
    assert [c.recipe for c in question.contenders] == [c.recipe for c in tiny_window.model.study.contenders()]
    assert table.read_text().startswith("label,")


def test_a_new_study_from_a_clip(
    qtbot: QtBot, clip: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch, qapp: object
) -> None:
    window = MainWindow()
    qtbot.addWidget(window)
    window.show()
    assert not window.station_buttons["footage"].isEnabled()
    clip = Path(shutil.copy(clip, tmp_path))
    monkeypatch.setattr(QFileDialog, "getOpenFileNames", lambda *_a: ([str(clip)], ""))
    window.files.new_from_source()
    asked = window.files.asked
    assert asked.isVisible()
    assert not asked.begin.isEnabled()
    qtbot.mouseClick(asked.choose, LEFT)
    qtbot.waitUntil(lambda: asked.programme is not None, timeout=20_000)
    assert f"3 contenders: x264 medium; x265 fast; SVT-AV1 8. Saved as {clip.stem}.ovrik" in asked.said.text()
    asked.presets.setChecked(True)
    next(b for b in asked.purposes.buttons() if b.text() == "web upload").setChecked(True)
    asked.codecs["av1"].setChecked(False)
    asked.container.setCurrentText("QuickTime (.mov)")
    asked.title.setText("My film")
    qtbot.mouseClick(asked.begin, LEFT)
    qtbot.waitUntil(lambda: window.model is not None and not window.runner.small_jobs, timeout=20_000)
    made = window.model.study
    assert made.path == clip.parent / "My film.ovrik"
    assert {c.recipe.container for c in made.contenders()} == {"mov"}
    assert len(window.model.evidence.summaries) == 6
    assert made.facts().limits.get("vmaf_mean") == 95.0
    monkeypatch.setattr(QInputDialog, "getText", lambda *_a, **_k: ("Another name", True))
    window.files.this.rename()
    qtbot.waitUntil(lambda: window.model.study.path.name == "Another name.ovrik", timeout=20_000)
    assert not (clip.parent / "My film.ovrik").exists()
    assert window.model.evidence.facts.title == "Another name"
    wait_idle(window, qtbot)
    assert window.station_buttons["footage"].isChecked()
    bad = tmp_path / "bad.mp4"
    bad.write_text("words")
    monkeypatch.setattr(QFileDialog, "getOpenFileNames", lambda *_a: ([str(bad)], ""))
    window.files.choose_source()
    qtbot.waitUntil(lambda: "not a clip" in window.strip.words.text(), timeout=20_000)
    window.close()


def test_a_command_is_shown_before_it_is_approved(
    open_window: object, qtbot: QtBot, study: Study, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setenv("XDG_DATA_HOME", str(tmp_path / "data"))
    from PyQt6.QtWidgets import QMessageBox

    from ovrik.machine.builds.described import allowed
    from ovrik.study.contender.contender import Contender
    from ovrik.study.contender.described import Description
    from ovrik.study.encoder.recipe import recipe

    described = Description(
        key="odd", title="Odd", program="true", arguments=("{input}", "{output}"), codec="h264"
    )
    study.keep_programs([described])
    study.add_contender(Contender("described-odd", recipe("described_h264"), "Odd one", True))
    window = open_window(Study.open(study.path))
    window.go("lineup")
    window.model.select(4)
    assert "has not been approved" in window.stations["lineup"].contenders.note.text()
    assert window.stations["lineup"].contenders.approve.isVisible()
    shown: list[str] = []
    answer = iter(["no", "yes"])

    def exec_(box: QMessageBox) -> int:
        shown.append(box.informativeText())
        wanted = "Don't" if next(answer) == "no" else "Approve"
        button = next(b for b in box.buttons() if b.text().startswith(wanted))
        monkeypatch.setattr(QMessageBox, "clickedButton", lambda _box: button)
        return 0

    monkeypatch.setattr(QMessageBox, "exec", exec_)
    qtbot.mouseClick(window.stations["lineup"].contenders.approve, LEFT)
    assert not allowed(described)
    qtbot.mouseClick(window.stations["lineup"].contenders.approve, LEFT)
    assert allowed(described)
    assert all("true '{input}' '{output}'" in text and "SHA-256" in text for text in shown)
    assert len(shown) == 2
    assert not window.stations["lineup"].contenders.approve.isVisible()
