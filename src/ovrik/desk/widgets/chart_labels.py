"""Texts beside marks in a chart, moved out of each other's way."""

import pyqtgraph as pg
from PyQt6.QtCore import QPointF, QRectF

GAP = 11.0
"""Pixels between a mark's middle and its text."""


class Labels:
    """Places texts about their marks, in pixels, whenever the chart's size or range is another."""

    def __init__(self, chart: pg.PlotWidget) -> None:
        self._chart = chart
        self._view = chart.getPlotItem().vb
        self._texts: list[tuple[pg.TextItem, float, float]] = []
        self._spans: list[tuple[float, float, float]] = []
        self._view.sigResized.connect(self.place)

    def clear(self) -> None:
        """Forget all texts; the chart removes them itself."""
        self._texts.clear()
        self._spans.clear()

    def add(self, text: pg.TextItem, x: float, y: float, span: tuple[float, float],
            first: bool = False) -> None:  # fmt: skip
        """A text for the mark at a point, whose whisker spans these x; the first ones get the best
        places."""
        self._texts.insert(0 if first else len(self._texts), (text, x, y))
        self._spans.append((*span, y))
        self._chart.addItem(text)

    def place(self, *_: object) -> None:
        """Put every text where it covers neither a mark nor another text, if there is such a place."""
        area = self._view.sceneBoundingRect()
        spots = [self._view.mapViewToScene(QPointF(x, y)) for _text, x, y in self._texts]
        taken = [QRectF(s.x() - 7, s.y() - 7, 14, 14) for s in spots]
        for low, high, y in self._spans:
            left, right = (self._view.mapViewToScene(QPointF(x, y)) for x in (low, high))
            taken.append(QRectF(left.x(), left.y() - 3, right.x() - left.x(), 6))
        for (text, _x, _y), spot in zip(self._texts, spots, strict=True):
            size = text.boundingRect()
            best = min(_places(spot, size), key=lambda box: _cost(box, taken, area))
            taken.append(best)
            text.setAnchor((0, 0))
            text.setPos(self._view.mapSceneToView(best.topLeft()))


def _places(spot: QPointF, size: QRectF) -> list[QRectF]:
    wide, high = size.width(), size.height()
    right, left = spot.x() + GAP, spot.x() - GAP - wide
    rows = (-high / 2, -high - 4, 4, -2 * high, high, -2.9 * high, 1.9 * high)
    middle = spot.x() - wide / 2
    near = [QRectF(x, spot.y() + dy, wide, high) for dy in rows[:3] for x in (right, left)]
    near += [QRectF(middle, spot.y() + dy, wide, high) for dy in (-high - GAP, GAP)]
    return near + [QRectF(x, spot.y() + dy, wide, high) for dy in rows[3:] for x in (right, left)]


def _cost(box: QRectF, taken: list[QRectF], area: QRectF) -> float:
    over = sum(_area(box.intersected(other)) for other in taken)
    outside = _area(box) - _area(box.intersected(area))
    return over + 4 * outside


def _area(box: QRectF) -> float:
    return max(box.width(), 0.0) * max(box.height(), 0.0)
