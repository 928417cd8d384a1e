"""Two fingerprints side by side, in a window."""

from PyQt6.QtCore import Qt
from pytestqt.qtbot import QtBot

from ovrik.desk.app.window import MainWindow
from ovrik.desk.dialogs.fingerprints_window import FingerprintsWindow
from ovrik.work.prepare.fingerprints import HERE, Fingerprint


def test_any_two_are_compared(qapp: object, qtbot: QtBot) -> None:
    one = {"processor": "P", "kernel": "Linux 6.1", "devices": "unknown"}
    other = {"processor": "P", "kernel": "Linux 6.2", "devices": "llvmpipe"}
    window = FingerprintsWindow([Fingerprint(HERE, other), Fingerprint("run 3", one)])
    qtbot.addWidget(window)
    window.show()
    assert window.said.text() == "1 fact differs."
    assert [window.table.item(0, c).text() for c in range(4)] == ["≠", "Kernel", "Linux 6.1", "Linux 6.2"]
    window.one.setFocus()
    qtbot.keyClick(window.one, Qt.Key.Key_Up)
    assert window.said.text() == "Nothing that is known differs."


def test_from_the_workstation(tiny_window: MainWindow, qtbot: QtBot) -> None:
    tiny_window.go("workstation")
    panel = tiny_window.stations["workstation"]
    qtbot.waitUntil(lambda: panel.look is not None, timeout=60_000)
    panel.beside.setFocus()
    qtbot.keyClick(panel.beside, Qt.Key.Key_Space)
    qtbot.waitUntil(lambda: getattr(tiny_window.machine, "beside", None) is not None, timeout=60_000)
    shown = tiny_window.machine.beside
    assert shown.isVisible()
    assert shown.table.rowCount() > 8
    shown.close()
