"""A change between day and night reaches everything that is drawn."""

import pytest
from PyQt6.QtCore import QPoint
from PyQt6.QtGui import QColor
from PyQt6.QtWidgets import QApplication
from pytestqt.qtbot import QtBot

from ovrik.desk.app import main as app
from ovrik.desk.app.window import MainWindow
from ovrik.desk.style import theme


def test_night_falls_while_the_window_is_open(
    qapp: QApplication, tiny_window: MainWindow, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    tiny_window.go("verdict")
    tiny_window.model.select(2)
    dark = theme.apply_theme
    try:
        monkeypatch.setattr(theme, "apply_theme", lambda application: dark(application, True))
        app._dress_anew(qapp, tiny_window)
        assert theme.tones() is theme.NIGHT
        assert tiny_window.station_buttons["verdict"].isChecked()
        assert tiny_window.model.selection == 2
        chart = tiny_window.stations["verdict"].choice.chart
        assert chart.backgroundBrush().color() == QColor(theme.NIGHT.sheet)
        page = tiny_window.stations["verdict"]
        qtbot.waitUntil(lambda: page.mapTo(tiny_window, QPoint(4, 4)).x() > 100)
        at = page.mapTo(tiny_window, QPoint(4, 4))
        assert tiny_window.grab().toImage().pixelColor(at) == QColor(theme.NIGHT.ground)
    finally:
        dark(qapp, False)
