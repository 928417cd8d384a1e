"""The parts of the strip, each drawn by a function of its own."""

from collections.abc import Callable, Iterable, Sequence

from PyQt6.QtCore import QPointF, QRect, QRectF, Qt
from PyQt6.QtGui import QColor, QPainter, QPainterPath, QPen

from ovrik.analysis.signals.complexity import ComplexityCurve
from ovrik.desk.style import theme
from ovrik.study.programme.excerpt import Excerpt, NamedExcerpt
from ovrik.study.programme.programme import GAP, Programme

TOP, BAND = 30.0, 84.0
CURVE = 30.0
HEIGHT = 174
"""From above: names of excerpts and the bar, frames, the curve, the scale, the overview."""

StripPlace = Callable[[float], float]


def ground(p: QPainter, band: QRectF) -> None:
    """What lies under the frames."""
    p.fillRect(band, QColor(theme.tones().sunk))


def message(p: QPainter, band: QRectF, words: str) -> None:
    """Words where there are no frames."""
    p.setPen(QColor(theme.tones().soft))
    p.drawText(band, Qt.AlignmentFlag.AlignCenter, words)


def veil(p: QPainter, band: QRectF, left: float, right: float) -> None:
    """What is outside the excerpt is paler."""
    tone = QColor(theme.tones().ground)
    tone.setAlpha(165)
    left, right = max(band.left(), min(left, band.right())), max(band.left(), min(right, band.right()))
    p.fillRect(QRectF(band.left(), band.top(), left - band.left(), band.height()), tone)
    p.fillRect(QRectF(right, band.top(), band.right() - right, band.height()), tone)


def shots(p: QPainter, band: QRectF, programme: Programme, seen: Iterable[int], x_of: StripPlace) -> None:
    """Cuts as lines, dissolves as a slope, and the number of every shot in view that has room for it."""
    t = theme.tones()
    p.setFont(theme.font(8.5, 600))
    for n in seen:
        start, shot = programme.starts[n], programme.shots[n]
        left, right = x_of(start), x_of(start + shot.frames)
        if shot.clip == GAP:
            p.fillRect(QRectF(left, band.top(), right - left, band.height()), QColor(t.ink))
        if n:
            p.setPen(QPen(QColor(t.sheet), 2))
            p.drawLine(QPointF(x_of(start + shot.dissolve), band.top()), QPointF(left, band.bottom()))
        if right - left > 26:
            text = f"{n + 1}" + (" ◆" if shot.treatments else "")
            box = QRectF(left + 3 + (x_of(start + shot.dissolve) - left), band.top() + 3, 0, 15)
            box.setWidth(p.fontMetrics().horizontalAdvance(text) + 8)
            p.fillRect(box, QColor(t.sheet))
            p.setPen(QColor(t.ink))
            p.drawText(box, Qt.AlignmentFlag.AlignCenter, text)
    for over in programme.overlays:
        left, right = x_of(over.at), x_of(over.at + over.shot.frames)
        p.fillRect(QRectF(left, band.bottom() - 6, max(right - left, 2), 6), QColor(t.act))


def curve(p: QPainter, band: QRectF, found: ComplexityCurve | None, x_of: StripPlace) -> None:
    """Complexity under the frames: SI as a line, TI as a filled shape, each against its own peak."""
    t = theme.tones()
    box = QRectF(band.left(), band.bottom() + 2, band.width(), CURVE)
    p.fillRect(box, QColor(t.sunk))
    p.setFont(theme.font(8.5))
    if found is None or not len(found.at):
        p.setPen(QColor(t.soft))
        p.drawText(
            box, Qt.AlignmentFlag.AlignCenter, "Complexity has not been measured yet: Propose measures it"
        )
        return
    p.save()
    p.setClipRect(box)
    p.setRenderHint(QPainter.RenderHint.Antialiasing)
    shape = QPainterPath(QPointF(x_of(float(found.at[0])), box.bottom()))
    for at, value in zip(found.at, found.ti / max(found.ti.max(), 1e-9), strict=True):
        shape.lineTo(x_of(float(at)), box.bottom() - value * (CURVE - 4))
    shape.lineTo(x_of(float(found.at[-1])), box.bottom())
    p.fillPath(shape, QColor(t.line))
    line = QPainterPath()
    for n, (at, value) in enumerate(zip(found.at, found.si / max(found.si.max(), 1e-9), strict=True)):
        point = QPointF(x_of(float(at)), box.bottom() - 1 - value * (CURVE - 6))
        line.lineTo(point) if n else line.moveTo(point)
    p.setPen(QPen(QColor(t.act), 1.6))
    p.drawPath(line)
    p.restore()
    for n, (name, tone) in enumerate((("SI", t.act), ("TI", t.soft))):
        p.setPen(QColor(tone))
        p.drawText(QRectF(box.left() + 4 + 20 * n, box.top() + 1, 20, 12), Qt.AlignmentFlag.AlignLeft, name)


