"""Each contender's times over the sittings, one small picture in its row, all to one scale."""

from dataclasses import dataclass
from itertools import pairwise
from math import expm1

from PyQt6.QtCore import QModelIndex, QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QPainter, QPen
from PyQt6.QtWidgets import QStyledItemDelegate, QStyleOptionViewItem, QWidget

from ovrik.desk.model.history import Course, HistoryPlace
from ovrik.desk.style import marks, theme

WIDEST_PX, MARGIN_PX, DOT_PX = 64, 6, 8
"""The most that a sitting is wide, what is left free above and below, and the size of a mark."""
LEAST_REACH = 0.03


@dataclass(frozen=True)
class CoursePlot:
    """Where a sitting and a change lie in a row's picture. Fields: `box` of the picture; `count` of sittings;
    `reach`, the largest change that is drawn, as a log."""

    box: QRectF
    count: int
    reach: float

    def x(self, number: int) -> float:
        """Of a sitting, from 0."""
        wide = min(theme.scaled(WIDEST_PX), self.box.width() / max(self.count, 1))
        return self.box.left() + wide * (number + 0.5)

    def y(self, log: float) -> float:
        """Of a change, as a log: up is more time."""
        middle = self.box.center().y()
        return middle - log / self.reach * (self.box.height() / 2 - theme.scaled(MARGIN_PX))


def reach_of(courses: list[Course]) -> float:
    """The largest change of all, and of the intervals what goes little farther: the rest is cut at the row."""
    moved = [abs(v) for c in courses for v in c.logs if v is not None]
    ends = [abs(v) + h for c in courses for v, h in zip(c.logs, c.halves, strict=True) if v is not None]
    widest = max(moved, default=0.0)
    return max(LEAST_REACH, 1.1 * widest, min(max(ends, default=0.0), 1.4 * max(widest, LEAST_REACH)))


def percent(log: float) -> str:
    """A change in per cent, "first" where there is none."""
    share = 100 * expm1(log)
    said = f"{share:+.0f} %" if abs(share) >= 0.95 else f"{share:+.1f} %"
    return "first" if abs(share) < 0.005 else said.replace("-", "−")


class CourseDelegate(QStyledItemDelegate):
    """Draws the course of the contender whose number a cell's row has.

    Attributes: `courses` by contender; `count` of sittings; `pair`, the places of the two that are compared."""

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self.courses: dict[int, Course] = {}
        self.count, self.pair, self.reach = 0, (0, 0), LEAST_REACH

    def show_courses(self, courses: list[Course], count: int) -> None:
        """Draw these from now on."""
        self.courses, self.count = {c.contender_id: c for c in courses}, count
        self.reach = reach_of(courses)

    def plot(self, box: QRectF) -> CoursePlot:
        """The scale in a cell."""
        return CoursePlot(box, self.count, self.reach)

    def paint(self, painter: QPainter | None, option: QStyleOptionViewItem, index: QModelIndex) -> None:
        """The cell's ground as usual, and the course on it."""
        super().paint(painter, option, index)
        course = self.courses.get(index.data(Qt.ItemDataRole.UserRole) or 0)
        if painter is None or course is None:
            return
        painter.save()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setClipRect(option.rect)
        self._draw(painter, self.plot(QRectF(option.rect)), course)
        painter.restore()

    def _draw(self, p: QPainter, at: CoursePlot, course: Course) -> None:
        t, tint = theme.tones(), marks.colour(course.contender_id)
        p.setPen(QPen(QColor(t.line), 1))
        p.drawLine(QPointF(at.x(0), at.y(0)), QPointF(at.x(max(at.count - 1, 0)), at.y(0)))
        points = [(n, v) for n, v in enumerate(course.logs) if v is not None]
        p.setPen(QPen(tint, 1.2))
        for (a, v), (b, w) in pairwise(points):
            p.drawLine(QPointF(at.x(a), at.y(v)), QPointF(at.x(b), at.y(w)))
        for n, v in points:
            half = course.halves[n]
            p.setPen(QPen(QColor(t.soft), 1.4))
            p.drawLine(QPointF(at.x(n), at.y(v - half)), QPointF(at.x(n), at.y(v + half)))
            compared = n in self.pair
            size = theme.scaled(DOT_PX + 3 * compared)
            marks.paint(p, QPointF(at.x(n), at.y(v)), size, course.contender_id, hollow=not compared)


def told(places: list[HistoryPlace], course: Course) -> str:
    """What a contender took in every sitting, in lines."""
    return "\n".join(
        f"{place.title}: {seconds:.3f} s, {percent(log)}"
        for place, seconds, log in zip(places, course.seconds, course.logs, strict=True)
        if seconds is not None and log is not None
    )
