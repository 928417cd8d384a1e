"""The strip: thumbnails along the footage, with the excerpt between two brackets."""

from collections.abc import Mapping

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QImage, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QSizePolicy, QWidget

from ovrik.desk import theme
from ovrik.study.excerpt import Excerpt

GRIP = 9.0
TOP, BAND = 16.0, 96.0
HEIGHT = 142


class Strip(QWidget):
    """A film strip. Dragging a bracket moves that end, dragging the bar between moves both;
    a click elsewhere shows that frame. With the keyboard: arrows by a frame, page keys by a second,
    [ and ] set the excerpt's ends at the shown frame."""

    excerpt_wanted = pyqtSignal(object)
    frame_wanted = pyqtSignal(int)

    def __init__(self) -> None:
        super().__init__()
        self.frames, self.rate = 1, 25.0
        self.excerpt = Excerpt(0, 2)
        self.frame = 0
        self._pictures: dict[int, QImage] = {}
        self._drag = ""
        self._from = 0
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)
        self.setAccessibleName("Strip of the footage")
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setFixedHeight(HEIGHT)

    def sizeHint(self) -> QSize:
        """Wide and low."""
        return QSize(800, HEIGHT)

    def show_footage(self, frames: int, rate: float, excerpt: Excerpt) -> None:
        """Another clip or excerpt."""
        self.frames, self.rate, self.excerpt = max(frames, 1), rate, excerpt
        self.frame = max(0, min(self.frame, frames - 1))
        self._tell()
        self.update()

    def show_thumbnails(self, pictures: Mapping[int, bytes]) -> None:
        """JPEG pictures by frame."""
        self._pictures = {n: QImage.fromData(jpeg) for n, jpeg in pictures.items()}
        self.update()

    def show_frame(self, frame: int) -> None:
        """Move the needle."""
        self.frame = frame
        self._tell()
        self.update()

    def _tell(self) -> None:
        x = self.excerpt
        self.setAccessibleDescription(
            f"frame {self.frame} of {self.frames}; excerpt from frame {x.start_frame} to {x.end_frame - 1}"
        )

    def x_of(self, frame: float) -> float:
        """Horizontal place of a frame's beginning."""
        return 10 + frame / self.frames * (self.width() - 20)

    def frame_at(self, x: float) -> int:
        """The frame at a place."""
        share = (x - 10) / max(self.width() - 20, 1)
        return max(0, min(self.frames - 1, int(share * self.frames)))

    def paintEvent(self, event: QPaintEvent | None) -> None:
        """Draw everything."""
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        t = theme.tones()
        band = QRectF(10, TOP, self.width() - 20, BAND)
        p.fillRect(band, QColor(t.sunk))
        self._draw_pictures(p, band)
        left, right = self.x_of(self.excerpt.start_frame), self.x_of(self.excerpt.end_frame)
        veil = QColor(t.ground)
        veil.setAlpha(175)
        p.fillRect(QRectF(band.left(), TOP, left - band.left(), BAND), veil)
        p.fillRect(QRectF(right, TOP, band.right() - right, BAND), veil)
        self._draw_scale(p, band)
        self._draw_brackets(p, left, right)
        x = self.x_of(self.frame + 0.5)
        p.setPen(QPen(QColor(t.trouble), 2))
        p.drawLine(QPointF(x, TOP - 8), QPointF(x, TOP + BAND + 3))
        if self.hasFocus():
            p.setPen(QPen(QColor(t.act), 2))
            p.drawRect(QRectF(1, 1, self.width() - 2, self.height() - 2))

    def _draw_pictures(self, p: QPainter, band: QRectF) -> None:
        if not self._pictures:
            p.setPen(QColor(theme.tones().soft))
            p.drawText(band, Qt.AlignmentFlag.AlignCenter, "Thumbnails come when the footage is read")
            return
        first = next(iter(self._pictures.values()))
        wide = BAND * first.width() / max(first.height(), 1)
        count = max(1, int(band.width() // wide) + 1)
        known = sorted(self._pictures)
        p.save()
        p.setClipRect(band)
        for place in range(count):
            middle = self.frame_at(band.left() + (place + 0.5) * wide)
            nearest = min(known, key=lambda n, m=middle: abs(n - m))  # type: ignore[misc]
            p.drawImage(QRectF(band.left() + place * wide, TOP, wide, BAND), self._pictures[nearest])
        p.restore()

    def _draw_scale(self, p: QPainter, band: QRectF) -> None:
        t = theme.tones()
        seconds = self.frames / self.rate
        step = next(s for s in (0.5, 1, 2, 5, 10, 30, 60, 300, 600, 1800, 3600, 1e9) if seconds / s <= 14)
        p.setFont(theme.font(8.5))
        at = 0.0
        while at <= seconds + 1e-9:
            x = self.x_of(at * self.rate)
            p.setPen(QPen(QColor(t.soft), 1))
            p.drawLine(QPointF(x, band.bottom() + 2), QPointF(x, band.bottom() + 6))
            p.drawText(QRectF(x - 30, band.bottom() + 6, 60, 16), Qt.AlignmentFlag.AlignCenter,
                       f"{at:g} s" if seconds < 120 else f"{int(at // 60)}:{int(at % 60):02d}")  # fmt: skip
            at += step

    def _draw_brackets(self, p: QPainter, left: float, right: float) -> None:
        t = theme.tones()
        p.setPen(QPen(QColor(t.act), 4))
        for x, out in ((left, 1), (right, -1)):
            p.drawLine(QPointF(x, TOP - 2), QPointF(x, TOP + BAND + 2))
            for y in (TOP - 2, TOP + BAND + 2):
                p.drawLine(QPointF(x, y), QPointF(x + 9 * out, y))
        p.fillRect(QRectF(left, TOP - 12, right - left, 6), QColor(t.act))

    # The mouse

    def _grip_at(self, pos: QPointF) -> str:
        left, right = self.x_of(self.excerpt.start_frame), self.x_of(self.excerpt.end_frame)
        if abs(pos.x() - left) < GRIP:
            return "start"
        if abs(pos.x() - right) < GRIP:
            return "end"
        return "both" if pos.y() < TOP - 3 and left < pos.x() < right else ""

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        """Take hold of a bracket, or show a frame."""
        if event is None:
            return
        self._drag = self._grip_at(event.position())
        self._from = self.frame_at(event.position().x())
        if not self._drag:
            self._drag = "needle"
            self.frame_wanted.emit(self._from)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        """Move what is held."""
        if event is None:
            return
        if not self._drag:
            grip = self._grip_at(event.position())
            shapes = {"": Qt.CursorShape.ArrowCursor, "both": Qt.CursorShape.OpenHandCursor}
            self.setCursor(shapes.get(grip, Qt.CursorShape.SizeHorCursor))
            return
        at = self.frame_at(event.position().x())
        if self._drag == "needle":
            self.frame_wanted.emit(at)
            return
        self.excerpt = self._moved(at)
        self.update()

    def _moved(self, at: int) -> Excerpt:
        x = self.excerpt
        if self._drag == "start":
            start = min(at, x.end_frame - 2)
            return Excerpt(start, x.end_frame - start)
        if self._drag == "end":
            return Excerpt(x.start_frame, max(2, at + 1 - x.start_frame))
        start = max(0, min(x.start_frame + at - self._from, self.frames - x.frames))
        self._from = at
        return Excerpt(start, x.frames)

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        """Let go: the excerpt is chosen."""
        held, self._drag = self._drag, ""
        if held in ("start", "end", "both"):
            self.excerpt_wanted.emit(self.excerpt)

    # The keyboard

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Move the needle, or set an end."""
        if event is None:
            return
        second = max(1, round(self.rate))
        steps = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1, Qt.Key.Key_PageUp: -second,
                 Qt.Key.Key_PageDown: second, Qt.Key.Key_Home: -self.frames,
                 Qt.Key.Key_End: self.frames}  # fmt: skip
        key = Qt.Key(event.key())
        if key in steps:
            self.frame_wanted.emit(max(0, min(self.frames - 1, self.frame + steps[key])))
        elif key == Qt.Key.Key_BracketLeft:
            self.set_start(self.frame)
        elif key == Qt.Key.Key_BracketRight:
            self.set_end(self.frame)
        else:
            super().keyPressEvent(event)

    def set_start(self, frame: int) -> None:
        """The excerpt begins with this frame."""
        end = self.excerpt.end_frame if self.excerpt.end_frame > frame + 1 else self.frames
        self.excerpt_wanted.emit(Excerpt(frame, end - frame))

    def set_end(self, frame: int) -> None:
        """The excerpt ends with this frame."""
        start = self.excerpt.start_frame if self.excerpt.start_frame < frame else 0
        self.excerpt_wanted.emit(Excerpt(start, frame + 1 - start))
