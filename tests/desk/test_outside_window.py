"""An export of another program is added, watched, kept and moved in a real window, with the stand-in program."""

import subprocess
import sys
import time
from pathlib import Path

import psutil
import pytest
from PyQt6.QtCore import QPoint, Qt, QTimer
from PyQt6.QtWidgets import QApplication, QComboBox, QFileDialog
from pytestqt.qtbot import QtBot
from test_timing_window import press_page
from test_working_window import LEFT, LONG_MS, wait_idle

from ovrik.cli import main
from ovrik.desk.app.window import MainWindow
from ovrik.desk.dialogs.old_table import OldTable
from ovrik.desk.dialogs.standin_window import StandinWindow
from ovrik.desk.dialogs.which_program import WhichProgram
from ovrik.desk.stations.timing.outside_panel import OutsidePanel
from ovrik.machine.builds.build import locate
from ovrik.outside import programs
from ovrik.outside.starts import LOAD
from ovrik.outside.watch import OutsideTime
from ovrik.quality.reference.cut_short import frames_shown
from ovrik.report.words.numbers import how_timed
from ovrik.standin.editing import clip_command
from ovrik.store.study import Study
from ovrik.study.clip.footage import Footage
from ovrik.work.outside.exports import keep_outside


def add(window: MainWindow, qtbot: QtBot, version: str, settings: str) -> None:
    """Fill in the line of a new contender and add it."""
    page = window.stations["timing"].outside
    for field, text in ((page.program, "Bell Yard"), (page.version, version), (page.settings, settings)):
        field.clear()
        qtbot.keyClicks(field, text)
    page.container.setCurrentText("mkv")
    qtbot.mouseClick(page.add, LEFT)


def outside_page(window: MainWindow, qtbot: QtBot) -> OutsidePanel:
    """The page, turned to."""
    window.go("timing")
    press_page(window, qtbot, "Other programs")
    page = window.stations["timing"].outside
    assert isinstance(page, OutsidePanel)
    return page


def answer(
    window: MainWindow, qtbot: QtBot, name: str = "", trial: bool = False, makes: str = ""
) -> list[str]:
    """Press *Arm*, find a program by name in what it asks, say what it makes, and arm; gives what was listed
    first."""
    seen: list[str] = []

    def answered() -> None:
        dialog = QApplication.activeModalWidget()
        assert isinstance(dialog, WhichProgram)
        first = dialog.table.item(0, 0)
        seen.extend([first.text() if first else "", str(dialog.pid)])
        if name:
            qtbot.keyClicks(dialog.wanted, name)
        else:
            dialog.table.setCurrentCell(dialog.table.rowCount() - 1, 0)
        dialog.trial.setChecked(trial)
        if makes:
            dialog.makes.setCurrentText(makes)
        qtbot.mouseClick(dialog.arm, LEFT)

    QTimer.singleShot(300, answered)
    qtbot.mouseClick(window.stations["timing"].outside.arm, LEFT)
    assert seen
    return seen


