"""Texts beside marks in a chart, moved out of each other's way."""

from collections.abc import Callable

import numpy as np
import pyqtgraph as pg
from PyQt6.QtCore import QPointF, QRectF, QTimer

from ovrik.desk.style import theme

AWAY = 4.0
"""How bad each pixel is that a text stands away from its mark: it seems to belong to another."""
MARK_PX, OUTSIDE = 20.0, 8.0
LEADER_PX, LINE_PX = 9.0, 2.0
COVERED = 60.0
"""Pixels of other marks that a text may cover and still be shown, unless it is one of the first."""


class Labels:
    """Places texts about their marks, in pixels, whenever the chart's size or range is another."""

    def __init__(self, chart: pg.PlotWidget) -> None:
        self._chart = chart
        self._view = chart.getPlotItem().vb
        self._texts: list[tuple[pg.TextItem, float, float, tuple[float, float], bool]] = []
        self._marks, self._lines = np.zeros((0, 2)), np.zeros((0, 3))
        self.others: Callable[[], list[QRectF]] = list
        """Boxes in the scene of other texts, that these keep clear of."""
        self._leaders = pg.PlotCurveItem(connect="pairs")
        self._leaders.setZValue(0.5)
        chart.addItem(self._leaders, ignoreBounds=True)
        # The view signals a new size before it has worked out its new scale.
        self._later = QTimer(chart)
        self._later.setSingleShot(True)
        self._later.timeout.connect(self.place_now)
        self._view.sigResized.connect(self.place)
        self._view.sigRangeChanged.connect(self.place)

    def clear(self) -> None:
        """Forget all texts, and take them out of the chart."""
        for text, *_place in self._texts:
            self._chart.removeItem(text)
        self._texts.clear()

    def begin(self) -> None:
        """Take part again in a chart that was cleared."""
        if self._leaders.scene() is None:
            self._chart.addItem(self._leaders, ignoreBounds=True)

    def keep_clear_of(self, places: np.ndarray) -> None:
        """Marks, shape (n, 2), in the chart's own coordinates, that texts should not cover."""
        self._marks = places.reshape(-1, 2)

    def keep_off(self, lines: np.ndarray) -> None:
        """Level lines, shape (n, 3): from, to, height in the chart's own coordinates, that texts had better not lie
        on."""
        self._lines = lines.reshape(-1, 3)

    def add(
        self, text: pg.TextItem, x: float, y: float, span: tuple[float, float], first: bool = False
    ) -> None:
        """A text for the mark at a point, whose whisker spans these x. Earlier ones get the better places; `first`
        ones are shown wherever they cover no other text."""
        self._texts.append((text, x, y, span, first))
        self._chart.addItem(text, ignoreBounds=True)

    @property
    def shown(self) -> list[tuple[str, QRectF]]:
        """Texts on show with their boxes in the scene, for whoever looks for overlaps."""
        seen = (text for text, *_place in self._texts if text.isVisible())
        return [(t.textItem.toPlainText(), t.mapRectToScene(t.boundingRect())) for t in seen]

    def place(self, *_: object) -> None:
        """Place all texts as soon as the chart has its size."""
        self._later.start(0)

    def place_now(self) -> None:
        """Put every text where it covers neither a mark nor another text; hide it if there is no such place."""
        area = _array(self._view.sceneBoundingRect())
        spots = self._in_scene(np.array([[x, y] for _t, x, y, _s, _f in self._texts]).reshape(-1, 2))
        every = self._in_scene(self._marks) if len(self._marks) else spots
        marks = np.column_stack([every - MARK_PX / 2, every + MARK_PX / 2])
        starts, ends = (self._in_scene(self._lines[:, [side, 2]]) for side in (0, 1))
        thick = np.array([0.0, LINE_PX])
        lines = np.column_stack([starts - thick, ends + thick]).reshape(-1, 4)
        texts = [_array(box) for box in self.others()]
        leaders: list[tuple[float, float]] = []
        for (text, _x, y, (low, high), first), spot in zip(self._texts, spots, strict=True):
            ends = self._in_scene(np.array([[low, y], [high, y]]))[:, 0]
            size = text.boundingRect()
            places = _places(spot, (ends[0], ends[1]), size.width(), size.height(), area)
            others = np.array(texts).reshape(-1, 4)
            own = np.array([[*(spot - MARK_PX / 2), *(spot + MARK_PX / 2)]])
            covered = _overlaps(places, marks).sum(axis=1) - _overlaps(places, own).sum(axis=1)
            cost = (
                6.0 * (covered + _overlaps(places, own).sum(axis=1))
                + 9.0 * _overlaps(places, others).sum(axis=1)
                + 2.0 * _overlaps(places, lines).sum(axis=1)
                + OUTSIDE * (_areas(places) - _overlaps(places, area[None, :]).sum(axis=1))
                + AWAY * _gaps(places, spot)
            )
            inside = _overlaps(places, area[None, :]).sum(axis=1) > 0.98 * _areas(places)
            free = _overlaps(places, others).max(axis=1) <= 0.0
            at = int(np.argmin(np.where(inside & free, cost, np.inf)))
            best = places[at]
            crowded = covered[at] > COVERED and not first
            # What finds no place gives way: it is read by hovering over its mark.
            text.setVisible(bool(free[at] and inside[at] and not crowded))
            if text.isVisible():
                texts.append(best)
                text.setAnchor((0, 0))
                text.setPos(self._view.mapSceneToView(QPointF(best[0], best[1])))
                if _gaps(best[None, :], spot)[0] > LEADER_PX:
                    leaders += self._leader(best, spot)
        drawn = np.array(leaders).reshape(-1, 2)
        self._leaders.setPen(pg.mkPen(theme.tones().soft, width=0.8))
        self._leaders.setData(drawn[:, 0], drawn[:, 1])

    def _leader(self, box: np.ndarray, spot: np.ndarray) -> list[tuple[float, float]]:
        """A line from a text that stands away from its mark to the mark."""
        x = float(np.clip(spot[0], box[0], box[2]))
        y = float(box[3] if box[3] < spot[1] else box[1])
        places = [self._view.mapSceneToView(QPointF(*p)) for p in ((x, y), spot)]
        return [(p.x(), p.y()) for p in places]

    def _in_scene(self, places: np.ndarray) -> np.ndarray:
        """Places in the chart's coordinates as places in the scene; the map between them is a scale and a shift."""
        if not len(places):
            return np.zeros((0, 2))
        zero, one = (self._view.mapViewToScene(QPointF(v, v)) for v in (0.0, 1.0))
        scale = np.array([one.x() - zero.x(), one.y() - zero.y()])
        return np.asarray(places * scale + [zero.x(), zero.y()])


