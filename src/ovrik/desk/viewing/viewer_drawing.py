"""How a viewer paints its panes."""

import math
from dataclasses import dataclass, field

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QImage, QPainter, QPainterPath, QPen, QPolygonF

from ovrik.desk.style import theme
from ovrik.desk.widgets.labels import fitted

PLATE, INK = QColor(20, 28, 24, 205), QColor("#f3eee3")
PLATE_PX, GRIP_PX = 24, 9
FAR = 1e5
AVERAGED = 0.4
"""Scale under which four neighbours are too few to stand for what a pixel covers."""
FAINT = 0.6
"""Lifts what is weak in a map, so that it is seen at all."""
MAP_TINT = (236, 96, 44)
"""R, G and B of a loss map: what no picture is made of by chance, and told by its strength and its outline."""


@dataclass
class Pane:
    """One picture. Fields: `image`, None while there is none; `caption`; `message` where there is no image."""

    image: QImage | None = None
    caption: str = ""
    message: str = ""


@dataclass(frozen=True)
class Box:
    """A region drawn over the picture. Fields: `area`, as shares of it; `words`; `strong`, whether it is the one that
    is spoken of."""

    area: QRectF
    words: str = ""
    strong: bool = False


@dataclass
class Split:
    """A line that parts two pictures. Fields: `at`, a point of it as shares of the view; `angle` from upright,
    degrees."""

    at: QPointF = field(default_factory=lambda: QPointF(0.5, 0.5))
    angle: float = 0.0

    def ends(self, view: QRectF) -> tuple[QPointF, QPointF, QPointF]:
        """Its point, and its grip to turn it by, in the view; and its direction."""
        point = QPointF(view.x() + self.at.x() * view.width(), view.y() + self.at.y() * view.height())
        turn = math.radians(self.angle)
        along = QPointF(math.sin(turn), -math.cos(turn))
        reach = 0.32 * min(view.width(), view.height())
        return point, point + along * reach, along

    def side(self, view: QRectF) -> QPainterPath:
        """What lies to the right of it."""
        point, _grip, along = self.ends(view)
        across = QPointF(-along.y(), along.x())
        corners = [
            point + along * FAR,
            point + along * FAR + across * FAR,
            point - along * FAR + across * FAR,
        ]
        path = QPainterPath()
        path.addPolygon(QPolygonF([*corners, point - along * FAR]))
        path.closeSubpath()
        return path


def draw_picture(p: QPainter, box: QRectF, image: QImage, scale: float, moving: bool = False) -> None:
    """A picture in its box: single pixels stay square when enlarged; when made much smaller, they are averaged, but
    for one that plays."""
    if scale < AVERAGED and not moving:
        size = (box.size() * p.device().devicePixelRatioF()).toSize()  # type: ignore[union-attr]
        smooth = Qt.TransformationMode.SmoothTransformation
        p.drawImage(box, image.scaled(size, Qt.AspectRatioMode.IgnoreAspectRatio, smooth))
        return
    p.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform, scale < 1)
    p.drawImage(box, image)


def draw_line(p: QPainter, view: QRectF, split: Split) -> None:
    """The line between two pictures, its grip to move it and the one to turn it."""
    point, grip, along = split.ends(view)
    p.setRenderHint(QPainter.RenderHint.Antialiasing)
    for colour, width in ((PLATE, 3.6), (INK, 1.4)):
        p.setPen(QPen(colour, width))
        p.drawLine(point - along * FAR, point + along * FAR)
    for centre, filled in ((point, True), (grip, False)):
        p.setPen(QPen(PLATE if filled else INK, 1.6))
        p.setBrush(INK if filled else PLATE)
        p.drawEllipse(centre, GRIP_PX, GRIP_PX)
    p.setBrush(Qt.BrushStyle.NoBrush)
    p.setRenderHint(QPainter.RenderHint.Antialiasing, False)


def plate(p: QPainter, left: float, top: float, room: float, text: str, from_right: bool = False) -> None:
    """A caption on its plate, cut short where there is not room enough."""
    p.setFont(theme.font(9.5, 600))
    shown = fitted(p.fontMetrics(), text, int(room) - 34, Qt.TextElideMode.ElideRight)
    wide = p.fontMetrics().horizontalAdvance(shown) + 18
    x = left + room - wide - 8 if from_right else left + 8
    area = QRectF(x, top + 8, wide, theme.scaled(PLATE_PX))
    p.fillRect(area, PLATE)
    p.setPen(INK)
    p.drawText(area, Qt.AlignmentFlag.AlignCenter, shown)


def draw_boxes(p: QPainter, picture: QRectF, boxes: list[Box]) -> None:
    """Regions over a picture, each with its words where it is the one spoken of."""
    for box in boxes:
        area = QRectF(
            picture.x() + box.area.x() * picture.width(),
            picture.y() + box.area.y() * picture.height(),
            box.area.width() * picture.width(),
            box.area.height() * picture.height(),
        )
        for colour, width in ((PLATE, 3.4), (INK, 1.4)):
            line = QPen(colour, width)
            if not box.strong and colour is INK:
                line.setStyle(Qt.PenStyle.DashLine)
            p.setPen(line)
            p.drawRect(area)
        if box.words and box.strong:
            plate(p, area.x() - 8, area.bottom() - 4, max(area.width() + 60, 220), box.words)


def map_image(strength: np.ndarray) -> QImage:
    """A loss map, shape (rows, columns), 0 to 1, as a tint to lie over the picture."""
    rows, columns = strength.shape
    pixels = np.zeros((rows, columns, 4), np.uint8)
    alpha = np.clip(strength, 0, 1) ** FAINT * 200
    for channel, value in enumerate(reversed(MAP_TINT)):
        pixels[..., channel] = (value * alpha / 255).astype(np.uint8)  # premultiplied
    pixels[..., 3] = alpha.astype(np.uint8)
    kind = QImage.Format.Format_ARGB32_Premultiplied
    return QImage(pixels.tobytes(), columns, rows, 4 * columns, kind).copy()