def test_an_export_is_watched_kept_and_moved(tiny_window: MainWindow, qtbot: QtBot, tmp_path: Path) -> None:
    window = tiny_window
    page = outside_page(window, qtbot)
    assert not page.arm.isEnabled()
    assert "Add what another program exports" in page.card.text()
    add(window, qtbot, "1.0", "acceleration")
    assert "is not NAME=VALUE" in page.state.text()
    add(window, qtbot, "1.0", "acceleration=on, preset=fast")
    add(window, qtbot, "2.0", "acceleration=on")
    assert (
        "Next: Bell Yard 1.0 acceleration on preset fast (simulated) (program Bell Yard" in page.card.text()
    )
    assert "Name the output Bell-Yard-1.0-acceleration-on-preset-fast 1.mkv" in page.card.text()
    ids = [s.contender.contender_id for s in window.model.evidence.summaries if s.contender.outside]
    assert all(i not in window.stations["timing"]._ids() for i in ids), "it is not driven"
    place = tmp_path / "exports"
    place.mkdir()
    qtbot.mouseClick(page.arm, LEFT)
    assert "Choose the folder" in page.state.text()
    qtbot.keyClicks(page.folder, str(place))
    page.ticks[1].setChecked(True)
    answer(window, qtbot)
    qtbot.waitUntil(lambda: "Armed" in page.state.text(), timeout=LONG_MS)
    assert page.arm.text() == "Disarm"
    assert page.key.isEnabled()
    assert not window.stations["timing"].start.isEnabled(), "nothing is driven while a folder is armed"
    clip = window.model.evidence.programme.clips[0].path
    command = [sys.executable, "-m", "ovrik.standin.editing", "--program", str(locate("bundled"))]
    subprocess.run([*command, "--source", clip, str(place / "a.mkv")], check=True)
    qtbot.waitUntil(lambda: "Kept a.mkv" in page.state.text(), timeout=LONG_MS)
    assert "press the start key, or name the program" in page.state.text(), "only bounds are known"
    qtbot.waitUntil(lambda: len(window.model.evidence.of(ids[0]).runs) == 1, timeout=LONG_MS)
    run = window.model.evidence.of(ids[0]).runs[0]
    assert run.conditions["ticked"] == ["program restarted"]
    assert not page.ticks[1].isChecked()
    assert "Next: Bell Yard 2.0" in page.card.text()
    qtbot.mouseClick(page.arm, LEFT)
    wait_idle(window, qtbot)
    assert page.arm.text() == "Arm"
    page.owner.setCurrentIndex(page.owner.findData(ids[1]))
    qtbot.mouseClick(page.give, LEFT)
    qtbot.waitUntil(lambda: len(window.model.evidence.of(ids[1]).runs) == 1, timeout=LONG_MS)
    assert window.model.evidence.of(ids[0]).runs == ()
    assert window.model.evidence.of(ids[1]).runs[0].conditions["moved"][0]["from"] == ids[0]


