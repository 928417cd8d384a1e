"""The viewer: one frame on neutral grey, at any zoom down to single pixels."""

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QImage, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QWheelEvent
from PyQt6.QtWidgets import QSizePolicy, QWidget

from ovrik.desk import theme

ZOOMS = (0.0, 1.0, 2.0, 4.0, 8.0, 16.0)
"""0 fits the picture into the view; the others are screen pixels for each frame pixel."""


class Viewer(QWidget):
    """Shows a picture. + and − zoom, 0 fits, arrows step a frame, dragging pans."""

    step_wanted = pyqtSignal(int)
    zoom_changed = pyqtSignal(float)

    def __init__(self, name: str) -> None:
        super().__init__()
        self.image: QImage | None = None
        self.caption = ""
        self.message = ""
        self.zoom = 0.0
        self._centre = QPointF(0.5, 0.5)
        self._held: QPointF | None = None
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName(name)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setMinimumSize(240, 135)

    def sizeHint(self) -> QSize:
        """Sixteen by nine; it takes what more there is."""
        return QSize(320, 180)

    def show_picture(self, image: QImage | None, caption: str, message: str = "") -> None:
        """Show a picture, or a message where there is none."""
        self.image, self.caption, self.message = image, caption, message
        self.setAccessibleDescription(caption or message)
        self.update()

    def set_zoom(self, zoom: float, about: QPointF | None = None) -> None:
        """Zoom, keeping the picture's point under `about` (widget coordinates) where it is."""
        if zoom == self.zoom or self.image is None:
            return
        point = about or QPointF(self.width() / 2, self.height() / 2)
        box = self._box()
        u = (point.x() - box.left()) / max(box.width(), 1)
        v = (point.y() - box.top()) / max(box.height(), 1)
        self.zoom = zoom
        new = self._box()
        self._centre += QPointF(
            u - (point.x() - new.left()) / max(new.width(), 1),
            v - (point.y() - new.top()) / max(new.height(), 1),
        )
        self._keep_inside()
        self.zoom_changed.emit(zoom)
        self.update()

    def step_zoom(self, up: bool, about: QPointF | None = None) -> None:
        """The next zoom up or down."""
        at = ZOOMS.index(self.zoom) if self.zoom in ZOOMS else 0
        self.set_zoom(ZOOMS[max(0, min(len(ZOOMS) - 1, at + (1 if up else -1)))], about)

    @property
    def scale(self) -> float:
        """Screen pixels for each frame pixel."""
        if self.image is None:
            return 1.0
        if self.zoom:
            return self.zoom / self.devicePixelRatioF()
        return min(self.width() / self.image.width(), self.height() / self.image.height())

    def _box(self) -> QRectF:
        """Where the whole picture lies, in widget coordinates."""
        if self.image is None:
            return QRectF()
        wide, high = self.image.width() * self.scale, self.image.height() * self.scale
        return QRectF(
            self.width() / 2 - self._centre.x() * wide,
            self.height() / 2 - self._centre.y() * high,
            wide,
            high,
        )

    def _keep_inside(self) -> None:
        if self.image is None or not self.zoom:
            self._centre = QPointF(0.5, 0.5)
            return
        half_x = min(0.5, self.width() / 2 / (self.image.width() * self.scale))
        half_y = min(0.5, self.height() / 2 / (self.image.height() * self.scale))
        self._centre = QPointF(
            min(max(self._centre.x(), half_x), 1 - half_x), min(max(self._centre.y(), half_y), 1 - half_y)
        )

    def paintEvent(self, event: QPaintEvent | None) -> None:
        """Draw the picture on mid-grey."""
        p = QPainter(self)
        p.fillRect(self.rect(), QColor(theme.MID_GREY))
        if self.image is not None:
            p.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform, self.scale < 1)
            p.drawImage(self._box(), self.image)
        if self.message:
            p.setPen(QColor("#ffffff"))
            p.setFont(theme.font(11, 500))
            p.drawText(
                QRectF(self.rect()).adjusted(30, 10, -30, -10),
                Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap,
                self.message,
            )
        if self.caption:
            self._draw_caption(p)
        if self.hasFocus():
            p.setPen(QColor(theme.tones().act_wash))
            p.drawRect(QRectF(0.5, 0.5, self.width() - 1, self.height() - 1))

    def _draw_caption(self, p: QPainter) -> None:
        p.setFont(theme.font(9.5, 600))
        wide = p.fontMetrics().horizontalAdvance(self.caption) + 18
        plate = QRectF(8, 8, wide, 24)
        p.fillRect(plate, QColor(20, 28, 24, 205))
        p.setPen(QColor("#f3eee3"))
        p.drawText(plate, Qt.AlignmentFlag.AlignCenter, self.caption)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Flip, zoom, step."""
        if event is None:
            return
        key = Qt.Key(event.key())
        if key in (Qt.Key.Key_Plus, Qt.Key.Key_Equal, Qt.Key.Key_Minus):
            self.step_zoom(key != Qt.Key.Key_Minus)
        elif key == Qt.Key.Key_0:
            self.set_zoom(0.0)
        elif key in (Qt.Key.Key_Left, Qt.Key.Key_Right):
            self.step_wanted.emit(1 if key == Qt.Key.Key_Right else -1)
        else:
            super().keyPressEvent(event)

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        """Zoom about the pointer."""
        if event and event.angleDelta().y():
            self.step_zoom(event.angleDelta().y() > 0, event.position())

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        """Take hold of the picture."""
        self._held = event.position() if event else None

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        """Pan."""
        if event is None or self._held is None or self.image is None or not self.zoom:
            return
        moved = event.position() - self._held
        self._held = event.position()
        self._centre -= QPointF(
            moved.x() / (self.image.width() * self.scale), moved.y() / (self.image.height() * self.scale)
        )
        self._keep_inside()
        self.update()

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        """Let go."""
        self._held = None
