"""Texts beside marks in a chart, moved out of each other's way."""

import pyqtgraph as pg
from PyQt6.QtCore import QPointF, QRectF, QTimer

Taken = tuple[tuple[list[QRectF], float], ...]
"""Boxes already in use, in pixels, and how bad it is to cover them."""
AWAY = 4.0
"""How bad each pixel is that a text stands away from its mark: it seems to belong to another."""


class Labels:
    """Places texts about their marks, in pixels, whenever the chart's size or range is another."""

    def __init__(self, chart: pg.PlotWidget) -> None:
        self._chart = chart
        self._view = chart.getPlotItem().vb
        self._texts: list[tuple[pg.TextItem, float, float, tuple[float, float]]] = []
        self._fixed: list[tuple[pg.TextItem, float, float]] = []
        # The view signals a new size before it has worked out its new scale.
        self._later = QTimer(chart)
        self._later.setSingleShot(True)
        self._later.timeout.connect(self._place_now)
        self._view.sigResized.connect(self.place)

    def clear(self) -> None:
        """Forget all texts; the chart removes them itself."""
        self._texts.clear()
        self._fixed.clear()

    def add(
        self, text: pg.TextItem, x: float, y: float, span: tuple[float, float], first: bool = False
    ) -> None:
        """A text for the mark at a point, whose whisker spans these x; the first ones get the best
        places."""
        self._texts.insert(0 if first else len(self._texts), (text, x, y, span))
        self._chart.addItem(text)

    def add_fixed(self, text: pg.TextItem, x: float, y: float) -> None:
        """A text that ends above a point, and that the others keep clear of."""
        text.setAnchor((1, 1))
        text.setPos(x, y)
        self._fixed.append((text, x, y))
        self._chart.addItem(text)

    def place(self, *_: object) -> None:
        """Place all texts as soon as the chart has its size."""
        self._later.start(0)

    def _place_now(self) -> None:
        """Put every text where it covers neither a mark nor another text; hide it if there is no such place."""
        area = self._view.sceneBoundingRect()
        marks: list[QRectF] = []
        whiskers: list[QRectF] = []
        texts = [self._box_of_fixed(*fixed) for fixed in self._fixed]
        for _text, x, y, (low, high) in self._texts:
            spot, left, right = (self._view.mapViewToScene(QPointF(at, y)) for at in (x, low, high))
            marks.append(QRectF(spot.x() - 8, spot.y() - 8, 16, 16))
            whiskers.append(QRectF(left.x(), left.y() - 3, right.x() - left.x(), 6))
        for (text, *_rest), mark, whisker in zip(self._texts, marks, whiskers, strict=True):
            taken = ((marks, 6.0), (texts, 3.0), (whiskers, 2.0))
            places = _places(mark, whisker, text.boundingRect(), area)
            best = min(
                places,
                key=lambda box, taken=taken, mark=mark: (  # type: ignore[misc]
                    _cost(box, taken, area) + AWAY * _gap(box, mark)
                ),
            )
            # What finds no place gives way: it is read by hovering over its mark.
            shown = not any(_covers(best, other) for other in texts) and area.contains(best.center())
            text.setVisible(shown)
            if not shown:
                continue
            texts.append(best)
            text.setAnchor((0, 0))
            text.setPos(self._view.mapSceneToView(best.topLeft()))

    def _box_of_fixed(self, text: pg.TextItem, x: float, y: float) -> QRectF:
        end, size = self._view.mapViewToScene(QPointF(x, y)), text.boundingRect()
        return QRectF(end.x() - size.width(), end.y() - size.height(), size.width(), size.height())


def _places(mark: QRectF, whisker: QRectF, size: QRectF, area: QRectF) -> list[QRectF]:
    """Where a text may stand, the best places first."""
    wide, high = size.width(), size.height()
    middle = mark.center()
    right = max(mark.right(), whisker.right()) + 3
    left = min(mark.left(), whisker.left()) - 3 - wide
    beside = [(x, middle.y() + dy) for dy in (-high / 2, -high, 0.0) for x in (right, left)]
    above = [
        (middle.x() + dx, y) for y in (mark.top() - high, mark.bottom()) for dx in (-wide / 2, -8.0, 8 - wide)
    ]
    far = [(x, middle.y() + dy) for dy in (-2 * high, high, -3 * high, 2 * high) for x in (right, left)]
    within = [(max(area.left(), min(x, area.right() - wide)), y) for x, y in above]
    return [QRectF(x, y, wide, high) for x, y in (*beside, *above, *within, *far)]


def _cost(box: QRectF, taken: Taken, area: QRectF) -> float:
    covered = sum(
        weight * _area(box.intersected(other))
        for others, weight in taken
        for other in others
        if box.intersects(other)
    )
    return covered + 8 * (_area(box) - _area(box.intersected(area)))


def _covers(box: QRectF, other: QRectF) -> bool:
    both = box.intersected(other)
    return both.width() > 2 and both.height() > 2


def _gap(box: QRectF, mark: QRectF) -> float:
    """Pixels up or down between a text and its mark."""
    return max(box.top() - mark.bottom(), mark.top() - box.bottom(), 0.0)


def _area(box: QRectF) -> float:
    return max(box.width(), 0.0) * max(box.height(), 0.0)
