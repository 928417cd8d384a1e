"""A station is one entry of a table; jobs know no window; what is asked for while a job ends is not lost."""

import shutil
import threading
from pathlib import Path

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QFileDialog, QLabel
from pytestqt.qtbot import QtBot

from ovrik.desk.app import station_table, window
from ovrik.desk.app.window import MainWindow
from ovrik.desk.jobs.job import Job
from ovrik.desk.jobs.jobstrip import AT_REST
from ovrik.desk.jobs.runner import Runner
from ovrik.store.study import Study

ALT, CTRL = Qt.KeyboardModifier.AltModifier, Qt.KeyboardModifier.ControlModifier


def test_a_new_station_is_one_entry(study: Study, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch) -> None:
    seen: list[tuple[bool, bool]] = []
    extra = station_table.Station(
        "notes",
        "Notes",
        lambda desk: QLabel(desk.model.evidence.facts.title),
        lambda _page, busy, locked: seen.append((busy, locked)),
    )
    monkeypatch.setattr(window, "STATIONS", (*station_table.STATIONS, extra))
    made = MainWindow(study)
    qtbot.addWidget(made)
    made.show()
    made.activateWindow()
    qtbot.waitUntil(lambda: made.isActiveWindow() and not made.runner.small_jobs, timeout=20_000)
    qtbot.keyClick(made, Qt.Key.Key_7, ALT)
    assert made.stations["notes"].isVisible()
    assert made.station_buttons["notes"].isChecked()
    assert seen == [(False, False)]
    gate = threading.Event()
    made.runner.big("Waiting", lambda _job: gate.wait(20), lambda _r: "")
    assert seen[-1] == (True, True)
    gate.set()
    qtbot.waitUntil(lambda: made.runner.job is None, timeout=20_000)
    assert seen[-1] == (False, False)


def stopped_slowly(gate: threading.Event) -> object:
    def work(job: Job) -> None:
        while not job.should_stop():
            gate.wait(0.01)
        gate.wait(20)

    return work


def test_what_is_asked_for_while_a_job_ends_comes_after_it(qtbot: QtBot) -> None:
    runner, gate, done = Runner(), threading.Event(), []
    refused: list[str] = []
    runner.refused.connect(refused.append)
    runner.when_free(lambda: done.append("at once"))
    runner.big("Timing", stopped_slowly(gate), lambda _r: "")  # type: ignore[arg-type]
    runner.when_free(lambda: done.append("never"))
    assert refused == ["Timing is still running; stop it first"]
    runner.stop()
    runner.when_free(lambda: done.append("after"))
    assert done == ["at once"]
    gate.set()
    qtbot.waitUntil(lambda: runner.job is None, timeout=20_000)
    assert done == ["at once", "after"]
    assert len(refused) == 1


def test_a_new_study_right_after_stop(
    tiny_window: MainWindow, clip: Path, tmp_path: Path, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    gate = threading.Event()
    clip = Path(shutil.copy(clip, tmp_path))
    monkeypatch.setattr(QFileDialog, "getOpenFileNames", lambda *_a: ([str(clip)], ""))
    tiny_window.runner.big("Timing", stopped_slowly(gate), lambda _r: "")  # type: ignore[arg-type]
    qtbot.keyClick(tiny_window, Qt.Key.Key_Period, CTRL)
    qtbot.keyClick(tiny_window, Qt.Key.Key_N, CTRL)
    gate.set()
    qtbot.waitUntil(lambda: hasattr(tiny_window.files, "asked"), timeout=20_000)
    asked = tiny_window.files.asked
    qtbot.mouseClick(asked.choose, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(asked.begin.isEnabled, timeout=20_000)
    asked.title.setText("next")
    qtbot.mouseClick(asked.begin, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: tiny_window.model.study.path.name == "next.ovrik", timeout=20_000)


def test_the_foot_speaks_of_the_study_that_is_open(tiny_window: MainWindow, tmp_path: Path, footage) -> None:  # type: ignore[no-untyped-def]
    from ovrik.study.programme.excerpt import whole
    from ovrik.study.programme.programme import of_clip

    tiny_window.runner.say("42 outputs checked.")
    tiny_window.show_study(Study.create(tmp_path / "b.ovrik", "B", of_clip(footage), whole(footage)))
    assert tiny_window.strip.words.text() == AT_REST


def test_one_long_job_at_a_time(qtbot: QtBot) -> None:
    runner, gate = Runner(), threading.Event()
    refused: list[str] = []
    runner.refused.connect(refused.append)
    first = runner.big("Timing", lambda _job: gate.wait(20), lambda _r: "")
    assert first is not None
    assert runner.big("Checking the outputs", lambda _job: None, lambda _r: "") is None
    assert refused == ["Timing is still running; stop it first"]
    assert runner.job is first
    gate.set()
    qtbot.waitUntil(lambda: runner.job is None, timeout=20_000)


def test_what_was_read_earlier_does_not_replace_what_was_read_later(tiny_window: MainWindow) -> None:
    model = tiny_window.model
    early = model.look()
    model.drop(model.evidence.summaries[-1].contender.contender_id)
    shown = len(model.evidence.summaries)
    early()
    assert len(model.evidence.summaries) == shown
