"""An export of another program is added, watched, kept and moved in a real window, with the stand-in program."""

import subprocess
import sys
from pathlib import Path

from pytestqt.qtbot import QtBot
from test_timing_window import press_page
from test_working_window import LEFT, LONG_MS, wait_idle

from ovrik.desk.window import MainWindow
from ovrik.machine.builds import locate


def add(window: MainWindow, qtbot: QtBot, version: str, settings: str) -> None:
    """Fill in the line of a new contender and add it."""
    page = window.stations["timing"].outside
    for field, text in ((page.program, "Foundry Desk"), (page.version, version), (page.settings, settings)):
        field.clear()
        qtbot.keyClicks(field, text)
    page.container.setCurrentText("mkv")
    qtbot.mouseClick(page.add, LEFT)


def test_an_export_is_watched_kept_and_moved(tiny_window: MainWindow, qtbot: QtBot, tmp_path: Path) -> None:
    window = tiny_window
    window.go("timing")
    press_page(window, qtbot, "Outside")
    page = window.stations["timing"].outside
    assert not page.arm.isEnabled()
    assert "Add what another program exports" in page.card.text()
    add(window, qtbot, "1.0", "acceleration")
    assert "is not NAME=VALUE" in page.state.text()
    add(window, qtbot, "1.0", "acceleration=on, preset=fast")
    add(window, qtbot, "2.0", "acceleration=on")
    assert "Next: Foundry Desk 1.0 acceleration on preset fast (program Foundry Desk" in page.card.text()
    assert "Name the output Foundry-Desk-1.0-acceleration-on-preset-fast 1.mkv" in page.card.text()
    ids = [s.contender.id for s in window.model.evidence.summaries if s.contender.outside]
    assert all(i not in window.stations["timing"]._ids() for i in ids), "it is not driven"
    place = tmp_path / "exports"
    place.mkdir()
    qtbot.mouseClick(page.arm, LEFT)
    assert "Choose the folder" in page.state.text()
    qtbot.keyClicks(page.folder, str(place))
    assert page.process.count() >= 1
    page.ticks[1].setChecked(True)
    qtbot.mouseClick(page.arm, LEFT)
    qtbot.waitUntil(lambda: "Armed" in page.state.text(), timeout=LONG_MS)
    assert page.arm.text() == "Disarm"
    assert page.key.isEnabled()
    assert not window.stations["timing"].start.isEnabled(), "nothing is driven while a folder is armed"
    clip = window.model.evidence.programme.clips[0].path
    command = [sys.executable, "-m", "ovrik.standin.editing", "--program", str(locate("bundled"))]
    subprocess.run([*command, "--source", clip, str(place / "a.mkv")], check=True)
    qtbot.waitUntil(lambda: "Kept a.mkv" in page.state.text(), timeout=LONG_MS)
    assert "±" in page.state.text()
    qtbot.waitUntil(lambda: len(window.model.evidence.of(ids[0]).runs) == 1, timeout=LONG_MS)
    run = window.model.evidence.of(ids[0]).runs[0]
    assert run.conditions["ticked"] == ["program restarted"]
    assert not page.ticks[1].isChecked()
    assert "Next: Foundry Desk 2.0" in page.card.text()
    qtbot.mouseClick(page.arm, LEFT)
    wait_idle(window, qtbot)
    assert page.arm.text() == "Arm"
    page.owner.setCurrentIndex(page.owner.findData(ids[1]))
    qtbot.mouseClick(page.give, LEFT)
    qtbot.waitUntil(lambda: len(window.model.evidence.of(ids[1]).runs) == 1, timeout=LONG_MS)
    assert window.model.evidence.of(ids[0]).runs == ()
    assert window.model.evidence.of(ids[1]).runs[0].conditions["moved"][0]["from"] == ids[0]


def test_a_folder_that_is_not_there_is_said(tiny_window: MainWindow, qtbot: QtBot, tmp_path: Path) -> None:
    window = tiny_window
    window.go("timing")
    press_page(window, qtbot, "Outside")
    page = window.stations["timing"].outside
    add(window, qtbot, "1.0", "")
    qtbot.keyClicks(page.folder, str(tmp_path / "nowhere"))
    qtbot.mouseClick(page.arm, LEFT)
    wait_idle(window, qtbot)
    assert "is no folder" in window.strip.words.text()
    assert page.arm.text() == "Arm"
    assert page.arm.isEnabled()
