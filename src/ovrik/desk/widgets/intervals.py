"""A table column that draws ratios with their intervals on one common, logarithmic scale."""

from collections.abc import Sequence

import numpy as np
from PyQt6.QtCore import QModelIndex, QPointF, QRectF, QSize
from PyQt6.QtGui import QColor, QPainter, QPen
from PyQt6.QtWidgets import QStyledItemDelegate, QStyleOptionViewItem, QWidget

from ovrik.analysis.ratio import Ratio
from ovrik.desk import marks, theme


class IntervalColumn(QStyledItemDelegate):
    """Draws the interval as a bar, the value as a tick, 1 as a line, the tie band as a wash."""

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self._rows: list[tuple[int, Ratio | None]] = []
        self._band = 0.02
        self._reach = np.log(2)

    def show(self, rows: Sequence[tuple[int, Ratio | None]], band: float) -> None:
        """Ratios by contender, in the order of the rows."""
        self._rows, self._band = list(rows), band
        ends = [abs(np.log(v)) for _, r in rows if r for v in (r.value, r.low or r.value, r.high or r.value)]
        self._reach = max(0.1, *ends) * 1.05 if ends else np.log(2)

    def _x(self, box: QRectF, ratio: float) -> float:
        share = 0.5 + 0.5 * float(np.clip(np.log(max(ratio, 1e-9)) / self._reach, -1, 1))
        return box.left() + 6 + share * (box.width() - 12)

    def paint(self, p: QPainter | None, option: QStyleOptionViewItem, index: QModelIndex) -> None:
        """Draw one row."""
        super().paint(p, option, index)
        if p is None or index.row() >= len(self._rows):
            return
        contender, ratio = self._rows[index.row()]
        box = QRectF(option.rect)
        t = theme.tones()
        p.save()
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        left, right = self._x(box, 1 - self._band), self._x(box, 1 + self._band)
        p.fillRect(QRectF(left, box.top(), right - left, box.height()), QColor(t.sunk))
        p.setPen(QPen(QColor(t.soft), 1))
        p.drawLine(QPointF(self._x(box, 1), box.top()), QPointF(self._x(box, 1), box.bottom()))
        if ratio is not None:
            middle = box.center().y()
            p.setPen(QPen(marks.colour(contender), 3))
            if ratio.low is not None and ratio.high is not None:
                p.drawLine(
                    QPointF(self._x(box, ratio.low), middle), QPointF(self._x(box, ratio.high), middle)
                )
            p.setPen(QPen(QColor(t.ink), 2))
            x = self._x(box, ratio.value)
            p.drawLine(QPointF(x, middle - 7), QPointF(x, middle + 7))
        p.restore()

    def sizeHint(self, option: QStyleOptionViewItem, index: QModelIndex) -> QSize:
        """Wide enough to read."""
        return QSize(88, 25)
