"""The mark of a contender: a colour from a colour-blind-safe set, and a shape."""

import pyqtgraph as pg
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtGui import QBrush, QColor, QPainter, QPen
from pyqtgraph.graphicsItems.ScatterPlotItem import Symbols

from ovrik.desk.style import theme

COLOURS = (
    "#332288",
    "#c57b12",
    "#2f8fb8",
    "#882255",
    "#6d7a16",
    "#c85a6e",
    "#117744",
    "#7a5638",
    "#a0409c",
    "#4f5b66",
)
NIGHT_COLOURS = (
    "#9d92f0",
    "#f0b04d",
    "#7cc7ea",
    "#e48ab5",
    "#c2cf5e",
    "#f29aa9",
    "#66cf94",
    "#cda37d",
    "#dd94d9",
    "#aab6c1",
)
SHAPES = ("o", "s", "t1", "d", "p", "t", "h", "+", "star", "x")


def colour(contender_id: int) -> QColor:
    """Its colour by day or night."""
    chosen = NIGHT_COLOURS if theme.tones() is theme.NIGHT else COLOURS
    return QColor(chosen[(contender_id - 1) % len(chosen)])


def shape(contender_id: int) -> str:
    """Its shape as pyqtgraph calls it; past ten contenders the pairing shifts."""
    place = contender_id - 1
    return SHAPES[(place + place // len(SHAPES)) % len(SHAPES)]


def paint(painter: QPainter, centre: QPointF, size: float, contender_id: int, hollow: bool = False) -> None:
    """Draw a mark of the given size in pixels."""
    painter.save()
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.translate(centre)
    painter.scale(size, size)
    pen = QPen(colour(contender_id), 0.12)
    painter.setPen(pen)
    painter.setBrush(Qt.BrushStyle.NoBrush if hollow else QBrush(colour(contender_id)))
    painter.drawPath(Symbols[shape(contender_id)])
    painter.restore()


def pen(contender_id: int, width: float = 1.5) -> QPen:
    """A line in its colour."""
    return pg.mkPen(colour(contender_id), width=width)
