"""Reads the place of a mark back through the axis as it is drawn: what a person does with a ruler."""

from collections.abc import Iterator

import numpy as np
import pyqtgraph as pg
from PyQt6.QtCore import QPointF
from PyQt6.QtGui import QPainter, QPicture
from PyQt6.QtWidgets import QWidget

from ovrik.desk.widgets.chart import Chart

OFF_PX = 1.6
"""A tick's text stands on whole pixels."""


def misplaced(window: QWidget) -> Iterator[str]:
    """Marks of charts on show that are not where the figures on the axes say, and charts that can't be read."""
    for chart in window.findChildren(Chart):
        if not chart.isVisible() or not chart.width():
            continue
        chart.grab()  # what is late is laid out by drawing it
        item = chart.getPlotItem()
        for side, along in (("bottom", 0), ("left", 1)):
            read = ruler(item.getAxis(side), along)
            drawn = list(places(item, along))
            if side == "bottom" and read is None and drawn:
                yield f"{chart.accessibleName()}: no two figures along the bottom"
            if read is None:
                continue
            for value, pixel in drawn:
                said = pixel_of(read, value)
                if abs(said - pixel) > OFF_PX:
                    yield f"{chart.accessibleName()}: {side} {value:.4g} is drawn {pixel - said:+.1f} px off"


def figures(axis: pg.AxisItem) -> list[tuple[float, QPointF]]:
    """Figures along an axis, with the middles of their texts in the scene."""
    picture = QPicture()
    painter = QPainter(picture)
    specs = pg.AxisItem.generateDrawSpecs(axis, painter)
    painter.end()
    found = []
    for rect, _flags, text in specs[2] if specs else ():
        try:
            found.append((float(text.replace("−", "-")), axis.mapToScene(rect.center())))
        except ValueError:
            continue
    return found


def ruler(axis: pg.AxisItem, along: int) -> tuple[np.ndarray, np.ndarray] | None:
    """Figures, as their logs where they stand by factors, and their pixels; None with fewer than two."""
    read = sorted((value, place.y() if along else place.x()) for value, place in figures(axis))
    values, pixels = np.array(read).reshape(-1, 2).T
    if len(set(values)) < 2:
        return None
    if len(values) > 2 and values.min() > 0:
        logs = np.log10(values)
        if _bent(logs, pixels) < _bent(values, pixels):
            return logs, pixels
    return values, pixels


def _bent(values: np.ndarray, pixels: np.ndarray) -> float:
    """How far figures are from standing evenly, pixels."""
    return float(np.abs(np.polyval(np.polyfit(values, pixels, 1), values) - pixels).max())


def pixel_of(read: tuple[np.ndarray, np.ndarray], value: float) -> float:
    """Where a value is to be by the first and the last figure."""
    values, pixels = read
    share = (value - values[0]) / (values[-1] - values[0])
    return float(pixels[0] + share * (pixels[-1] - pixels[0]))


def places(item: pg.PlotItem, along: int) -> Iterator[tuple[float, float]]:
    """Values of marks along an axis, and the pixels at which they are drawn."""
    for drawn in item.items:
        if not isinstance(drawn, pg.ScatterPlotItem) or not drawn.isVisible():
            continue
        x, y = drawn.getData()
        for px, py in zip(np.asarray(x, float)[:400], np.asarray(y, float)[:400], strict=True):
            spot = drawn.mapToScene(QPointF(px, py))
            yield (px, py)[along], (spot.x(), spot.y())[along]
