"""A table column that draws ratios with their intervals on one common, logarithmic scale."""

from collections.abc import Sequence

import numpy as np
from PyQt6.QtCore import QModelIndex, QPointF, QRectF, QSize
from PyQt6.QtGui import QColor, QPainter, QPen
from PyQt6.QtWidgets import QStyledItemDelegate, QStyleOptionViewItem, QWidget

from ovrik.analysis.times.ratio import Ratio
from ovrik.desk.style import marks, theme

FARTHEST = float(np.log(4.0))
LEAST = 0.1
"""The scale ends at four times as fast or as slow: what goes on ends in an arrow."""


class IntervalColumn(QStyledItemDelegate):
    """Draws the interval as a bar, the value as a tick, 1 as a line, the tie band as a wash."""

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self._rows: list[tuple[int, Ratio | None]] = []
        self._band = 0.02
        self._low, self._high = -LEAST, LEAST

    def show(self, rows: Sequence[tuple[int, Ratio | None]], band: float) -> None:
        """Ratios by contender, in the order of the rows."""
        self._rows, self._band = list(rows), band
        values = [float(np.log(r.value)) for _, r in rows if r] or [0.0]
        widths = [float(np.log(r.high / r.value)) for _, r in rows if r and r.high]
        # One interval that is wide, or one that is far off, is not to flatten all the others.
        beyond = 1.1 * float(np.median(widths)) if widths else 0.1
        self._low = float(np.clip(min(values) - beyond, -FARTHEST, -LEAST))
        self._high = float(np.clip(max(values) + beyond, LEAST, FARTHEST))

    def x(self, box: QRectF, ratio: float) -> float:
        """Where a ratio lies in a cell: by its log, from the least that is drawn to the most."""
        log = float(np.clip(np.log(max(ratio, 1e-9)), self._low, self._high))
        return box.left() + 6 + (log - self._low) / (self._high - self._low) * (box.width() - 12)

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
        left, right = self.x(box, 1 - self._band), self.x(box, 1 + self._band)
        p.fillRect(QRectF(left, box.top(), right - left, box.height()), QColor(t.sunk))
        p.setPen(QPen(QColor(t.soft), 1))
        p.drawLine(QPointF(self.x(box, 1), box.top()), QPointF(self.x(box, 1), box.bottom()))
        if ratio is not None:
            middle = box.center().y()
            p.setPen(QPen(marks.colour(contender), 3))
            if ratio.low is not None and ratio.high is not None:
                p.drawLine(QPointF(self.x(box, ratio.low), middle), QPointF(self.x(box, ratio.high), middle))
                for end, far, way in ((ratio.low, -1, 1), (ratio.high, 1, -1)):
                    most = self._high if far > 0 else -self._low
                    if far * np.log(max(end, 1e-9)) > most:
                        x = self.x(box, end)
                        for up in (-4, 4):
                            p.drawLine(QPointF(x, middle), QPointF(x + 5 * way, middle + up))
            p.setPen(QPen(QColor(t.ink), 2))
            x = self.x(box, ratio.value)
            p.drawLine(QPointF(x, middle - 7), QPointF(x, middle + 7))
        p.restore()

    def sizeHint(self, option: QStyleOptionViewItem, index: QModelIndex) -> QSize:
        """Wide enough to read."""
        return QSize(theme.scaled(100), 25)
