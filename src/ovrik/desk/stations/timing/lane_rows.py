"""What stands beside a lane: mark and label on its left, usual time, spread and answer on its right."""

from collections.abc import Sequence

import pyqtgraph as pg
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QFontMetrics, QPainter, QPaintEvent
from PyQt6.QtWidgets import QWidget

from ovrik.desk.model.lanes import Lane
from ovrik.desk.model.study import DeskModel
from ovrik.desk.style import marks, theme
from ovrik.desk.widgets.labels import fitted

MARK_PX, BEFORE_PX, AFTER_PX = 11, 32, 8
TIME_PX, SPREAD_PX, ANSWER_PX, SIGN_PX = 76, 100, 100, 30
"""Width of the columns beside a lane."""
ANSWERS_PX = TIME_PX + SPREAD_PX + ANSWER_PX + SIGN_PX
LEFT = Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter
RIGHT = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
END = Qt.TextElideMode.ElideRight
COLUMNS = ((TIME_PX, RIGHT), (SPREAD_PX, RIGHT), (ANSWER_PX, LEFT), (SIGN_PX, LEFT))
HEADINGS = ("usual time", "spread", "vs baseline", "")


def label_px(label: str) -> int:
    """Pixels that a label takes with its mark."""
    return QFontMetrics(theme.font(10, 600)).horizontalAdvance(label) + theme.scaled(BEFORE_PX + AFTER_PX)


def wash(p: QPainter, box: QRectF) -> None:
    """The ground of the lane that is selected."""
    p.fillRect(box, QColor(theme.tones().act_wash))


def paint_head(p: QPainter, box: QRectF, lane: Lane, model: DeskModel) -> None:
    """Mark and label of a lane."""
    t, px, cid = theme.tones(), theme.scaled, lane.contender_id
    if cid == model.selection:
        wash(p, box)
    hollow = not lane.summary.counted
    marks.paint(p, QPointF(box.left() + px(18), box.center().y()), px(MARK_PX), cid, hollow)
    font = theme.font(10, 600 if cid == model.selection else 500)
    font.setStrikeOut(cid in model.barred)
    p.setFont(font)
    p.setPen(QColor(t.soft if lane.aside else t.ink))
    name = box.adjusted(px(BEFORE_PX), 0, -px(AFTER_PX), 0)
    label = lane.summary.contender.label
    p.drawText(name, LEFT, fitted(p.fontMetrics(), label, name.width(), END))


def paint_answer(p: QPainter, box: QRectF, lane: Lane, selection: int) -> None:
    """Usual time, spread, answer, and a sign where it is not acceptable."""
    t, s = theme.tones(), lane.summary
    if lane.contender_id == selection:
        wash(p, box)
    _paint_columns(
        p,
        box,
        (
            (lane.usual, t.ink, 600),
            (lane.spread, t.trouble if s.erratic else t.soft, 500),
            (
                lane.answer or ("set aside" if lane.aside else ""),
                t.act if s.answer == "faster" else t.soft,
                500,
            ),
            ("✕" if s.reasons else "", t.trouble, 700),
        ),
    )


def _paint_columns(p: QPainter, box: QRectF, cells: Sequence[tuple[str, str, int]]) -> None:
    """Texts with tone and weight, each in its column."""
    px, x = theme.scaled, box.left()
    for (words, tone, weight), (width, where) in zip(cells, COLUMNS, strict=True):
        p.setFont(theme.font(9.5, weight))
        p.setPen(QColor(tone))
        gap = px(10) if where == LEFT else 0
        room = QRectF(x + gap, box.top(), px(width) - gap, box.height())
        p.drawText(room, where, p.fontMetrics().elidedText(words, END, int(room.width())))
        x += px(width)


class Headings(QWidget):
    """What the columns beside the lanes are, over them."""

    def __init__(self, right: pg.AxisItem) -> None:
        super().__init__()
        self._right = right
        self.setFixedHeight(QFontMetrics(theme.font(9)).height() + 2)

    def _box(self) -> QRectF:
        size = self._right.size()
        return self._right.mapRectToScene(QRectF(0, 0, size.width(), size.height()))

    def paintEvent(self, _event: QPaintEvent | None) -> None:
        """Draw them where the columns are."""
        t, box = theme.tones(), self._box()
        place = QRectF(box.left(), 0, box.width(), self.height())
        _paint_columns(QPainter(self), place, [(words, t.soft, 500) for words in HEADINGS])