def test_arming_asks_which_program_and_a_trial_says_how_exactly_it_can_be_timed(
    tiny_window: MainWindow, qtbot: QtBot, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(programs, "own_processes", lambda: {psutil.Process().pid})
    window = tiny_window
    page, place = outside_page(window, qtbot), tmp_path / "exports"
    place.mkdir()
    add(window, qtbot, "1.0", "")
    qtbot.keyClicks(page.folder, str(place))
    clip = window.model.evidence.programme.clips[0].path
    command = [sys.executable, "-m", "ovrik.standin.editing", "--program", str(locate("bundled"))]
    command += ["--button", "--habit", "prepared", "--source", clip]
    with (
        (place / "open all along").open("w"),
        subprocess.Popen(
            [*command, str(place / "a.mkv"), str(place / "b.mkv")], stdin=subprocess.PIPE, cwd=place
        ) as program,
    ):
        assert program.stdin is not None
        answer(window, qtbot, str(program.pid), trial=True)
        qtbot.waitUntil(lambda: "Armed for python" in page.state.text(), timeout=LONG_MS)
        for name, said in (("a.mkv", "Trial: "), ("b.mkv", "Kept b.mkv: ")):
            time.sleep(1.0)
            program.stdin.write(b"go\n")
            program.stdin.flush()
            qtbot.waitUntil(lambda said=said: said in page.state.text(), timeout=LONG_MS)
            assert (place / name).exists()
        program.stdin.close()
    assert "written by " in page.state.text()
    qtbot.mouseClick(page.arm, LEFT)
    wait_idle(window, qtbot)
    [summary] = [s for s in window.model.evidence.summaries if s.contender.outside]
    assert [r.output for r in summary.runs] == ["b.mkv"], "a trial is not kept"


def test_what_a_program_renders_before_its_exports_is_watched(
    tiny_window: MainWindow, qtbot: QtBot, tmp_path: Path
) -> None:
    window = tiny_window
    page, place = outside_page(window, qtbot), tmp_path / "cache"
    place.mkdir()
    add(window, qtbot, "1.0", "")
    qtbot.keyClicks(page.folder, str(place))
    answer(window, qtbot, makes="what comes first for Bell Yard 1.0 (simulated)")
    qtbot.waitUntil(lambda: "Armed" in page.state.text(), timeout=LONG_MS)
    clip = window.model.evidence.programme.clips[0].path
    qtbot.mouseClick(page.key, LEFT)
    command = [sys.executable, "-m", "ovrik.standin.editing", "--program", str(locate("bundled"))]
    subprocess.run([*command, "--source", clip, str(place / "a.mkv")], check=True)
    qtbot.waitUntil(lambda: "s come before the exports of Bell Yard" in page.state.text(), timeout=LONG_MS)
    [mine] = [s for s in window.model.evidence.summaries if s.contender.outside]
    qtbot.waitUntil(
        lambda: bool(window.model.evidence.of(mine.contender.contender_id).first), timeout=LONG_MS
    )
    assert not window.model.evidence.of(mine.contender.contender_id).runs
    qtbot.mouseClick(page.arm, LEFT)
    wait_idle(window, qtbot)


def test_a_program_with_files_open_in_the_folder_stands_first(qtbot: QtBot, tmp_path: Path) -> None:
    code = "import sys; f = open(sys.argv[1], 'w'); sys.stdin.read()"
    command = [sys.executable, "-c", code, str(tmp_path / "a.mkv")]
    with subprocess.Popen(command, stdin=subprocess.PIPE) as program:
        qtbot.waitUntil((tmp_path / "a.mkv").exists)
        found = programs.running(tmp_path, {psutil.Process().pid})
        program.communicate()
    assert (found[0].pid, found[0].here) == (program.pid, True)
    assert not any(p.here for p in found[1:])


def test_a_folder_that_is_not_there_is_said(tiny_window: MainWindow, qtbot: QtBot, tmp_path: Path) -> None:
    window = tiny_window
    page = outside_page(window, qtbot)
    add(window, qtbot, "1.0", "")
    qtbot.keyClicks(page.folder, str(tmp_path / "nowhere"))
    answer(window, qtbot)
    wait_idle(window, qtbot)
    assert "is no folder" in window.strip.words.text()
    assert page.arm.text() == "Arm"
    assert page.arm.isEnabled()


def test_the_stand_in_exports_at_the_press_of_its_button(
    qtbot: QtBot, footage: Footage, tmp_path: Path
) -> None:
    window = StandinWindow(
        clip_command(locate("bundled"), Path(footage.path), "2.0"), tmp_path, "2.0", "renamed"
    )
    qtbot.addWidget(window)
    window.show()
    for number in (1, 2):
        qtbot.mouseClick(window.export, LEFT)
        assert not window.export.isEnabled()
        qtbot.waitUntil(window.export.isEnabled, timeout=LONG_MS)
        assert frames_shown(tmp_path / f"export {number}.mkv") == footage.frames
    assert window.windowTitle() == "Bell Yard (stand-in) 2.0"


def test_a_watch_without_a_window(
    study: Study, footage: Footage, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    place = tmp_path / "exports"
    place.mkdir()
    added = [
        "outside",
        "add",
        str(study.path),
        "--program",
        "Bell Yard",
        "--version",
        "1.0",
        "--container",
        "mkv",
    ]
    assert main([*added, "--set", "acceleration=on"]) == 0
    command = [
        sys.executable,
        "-m",
        "ovrik.standin.editing",
        "--program",
        str(locate("bundled")),
        "--pause",
        "1",
    ]
    running = subprocess.Popen([*command, "--source", footage.path, str(place / "a.mkv")])
    watch = ["outside", "watch", str(study.path), str(place), "--process", str(running.pid), "--exports", "1"]
    assert main([*watch, "--check"]) == 0
    said = capsys.readouterr().out
    assert "Next: Bell Yard 1.0 acceleration on" in said
    assert "a.mkv), run 1" in said
    assert "1 output checked" in said
    running.wait()
    assert main(["outside", "watch", str(study.path), str(place), "--process", "no such program"]) == 2
    assert "No process is called" in capsys.readouterr().err


def test_a_watched_export_has_its_load_among_the_traces(
    tiny_window: MainWindow, qtbot: QtBot, tmp_path: Path, footage: Footage
) -> None:
    window = tiny_window
    path = tmp_path / "a.mkv"
    path.write_bytes(Path(footage.path).read_bytes())
    window.model.add_outside("Bell Yard", "1.0", {}, "mkv")
    contender = window.model.summary.contender
    now = time.monotonic()
    load = tuple((n / 10, 1.0 + n % 2, 0.0) for n in range(1, 30))
    found = OutsideTime(path, 3.0, 0.05, 0.0, LOAD, now - 3, now, 9, ("a.mkv",), 0, 0, "bellyard", "", load)
    keep_outside(window.model.study, contender, found)
    window.model.refresh()
    window.go("timing")
    press_page(window, qtbot, "Traces")
    traces = window.stations["timing"].traces
    assert "No series on file" not in traces.hover.text()
    assert window.stations["timing"].runs.table.item(0, 0).text() == "outside 1"
    assert "start by the program's load" in window.stations["timing"].runs.table.item(0, 2).toolTip()


def test_the_line_up_says_that_it_is_watched_and_changes_nothing_of_it(
    tiny_window: MainWindow, qtbot: QtBot
) -> None:
    window = tiny_window
    window.model.add_outside("Bell Yard", "1.0", {"GPU mode": "on"}, "mkv")
    window.go("lineup")
    page = window.stations["lineup"].contenders
    row = page.table.keys.index(window.model.selection)
    assert page.table.item(row, 1).text() == "by watching"
    assert "There is no command" in page.command.toPlainText()
    assert "timed by watching their files" in page.note.text()
    assert not page.keep.isEnabled()
    assert not page.form.isEnabled()
    encoder = page.form.encoder
    assert not encoder.model().item(encoder.findText("any (outside)")).isEnabled()


def test_a_table_of_old_times_is_shown_before_it_is_taken(
    tiny_window: MainWindow, qtbot: QtBot, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    path = tmp_path / "it's old; 2024.csv"
    path.write_text("What;Took;Note\nBell Yard 1.0;1:01,5;\nBell Yard 2.0;48,2;quiet\n", "utf-8")
    model = tiny_window.model
    assert model is not None
    tiny_window.go("timing")
    panel = tiny_window.stations["timing"].outside
    seen: list[OldTable] = []
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *_a: (str(path), ""))
    monkeypatch.setattr(OldTable, "exec", lambda self: seen.append(self))
    panel.bring.click()
    [dialog] = seen
    qtbot.addWidget(dialog)
    dialog.show()
    assert "No column looks like the time" in dialog.said.text()
    assert not dialog.take.isEnabled()

    def choose(box: QComboBox, text: str) -> None:
        box.setCurrentIndex(box.findText(text))
        box.activated.emit(box.currentIndex())

    choose(dialog.name, "What")
    choose(dialog.time, "Took")
    assert "may be seconds or minutes" in dialog.said.text()
    choose(dialog.unit, "seconds")
    assert "The line-up has no Bell Yard 1.0, Bell Yard 2.0" in dialog.said.text()
    qtbot.mouseClick(dialog.add, Qt.MouseButton.LeftButton, pos=QPoint(8, dialog.add.height() // 2))
    shown = [[dialog.table.item(r, c).text() for c in range(5)] for r in range(2)]
    assert shown == [
        ["2", "Bell Yard 1.0", "1:01,5", "61.5", "0.1 s"],
        ["3", "Bell Yard 2.0", "48,2", "48.2", "0.1 s"],
    ]
    before = len(model.evidence.summaries)
    qtbot.mouseClick(dialog.take, Qt.MouseButton.LeftButton)
    brought = model.evidence.summaries[before:]
    assert [s.contender.label for s in brought] == ["Bell Yard 1.0", "Bell Yard 2.0"]
    assert [s.times for s in brought] == [[61.5], [48.2]]
    assert "row 3" in how_timed(brought[1])
