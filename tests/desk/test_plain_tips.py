"""What comes from elsewhere is shown letter for letter in a tool tip, and loads nothing."""

import os
from pathlib import Path

import pytest
from PyQt6.QtCore import QEvent, QPoint
from PyQt6.QtGui import QHelpEvent, QTextDocument
from PyQt6.QtWidgets import QApplication, QLabel, QToolTip
from pytestqt.qtbot import QtBot

from ovrik.desk.style import plain_tips
from ovrik.desk.widgets.entries import Entries, Entry


def tip(widget: object, place: QPoint) -> str:
    QToolTip.hideText()
    event = QHelpEvent(QEvent.Type.ToolTip, place, widget.mapToGlobal(place))  # type: ignore[attr-defined]
    QApplication.sendEvent(widget, event)  # type: ignore[arg-type]
    return QToolTip.text()


@pytest.mark.parametrize(
    "text", ["a plain hint", "<b>x</b> & y", "<img src='FIFO'> note", "x < y\nsecond line"]
)
def test_letter_for_letter(qtbot: QtBot, tmp_path: Path, text: str) -> None:
    """A pipe that nobody writes to would hold up the whole window."""
    os.mkfifo(tmp_path / "pipe")
    text = text.replace("FIFO", str(tmp_path / "pipe"))
    label, entries = QLabel("x"), Entries("Notes")
    for widget in (label, entries):
        qtbot.addWidget(widget)
        widget.show()
    label.setToolTip(text)
    entries.fill([Entry("a note", text)])
    port = entries.viewport()
    assert port is not None
    for widget, place in ((label, QPoint(2, 2)), (port, entries.visualItemRect(entries.item(0)).center())):
        said = tip(widget, place)
        read = QTextDocument()
        read.setHtml(said) if "<" in said else read.setPlainText(said)
        assert read.toPlainText() == text
    assert "<img" not in plain_tips.shown("<img src='x'>")