def _array(box: QRectF) -> np.ndarray:
    return np.array([box.left(), box.top(), box.right(), box.bottom()])


def _places(
    spot: np.ndarray, whisker: tuple[float, float], wide: float, high: float, area: np.ndarray
) -> np.ndarray:
    """Where a text may stand, the best places first, shape (n, 4): left, top, right, bottom."""
    x, y = spot
    half = MARK_PX / 2
    right, left = max(x + half, whisker[1]) + 3, min(x - half, whisker[0]) - 3 - wide
    beside = [(px, y + dy) for dy in (-high / 2, -high, 0.0) for px in (right, left)]
    above = [(x + dx, py) for py in (y - half - high, y + half) for dx in (-wide / 2, -8.0, 8 - wide)]
    far = [(px, y + dy) for dy in (-2 * high, high, -3 * high, 2 * high) for px in (right, left)]
    near = [(x + half + 3, y + dy) for dy in (-1.6 * high, 0.6 * high)]
    within = [(max(area[0], min(px, area[2] - wide)), py) for px, py in above]
    corners = np.array([*beside, *above, *within, *near, *far])
    return np.column_stack([corners, corners + np.array([wide, high])])


def _overlaps(boxes: np.ndarray, others: np.ndarray) -> np.ndarray:
    """Area that each box shares with each other one, shape (boxes, others)."""
    if not len(others):
        return np.zeros((len(boxes), 1))
    wide = np.minimum(boxes[:, None, 2], others[None, :, 2]) - np.maximum(
        boxes[:, None, 0], others[None, :, 0]
    )
    high = np.minimum(boxes[:, None, 3], others[None, :, 3]) - np.maximum(
        boxes[:, None, 1], others[None, :, 1]
    )
    return np.asarray(np.maximum(wide, 0) * np.maximum(high, 0))


def _areas(boxes: np.ndarray) -> np.ndarray:
    return np.asarray((boxes[:, 2] - boxes[:, 0]) * (boxes[:, 3] - boxes[:, 1]))


def _gaps(boxes: np.ndarray, spot: np.ndarray) -> np.ndarray:
    """Pixels up or down between each text and its mark."""
    half = MARK_PX / 2
    return np.asarray(np.maximum(np.maximum(boxes[:, 1] - spot[1] - half, spot[1] - half - boxes[:, 3]), 0.0))
