"""The viewer: frames on neutral grey, one or several, locked together, at any zoom down to single pixels."""

import math
from collections.abc import Callable

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QImage, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QWheelEvent
from PyQt6.QtWidgets import QSizePolicy, QWidget

from ovrik.desk.style import theme
from ovrik.desk.viewing.viewer_drawing import (
    GRIP_PX,
    Box,
    Pane,
    Split,
    draw_boxes,
    draw_line,
    draw_picture,
    map_image,
    plate,
)

ZOOMS = (0.0, 1.0, 2.0, 4.0, 8.0, 16.0)
"""0 fits the picture into the view; the others are screen pixels for each frame pixel."""
GAP_PX = 4
TURN = 15.0
"""Degrees by which a key turns the line."""
LEFT, RIGHT = Qt.MouseButton.LeftButton, Qt.MouseButton.RightButton


class Viewer(QWidget):
    """Shows pictures. + and − zoom, 0 fits, arrows step a frame, dragging pans; R turns the line of a split.

    Signals: `step_wanted` by so many frames; `zoom_changed`; `pointed` with a pane's place and the picture's pixel
    under the pointer, −1 for none; `held` while the key is down that shows the other picture; `region` that was drawn
    with the right button, as shares of the picture.
    """

    step_wanted = pyqtSignal(int)
    zoom_changed = pyqtSignal(float)
    pointed = pyqtSignal(int, int, int)
    held = pyqtSignal(bool)
    region = pyqtSignal(QRectF)

    def __init__(self, name: str) -> None:
        super().__init__()
        self.panes = [Pane()]
        self.split: Split | None = None
        self.boxes: list[Box] = []
        self.loss_map: QImage | None = None
        self.zoom = 0.0
        self.moving = False
        self._centre = QPointF(0.5, 0.5)
        self._grabbed: QPointF | None = None
        self._dragging = ""
        self._drawn: QRectF | None = None
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)
        self.setAccessibleName(name)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setMinimumSize(240, 135)

    def sizeHint(self) -> QSize:
        """Sixteen by nine; it takes what more there is."""
        return QSize(320, 180)

    # What is shown

    @property
    def image(self) -> QImage | None:
        """The first picture."""
        return self.panes[0].image

    @property
    def caption(self) -> str:
        """What is said of the first picture."""
        return self.panes[0].caption

    @property
    def message(self) -> str:
        """What is said in its place."""
        return self.panes[0].message

    def show_picture(self, image: QImage | None, caption: str, message: str = "") -> None:
        """Show one picture, or a message where there is none."""
        self.show_panes([Pane(image, caption, message)])

    def show_panes(self, panes: list[Pane], split: bool = False) -> None:
        """Show several pictures, in tiles or along a line."""
        self.panes = panes
        if split and self.split is None:
            self.split = Split()
        elif not split:
            self.split = None
        self.setAccessibleDescription("; ".join(p.caption or p.message for p in panes))
        self.update()

    def recaption(self, caption: str) -> None:
        """Say something else of the first picture, which stays."""
        self.panes[0].caption, self.panes[0].message = caption, ""
        self.update()

    def show_loss(self, strength: np.ndarray | None) -> None:
        """Lay a map over the last picture, shape (rows, columns), 0 to 1; None takes it away."""
        self.loss_map = None if strength is None else map_image(strength)
        self.update()

    def show_boxes(self, boxes: list[Box]) -> None:
        """Mark regions."""
        self.boxes = boxes
        self.update()

    # Zoom and place

    def set_zoom(self, zoom: float, about: QPointF | None = None) -> None:
        """Zoom, keeping the picture's point under `about` (widget coordinates) where it is."""
        if zoom == self.zoom or self._any() is None:
            return
        point = about or self._tile(0).center()
        tile = next(
            (t for n in range(len(self.panes)) if (t := self._tile(n)).contains(point)), self._tile(0)
        )
        box = self._box(tile)
        u = (point.x() - box.left()) / max(box.width(), 1)
        v = (point.y() - box.top()) / max(box.height(), 1)
        self.zoom = zoom
        new = self._box(tile)
        self._centre += QPointF(
            u - (point.x() - new.left()) / max(new.width(), 1),
            v - (point.y() - new.top()) / max(new.height(), 1),
        )
        self._keep_inside()
        self.zoom_changed.emit(zoom)
        self.update()

    def step_zoom(self, up: bool, about: QPointF | None = None) -> None:
        """The next zoom up or down."""
        now = self.scale * self.devicePixelRatioF() if self.zoom else 0.0
        higher, lower = [z for z in ZOOMS if z > now + 1e-6], [z for z in ZOOMS if z < now - 1e-6]
        wanted = (higher or [ZOOMS[-1]])[0] if up else (lower or [0.0])[-1]
        self.set_zoom(wanted, about)

    def zoom_to_width(self, wide: Callable[[float], float]) -> None:
        """Zoom so that the picture is as wide, in screen pixels, as is said for a pixel pitch in millimetres."""
        image, screen = self._any(), self.screen()
        if image is not None and screen is not None:
            self.set_zoom(wide(25.4 / max(screen.physicalDotsPerInch(), 1.0)) / image.width())

    def look_at(self, area: QRectF) -> None:
        """Bring a region, as shares of the picture, to the middle."""
        self._centre = area.center()
        self._keep_inside()
        self.update()

    def _any(self) -> QImage | None:
        return next((p.image for p in self.panes if p.image is not None), None)

    @property
    def scale(self) -> float:
        """Screen pixels for each frame pixel."""
        image = self._any()
        if image is None:
            return 1.0
        if self.zoom:
            return self.zoom / self.devicePixelRatioF()
        tile = self._tile(0)
        return min(tile.width() / image.width(), tile.height() / image.height())

    def _tile(self, number: int) -> QRectF:
        """Where a pane lies: all in one place along a line, else side by side, two above two when they are four."""
        whole, count = QRectF(self.rect()), len(self.panes)
        if self.split is not None or count == 1:
            return whole
        columns = 2 if count in (2, 4) else count
        rows = math.ceil(count / columns)
        if count == 3 and whole.width() < 1.9 * whole.height():
            columns, rows = 2, 2
        wide = (whole.width() - GAP_PX * (columns - 1)) / columns
        high = (whole.height() - GAP_PX * (rows - 1)) / rows
        row, column = divmod(number, columns)
        return QRectF(column * (wide + GAP_PX), row * (high + GAP_PX), wide, high)

    def _box(self, tile: QRectF | None = None) -> QRectF:
        """Where the whole picture lies in a tile, in widget coordinates."""
        tile, image = tile or self._tile(0), self._any()
        if image is None:
            return QRectF()
        wide, high = image.width() * self.scale, image.height() * self.scale
        middle = tile.center()
        return QRectF(middle.x() - self._centre.x() * wide, middle.y() - self._centre.y() * high, wide, high)

    def _keep_inside(self) -> None:
        image = self._any()
        if image is None or not self.zoom:
            self._centre = QPointF(0.5, 0.5)
            return
        tile = self._tile(0)
        half_x = min(0.5, tile.width() / 2 / (image.width() * self.scale))
        half_y = min(0.5, tile.height() / 2 / (image.height() * self.scale))
        self._centre = QPointF(
            min(max(self._centre.x(), half_x), 1 - half_x), min(max(self._centre.y(), half_y), 1 - half_y)
        )

    # Painting

    def paintEvent(self, event: QPaintEvent | None) -> None:
        """Draw the pictures on mid-grey."""
        p = QPainter(self)
        p.fillRect(self.rect(), QColor(theme.MID_GREY))
        for number, pane in enumerate(self.panes):
            self._paint_pane(p, number, pane)
        if self.split is not None and len(self.panes) > 1:
            draw_line(p, QRectF(self.rect()), self.split)
        if self._drawn is not None:
            draw_boxes(p, self._box(), [Box(self._drawn, "", True)])
        if self.hasFocus():
            p.setPen(QColor(theme.tones().act_wash))
            p.setBrush(Qt.BrushStyle.NoBrush)
            p.drawRect(QRectF(0.5, 0.5, self.width() - 1, self.height() - 1))

    def _paint_pane(self, p: QPainter, number: int, pane: Pane) -> None:
        tile, last = self._tile(number), number == len(self.panes) - 1
        p.save()
        p.setClipRect(tile)
        if self.split is not None and number:
            p.setClipPath(self.split.side(tile), Qt.ClipOperation.IntersectClip)
        if pane.image is not None:
            box = self._box(tile)
            p.fillRect(tile, QColor(theme.MID_GREY))
            draw_picture(p, box, pane.image, self.scale, self.moving)
            if last and self.loss_map is not None:
                p.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform, False)
                p.drawImage(box, self.loss_map)
            draw_boxes(p, box, self.boxes)
        p.setClipRect(tile)
        if pane.message:
            p.setPen(QColor("#ffffff"))
            p.setFont(theme.font(11, 500))
            inside = tile.adjusted(30, 10, -30, -10)
            p.drawText(inside, Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap, pane.message)
        if pane.caption:
            room = tile.width() / 2 if self.split is not None else tile.width()
            right = self.split is not None and number > 0
            plate(p, tile.x() + (room if right else 0), tile.y(), room, pane.caption, right)
        p.restore()

    # Keys and pointer

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Zoom, step, turn, hold."""
        if event is None:
            return
        key = event.key()
        plain = event.modifiers() in (Qt.KeyboardModifier.NoModifier, Qt.KeyboardModifier.KeypadModifier)
        if key in (Qt.Key.Key_Plus, Qt.Key.Key_Equal, Qt.Key.Key_Minus):
            self.step_zoom(key != Qt.Key.Key_Minus)
        elif key == Qt.Key.Key_0:
            self.set_zoom(0.0)
        elif key in (Qt.Key.Key_Left, Qt.Key.Key_Right) and plain:
            self.step_wanted.emit(1 if key == Qt.Key.Key_Right else -1)
        elif key == Qt.Key.Key_R and self.split is not None:
            self.split.angle = (self.split.angle + TURN) % 360
            self.update()
        elif key == Qt.Key.Key_H and not event.isAutoRepeat():
            self.held.emit(True)
        else:
            super().keyPressEvent(event)

    def keyReleaseEvent(self, event: QKeyEvent | None) -> None:
        """Back to the first picture."""
        if event and event.key() == Qt.Key.Key_H and not event.isAutoRepeat():
            self.held.emit(False)

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        """Zoom about the pointer."""
        if event and event.angleDelta().y():
            self.step_zoom(event.angleDelta().y() > 0, event.position())

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        """Take hold of the line or the picture, or begin a region."""
        if event is None:
            return
        self._grabbed = event.position()
        self._dragging = self._under(event.position()) if event.button() == LEFT else "region"
        if self._dragging == "region" and (share := self._share(event.position())):
            self._drawn = QRectF(share, share)

    def _under(self, place: QPointF) -> str:
        if self.split is not None:
            point, grip, along = self.split.ends(QRectF(self.rect()))
            off = place - point
            if math.hypot(*(lambda d: (d.x(), d.y()))(place - grip)) <= GRIP_PX + 4:
                return "turn"
            if abs(off.x() * -along.y() + off.y() * along.x()) <= GRIP_PX:
                return "line"
        return "picture"

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        """Pan, move or turn the line, draw a region, or say what is under the pointer."""
        if event is None:
            return
        if self._grabbed is None:
            self._point(event.position())
            return
        moved, self._grabbed = event.position() - self._grabbed, event.position()
        if self._dragging == "line" and self.split:
            step = QPointF(moved.x() / max(self.width(), 1), moved.y() / max(self.height(), 1))
            at = self.split.at + step
            self.split.at = QPointF(min(max(at.x(), 0.02), 0.98), min(max(at.y(), 0.02), 0.98))
        elif self._dragging == "turn" and self.split:
            point = self.split.ends(QRectF(self.rect()))[0]
            off = event.position() - point
            self.split.angle = math.degrees(math.atan2(off.x(), -off.y())) % 360
        elif self._dragging == "region" and self._drawn is not None:
            if share := self._share(event.position()):
                self._drawn.setBottomRight(share)
        elif self.zoom and (image := self._any()):
            self._centre -= QPointF(
                moved.x() / (image.width() * self.scale), moved.y() / (image.height() * self.scale)
            )
            self._keep_inside()
        self.update()

    def _share(self, place: QPointF) -> QPointF | None:
        box = self._box()
        if not box.width():
            return None
        return QPointF(
            min(max((place.x() - box.x()) / box.width(), 0.0), 1.0),
            min(max((place.y() - box.y()) / box.height(), 0.0), 1.0),
        )

    def _point(self, place: QPointF) -> None:
        for number in reversed(range(len(self.panes))):
            tile, image = self._tile(number), self.panes[number].image
            inside = tile.contains(place) and (
                self.split is None or number == 0 or self.split.side(tile).contains(place)
            )
            if not inside or image is None:
                continue
            box = self._box(tile)
            x, y = int((place.x() - box.x()) / self.scale), int((place.y() - box.y()) / self.scale)
            if 0 <= x < image.width() and 0 <= y < image.height():
                self.pointed.emit(number, x, y)
                return
        self.pointed.emit(-1, 0, 0)

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        """Let go."""
        drawn, self._drawn, self._grabbed = self._drawn, None, None
        if drawn is not None:
            self.region.emit(drawn.normalized())
        self.update()
