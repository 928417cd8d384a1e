"""An axis whose ticks are rows: what stands beside each row of a chart."""

from collections.abc import Callable

import pyqtgraph as pg
from PyQt6.QtCore import QRectF
from PyQt6.QtGui import QPainter

PaintRow = Callable[[QPainter, QRectF, int], None]


class RowAxis(pg.AxisItem):
    """Left or right of a chart whose rows are equally tall. `paint_row` draws the row of a place in its box."""

    def __init__(self, side: str, paint_row: PaintRow) -> None:
        super().__init__(side)
        self._paint_row = paint_row
        self._rows, self._count = range(0), 1.0

    def show_rows(self, rows: range, count: float) -> None:
        """Draw these rows, of which the axis holds so many from top to bottom."""
        self._rows, self._count = rows, count
        self.picture = None
        self.update()

    def drawPicture(self, p: QPainter, _axis: object, _ticks: object, _texts: object) -> None:
        """Part of pyqtgraph's interface: here, row by row instead of tick by tick."""
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        box = QRectF(0, 0, self.size().width(), self.size().height())
        tall = box.height() / self._count
        for number, row in enumerate(self._rows):
            self._paint_row(p, QRectF(0, number * tall, box.width(), tall), row)
