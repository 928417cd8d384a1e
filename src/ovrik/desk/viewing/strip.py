"""The strip: thumbnails and shots along the programme, its complexity, and the excerpt in brackets."""

from bisect import bisect_left
from collections.abc import Mapping, Sequence

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QImage, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QWheelEvent
from PyQt6.QtWidgets import QSizePolicy, QToolTip, QWidget

from ovrik.analysis.signals.complexity import ComplexityCurve
from ovrik.desk.viewing import strip_drawing as draw
from ovrik.study.clip.footage import Footage
from ovrik.study.programme.excerpt import Excerpt, NamedExcerpt
from ovrik.study.programme.programme import GAP, Programme, of_clip

GRIP = 9.0
CLOSEST = 24
"""Fewest frames that the strip shows at once."""


class Strip(QWidget):
    """The programme as a film strip. Dragging a bracket moves that end, dragging the bar between moves both;
    a click elsewhere shows that frame. The wheel scrolls, with Ctrl it zooms. With the keyboard: arrows by a
    frame, page keys by a second, Up and Down to the next cut, + and − zoom, [ and ] set the excerpt's ends at
    the shown frame."""

    excerpt_wanted = pyqtSignal(object)
    frame_wanted = pyqtSignal(int)

    def __init__(self) -> None:
        super().__init__()
        self.programme: Programme | None = None
        self.frames, self.rate = 1, 25.0
        self.excerpt = Excerpt(0, 2)
        self.named: Sequence[NamedExcerpt] = ()
        self.curve: ComplexityCurve | None = None
        self.frame = 0
        self.first, self.span = 0.0, 1.0
        self._pictures: dict[tuple[str, int], QImage] = {}
        self._numbers: dict[str, list[int]] = {}
        self._drag = ""
        self._from = 0
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)
        self.setAccessibleName("Strip of the programme")
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setFixedHeight(draw.HEIGHT)

    def sizeHint(self) -> QSize:
        """Wide and low."""
        return QSize(800, draw.HEIGHT)

    def show_programme(
        self,
        programme: Programme | Footage,
        excerpt: Excerpt,
        named: Sequence[NamedExcerpt] = (),
        curve: ComplexityCurve | None = None,
    ) -> None:
        """Another programme, excerpt or curve."""
        made = programme if isinstance(programme, Programme) else of_clip(programme)
        if self.programme is None or made.frames != self.frames:
            self.first, self.span = 0.0, float(max(made.frames, 1))
        self.programme, self.excerpt, self.named, self.curve = made, excerpt, named, curve
        self.frames, self.rate = max(made.frames, 1), float(made.rate)
        self.frame = max(0, min(self.frame, self.frames - 1))
        self._describe()
        self.update()

    def show_thumbnails(self, pictures: Mapping[tuple[str, int], bytes]) -> None:
        """JPEG frames by clip checksum and the clip's own frame; those known already are kept."""
        for key in pictures.keys() - self._pictures.keys():
            self._pictures[key] = QImage.fromData(pictures[key])
        self._numbers = {}
        for checksum, number in sorted(self._pictures):
            self._numbers.setdefault(checksum, []).append(number)
        self.update()

    def show_frame(self, frame: int) -> None:
        """Move the playhead, and the view with it."""
        self.frame = frame
        if not self.first <= frame < self.first + self.span:
            self._look_from(frame - self.span / 2)
        self._describe()
        self.update()

    def _describe(self) -> None:
        x = self.excerpt
        shot = (
            f"shot {self.programme.shot_at(self.frame) + 1} of {len(self.programme.shots)}; "
            if (self.programme and len(self.programme.shots) > 1)
            else ""
        )
        self.setAccessibleDescription(
            f"frame {self.frame} of {self.frames}; {shot}excerpt from frame {x.start_frame} to {x.end_frame - 1}"
        )

    # The view

    def x_of(self, frame: float) -> float:
        """Horizontal place of a frame's beginning."""
        return 10 + (frame - self.first) / self.span * (self.width() - 20)

    def frame_at(self, x: float) -> int:
        """The frame at a place."""
        share = (x - 10) / max(self.width() - 20, 1)
        return max(0, min(self.frames - 1, int(self.first + share * self.span)))

    def zoom(self, factor: float, about: float | None = None) -> None:
        """Show a shorter (factor below 1) or a longer part, with the picture at place `about` kept there."""
        held = (
            self.frame + 0.5
            if about is None
            else self.first + (about - 10) / max(self.width() - 20, 1) * self.span
        )
        share = (held - self.first) / self.span
        self.span = max(min(float(CLOSEST), self.frames), min(self.span * factor, float(self.frames)))
        self._look_from(held - share * self.span)
        self.update()

    def _look_from(self, first: float) -> None:
        self.first = max(0.0, min(first, self.frames - self.span))
        self.update()

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        """Scroll; with Ctrl, zoom."""
        if event is None:
            return
        turn = event.angleDelta().y() or event.angleDelta().x()
        if event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            self.zoom(0.8 if turn > 0 else 1.25, event.position().x())
        else:
            self._look_from(self.first - turn / 120 * self.span / 10)
        event.accept()

    # Drawing

    def paintEvent(self, event: QPaintEvent | None) -> None:
        """Draw everything."""
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        band = QRectF(10, draw.TOP, self.width() - 20, draw.BAND)
        draw.ground(p, band)
        self._draw_pictures(p, band)
        left, right = self.x_of(self.excerpt.start_frame), self.x_of(self.excerpt.end_frame)
        draw.veil(p, band, left, right)
        if self.programme and len(self.programme.shots) > 1:
            draw.shots(p, band, self.programme, self._in_view(self.programme), self.x_of)
        draw.curve(p, band, self.curve, self.x_of)
        draw.scale(p, band, self.first / self.rate, self.span / self.rate, lambda s: self.x_of(s * self.rate))
        draw.names(p, band, self.named, self.excerpt, self.x_of)
        draw.brackets(p, band, left, right)
        draw.playhead(p, band, self.x_of(self.frame + 0.5))
        draw.overview(p, band, self.first / self.frames, self.span / self.frames)
        if self.hasFocus():
            draw.focus(p, self.rect())

    def _draw_pictures(self, p: QPainter, band: QRectF) -> None:
        if not self._pictures or self.programme is None:
            draw.message(p, band, "Thumbnails appear once the footage has been read")
            return
        first = next(iter(self._pictures.values()))
        wide = draw.BAND * first.width() / max(first.height(), 1)
        for n in self._in_view(self.programme):
            start, shot = self.programme.starts[n], self.programme.shots[n]
            left, right = self.x_of(start + shot.dissolve / 2), self.x_of(start + shot.frames)
            if right > band.left() and left < band.right():
                self._draw_shot(
                    p, band.intersected(QRectF(left, draw.TOP, right - left, draw.BAND)), left, wide
                )

    def _in_view(self, programme: Programme) -> range:
        """Indexes of the shots of which something can be seen; the one before may dissolve into the first."""
        first, last = int(self.first), int(self.first + self.span)
        return range(max(0, programme.shot_at(first) - 1), programme.shot_at(last) + 1)

    def _draw_shot(self, p: QPainter, box: QRectF, left: float, wide: float) -> None:
        """A shot's thumbnails, from its beginning on; the last one is cut where it ends."""
        p.save()
        p.setClipRect(box)
        x = left + wide * max(0, int((box.left() - left) // wide))
        while x < box.right():
            middle = min(x + wide / 2, (max(x, box.left()) + box.right()) / 2)
            image = self.nearest(self.frame_at(middle))
            if image is not None:
                p.drawImage(QRectF(x, draw.TOP, wide, draw.BAND), image)
            x += wide
        p.restore()

    def nearest(self, frame: int) -> QImage | None:
        """The thumbnail nearest to what stands at a picture; none for black."""
        assert self.programme is not None
        clip, number = self.programme.source_of(frame)
        if clip == GAP:
            return None
        checksum = self.programme.clips[clip].checksum
        known = self._numbers.get(checksum)
        if not known:
            return None
        at = bisect_left(known, number)
        near = min(known[max(0, at - 1) : at + 1], key=lambda n: abs(n - number))
        return self._pictures[checksum, near]

    # The mouse

    def _grip_at(self, pos: QPointF) -> str:
        left, right = self.x_of(self.excerpt.start_frame), self.x_of(self.excerpt.end_frame)
        if abs(pos.x() - left) < GRIP:
            return "start"
        if abs(pos.x() - right) < GRIP:
            return "end"
        return "both" if pos.y() < draw.TOP - 3 and left < pos.x() < right else ""

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        """Take hold of a bracket, or show a frame."""
        if event is None:
            return
        self._drag = self._grip_at(event.position())
        self._from = self.frame_at(event.position().x())
        if not self._drag:
            self._drag = "playhead"
            self.frame_wanted.emit(self._from)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        """Move what is held."""
        if event is None:
            return
        if not self._drag:
            self._answer(event)
            grip = self._grip_at(event.position())
            shapes = {"": Qt.CursorShape.ArrowCursor, "both": Qt.CursorShape.OpenHandCursor}
            self.setCursor(shapes.get(grip, Qt.CursorShape.SizeHorCursor))
            return
        at = self.frame_at(event.position().x())
        if self._drag == "playhead":
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

    def _answer(self, event: QMouseEvent) -> None:
        """Say on hover which shot this is, and how busy."""
        if self.programme is None:
            return
        frame = self.frame_at(event.position().x())
        n = self.programme.shot_at(frame)
        shot = self.programme.shots[n]
        words = [f"frame {frame}, {frame / self.rate:.2f} s"]
        if len(self.programme.shots) > 1:
            words.append(f"shot {n + 1}: {shot.name or ('black' if shot.clip == GAP else 'no name')}")
        words += [t.words for t in shot.treatments]
        if self.curve is not None and len(self.curve.at):
            here = self.curve.within(frame, 1)
            words.append(f"SI {here.si[0]:.1f}, TI {here.ti[0]:.1f}")
        QToolTip.showText(event.globalPosition().toPoint(), "\n".join(words), self)

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        """Let go: the excerpt is chosen."""
        held, self._drag = self._drag, ""
        if held in ("start", "end", "both"):
            self.excerpt_wanted.emit(self.excerpt)

    # The keyboard

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Move the playhead, or set an end."""
        if event is None:
            return
        second = max(1, round(self.rate))
        steps: dict[int, int] = {
            Qt.Key.Key_Left: -1,
            Qt.Key.Key_Right: 1,
            Qt.Key.Key_PageUp: -second,
            Qt.Key.Key_PageDown: second,
            Qt.Key.Key_Home: -self.frames,
            Qt.Key.Key_End: self.frames,
        }
        key = event.key()
        if key in (Qt.Key.Key_Up, Qt.Key.Key_Down) and self.programme:
            self.frame_wanted.emit(self._next_cut(-1 if key == Qt.Key.Key_Up else 1))
        elif key in (Qt.Key.Key_Plus, Qt.Key.Key_Equal, Qt.Key.Key_Minus):
            self.zoom(1.25 if key == Qt.Key.Key_Minus else 0.8)
        elif key in steps:
            self.frame_wanted.emit(max(0, min(self.frames - 1, self.frame + steps[key])))
        elif key == Qt.Key.Key_BracketLeft:
            self.set_start(self.frame)
        elif key == Qt.Key.Key_BracketRight:
            self.set_end(self.frame)
        else:
            super().keyPressEvent(event)

    def _next_cut(self, way: int) -> int:
        """The first frame of the shot before or after the one that stands here."""
        assert self.programme is not None
        starts = list(self.programme.starts)
        before = [s for s in starts if s < self.frame]
        after = [s for s in starts if s > self.frame]
        return (before[-1] if before else 0) if way < 0 else (after[0] if after else self.frames - 1)

    def set_start(self, frame: int) -> None:
        """The excerpt begins with this frame."""
        end = self.excerpt.end_frame if self.excerpt.end_frame > frame + 1 else self.frames
        self.excerpt_wanted.emit(Excerpt(frame, end - frame))

    def set_end(self, frame: int) -> None:
        """The excerpt ends with this frame."""
        start = self.excerpt.start_frame if self.excerpt.start_frame < frame else 0
        self.excerpt_wanted.emit(Excerpt(start, frame + 1 - start))
