"""That a contender is simulated is in view wherever its label is, however little room there is."""

from PyQt6.QtCore import QRect, Qt
from PyQt6.QtGui import QFontMetrics, QPainter, QPixmap
from PyQt6.QtWidgets import QStyleOptionViewItem
from pytestqt.qtbot import QtBot

from ovrik.desk.style import theme
from ovrik.desk.widgets.labels import LabelDelegate, fitted
from ovrik.desk.widgets.table import Cell, DeskTable

LONG = "H.264 stand-in, quick preset, with everything that differs in it (simulated)"


def test_the_head_gives_way_and_the_mark_does_not(qapp: object) -> None:
    metrics = QFontMetrics(theme.font(11, 600))
    for room in (120, 180, 260):
        text = fitted(metrics, LONG, room)
        assert text.endswith(" (simulated)")
        assert "…" in text
        assert metrics.horizontalAdvance(text) <= room
    assert fitted(metrics, LONG, 5000) == LONG
    assert fitted(metrics, f"{LONG} (2)", 200).endswith(" (simulated) (2)")
    assert fitted(metrics, "plain and long " * 9, 100, Qt.TextElideMode.ElideRight).endswith("…")


def test_in_a_table(qapp: object, qtbot: QtBot) -> None:
    table = DeskTable(("Contender", "Time"), "A table")
    qtbot.addWidget(table)
    table.fill([[Cell(LONG, mark=1), Cell("1.0")]], [1])
    delegate = table.itemDelegate()
    assert isinstance(delegate, LabelDelegate)
    drawn: list[str] = []

    class Spy(LabelDelegate):
        def initStyleOption(self, option: QStyleOptionViewItem, index: object) -> None:
            super().initStyleOption(option, index)  # type: ignore[arg-type]
            drawn.append(option.text)

    spy, picture = Spy(), QPixmap(300, 30)
    painter = QPainter(picture)
    option = QStyleOptionViewItem()
    option.rect = QRect(0, 0, 180, 25)
    spy.paint(painter, option, table.model().index(0, 0))
    painter.end()
    assert drawn[-1].endswith(" (simulated)")
    assert "…" in drawn[-1]
    spy.sizeHint(QStyleOptionViewItem(), table.model().index(0, 0))
    assert drawn[-1] == LONG, "a column is as wide as the whole label where there is room"