def scale(p: QPainter, band: QRectF, first_s: float, span_s: float, x_of: StripPlace) -> None:
    """Seconds, or minutes and seconds."""
    t = theme.tones()
    top = band.bottom() + CURVE + 3
    step = next(
        s for s in (0.1, 0.2, 0.5, 1, 2, 5, 10, 30, 60, 300, 600, 1800, 3600, 1e9) if span_s / s <= 14
    )
    p.setFont(theme.font(8.5))
    n = int(first_s / step)
    while n * step <= first_s + span_s + 1e-9:
        at, x = n * step, x_of(n * step)
        n += 1
        if not band.left() - 1 <= x <= band.right() + 1:
            continue
        p.setPen(QPen(QColor(t.soft), 1))
        p.drawLine(QPointF(x, top), QPointF(x, top + 4))
        p.drawText(
            QRectF(x - 30, top + 4, 60, 16),
            Qt.AlignmentFlag.AlignCenter,
            f"{at:g} s" if first_s + span_s < 120 else f"{int(at // 60)}:{int(at % 60):02d}",
        )


def names(
    p: QPainter, band: QRectF, named: Sequence[NamedExcerpt], chosen: Excerpt, x_of: StripPlace
) -> None:
    """The excerpts kept by name; the present one is written on its bar."""
    t = theme.tones()
    p.setFont(theme.font(8.5, 600))
    for e in named:
        left, right = x_of(e.excerpt.start_frame), x_of(e.excerpt.end_frame)
        here = e.excerpt == chosen
        p.fillRect(QRectF(left, band.top() - 12, right - left, 6), QColor(t.act if here else t.soft))
        p.setPen(QColor(t.act if here else t.soft))
        p.drawText(QRectF(left, band.top() - 29, 160, 16), Qt.AlignmentFlag.AlignLeft, e.name)


def brackets(p: QPainter, band: QRectF, left: float, right: float) -> None:
    """The excerpt's ends, and the bar between them by which it is moved."""
    t = theme.tones()
    p.setPen(QPen(QColor(t.act), 4))
    for x, out in ((left, 1), (right, -1)):
        if not band.left() - 6 <= x <= band.right() + 6:
            continue
        p.drawLine(QPointF(x, band.top() - 2), QPointF(x, band.bottom() + 2))
        for y in (band.top() - 2, band.bottom() + 2):
            p.drawLine(QPointF(x, y), QPointF(x + 9 * out, y))
    left, right = max(left, band.left()), min(right, band.right())
    if right > left:
        p.fillRect(QRectF(left, band.top() - 12, right - left, 6), QColor(t.act))


def playhead(p: QPainter, band: QRectF, x: float) -> None:
    """The picture that is shown."""
    if band.left() <= x <= band.right():
        p.setPen(QPen(QColor(theme.tones().trouble), 2))
        p.drawLine(QPointF(x, band.top() - 8), QPointF(x, band.bottom() + CURVE + 3))


def overview(p: QPainter, band: QRectF, first: float, span: float) -> None:
    """Which part of the programme is in view, when it is not all of it."""
    if span >= 0.999:
        return
    t = theme.tones()
    box = QRectF(band.left(), HEIGHT - 6, band.width(), 5)
    p.fillRect(box, QColor(t.sunk))
    p.fillRect(
        QRectF(box.left() + first * box.width(), box.top(), max(span * box.width(), 6), 5), QColor(t.soft)
    )


def focus(p: QPainter, box: QRect) -> None:
    """The frame of what has the keyboard."""
    p.setPen(QPen(QColor(theme.tones().act), 2))
    p.drawRect(box.adjusted(1, 1, -1, -1))
