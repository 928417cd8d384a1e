"""History: the study's sittings along time, what changed between two of them, and what else did."""

from itertools import pairwise

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QContextMenuEvent, QHelpEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QComboBox, QSizePolicy, QToolTip, QVBoxLayout, QWidget

from ovrik.desk.model.history import Course, HistoryPlace, courses, places
from ovrik.desk.model.study import DeskModel
from ovrik.desk.style import marks, theme
from ovrik.desk.widgets.copying import copy_picture, copy_text, offer
from ovrik.desk.widgets.flow import Flow
from ovrik.desk.widgets.labels import fitted
from ovrik.desk.widgets.table import Cell, DeskTable
from ovrik.desk.widgets.text import UpTo, button, label, sheet
from ovrik.report.words.sittings import HEAD, TOGETHER, pair_words, row_of, shift_words
from ovrik.work.answers.sittings import Changed, OverSittings, SittingPair

ONE_ONLY = (
    "One sitting so far. Begin another after an update of a build, driver or kernel, or with a build in another's "
    "place. The same line-up is then timed again, and what changed is said. A sitting with nothing changed is worth "
    "having too: it shows what this machine does from day to day."
)
LEFT, RIGHT, TOP, FOOT, LEAST_TICK = 58, 18, 10, 48, 17


class HistoryChart(QWidget):
    """Each contender's time against its first one, sitting by sitting; the selected one with its interval. Where the
    machine changed between two sittings stands a broken line.

    Signal: `chosen` with a sitting's number."""

    chosen = pyqtSignal(int)

    def __init__(self) -> None:
        super().__init__()
        self.places: list[HistoryPlace] = []
        self.courses: list[Course] = []
        self.selection = 0
        self.setAccessibleName("History: times against the first sitting's")
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setMinimumHeight(theme.scaled(150))
        self.setMouseTracking(True)

    def sizeHint(self) -> QSize:
        """It takes what room there is."""
        return QSize(theme.scaled(400), theme.scaled(210))

    def show_course(self, over: OverSittings | None, selection: int) -> None:
        """Draw these sittings."""
        self.places = places(over) if over else []
        self.courses = courses(over) if over else []
        self.selection = selection
        self.setAccessibleDescription("; ".join(p.words for p in self.places))
        self.update()

    def _x(self, number: int) -> float:
        room = self.width() - theme.scaled(LEFT + RIGHT)
        count = max(len(self.places), 1)
        return theme.scaled(LEFT) + room * (number + 0.5) / count

    def _reach(self) -> float:
        values = [abs(v) for c in self.courses for v in c.logs if v is not None]
        shown = next((c for c in self.courses if c.contender_id == self.selection), None)
        if shown:
            values += [abs(v) + h for v, h in zip(shown.logs, shown.halves, strict=True) if v is not None]
        return 1.15 * max([0.03, *values])

    def _y(self, log: float) -> float:
        top, foot = theme.scaled(TOP), self.height() - theme.scaled(FOOT)
        return (top + foot) / 2 - log / self._reach() * (foot - top) / 2

    def paintEvent(self, _event: QPaintEvent | None) -> None:
        """Draw it."""
        p, t = QPainter(self), theme.tones()
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        p.setFont(theme.font(9))
        self._draw_frame(p)
        others = [c for c in self.courses if c.contender_id != self.selection]
        for course in others:
            self._draw_course(p, course, QPen(QColor(t.line), 1.4))
        for course in self.courses:
            if course.contender_id == self.selection:
                self._draw_course(p, course, QPen(marks.colour(course.contender_id), 2.4), whole=True)
        p.end()

    def _draw_frame(self, p: QPainter) -> None:
        t = theme.tones()
        foot = self.height() - theme.scaled(FOOT)
        soft = QPen(QColor(t.soft), 1)
        room = (foot - theme.scaled(TOP)) / theme.scaled(LEAST_TICK)
        for log in _ticks(self._reach(), max(int(room), 1)):
            y = self._y(log)
            p.setPen(QPen(QColor(t.line), 1 if log else 1.6))
            p.drawLine(QPointF(theme.scaled(LEFT), y), QPointF(self.width() - theme.scaled(RIGHT), y))
            p.setPen(soft)
            box = QRectF(0, y - 9, theme.scaled(LEFT - 6), 18)
            p.drawText(box, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, _percent(log))
        wide = (self.width() - theme.scaled(LEFT + RIGHT)) / max(len(self.places), 1)
        every = max(1, round(theme.scaled(110) / max(wide, 1) + 0.49))
        for n, place in enumerate(self.places):
            x = self._x(n)
            if place.machine:
                p.setPen(QPen(QColor(t.trouble), 1.4, Qt.PenStyle.DashLine))
                p.drawLine(QPointF(x - wide / 2, theme.scaled(TOP)), QPointF(x - wide / 2, foot))
            if n % every:
                continue
            p.setPen(QPen(QColor(t.ink), 1))
            room = int(wide * every - 6)
            for line, text in enumerate((place.title, place.builds)):
                shown = fitted(p.fontMetrics(), text, room, Qt.TextElideMode.ElideRight)
                box = QRectF(x - room / 2, foot + 6 + line * theme.scaled(18), room, theme.scaled(18))
                p.drawText(box, Qt.AlignmentFlag.AlignHCenter, shown)
                p.setPen(soft)

    def _draw_course(self, p: QPainter, course: Course, pen: QPen, whole: bool = False) -> None:
        points = [(n, v) for n, v in enumerate(course.logs) if v is not None]
        p.setPen(pen)
        for (a, v), (b, w) in pairwise(points):
            p.drawLine(QPointF(self._x(a), self._y(v)), QPointF(self._x(b), self._y(w)))
        for n, v in points:
            if whole:
                half = course.halves[n]
                p.setPen(QPen(QColor(theme.tones().soft), 1.6))
                p.drawLine(QPointF(self._x(n), self._y(v - half)), QPointF(self._x(n), self._y(v + half)))
                marks.paint(p, QPointF(self._x(n), self._y(v)), theme.scaled(12), course.contender_id)
                p.setPen(pen)

    def contextMenuEvent(self, event: QContextMenuEvent | None) -> None:
        """Offer it as a picture and as text."""
        told = [self._told(n) for n in range(len(self.places))]
        texts = ("Copy as text", lambda: copy_text("\n".join(told)))
        offer(self, event, [("Copy as a picture", lambda: copy_picture(self)), texts])

    def event(self, event: object) -> bool:
        """Hovering says what a sitting was and what each contender took."""
        if isinstance(event, QHelpEvent) and self.places:
            n = min(range(len(self.places)), key=lambda n: abs(self._x(n) - event.pos().x()))
            QToolTip.showText(event.globalPos(), self._told(n), self)
            return True
        return super().event(event)  # type: ignore[arg-type]

    def _told(self, n: int) -> str:
        place = self.places[n]
        lines = [place.words, *(f"Changed: {words}" for words in place.machine)]
        lines += [
            f"{c.label}: {c.seconds[n]:.3f} s, {_percent(c.logs[n] or 0.0)}"
            for c in self.courses[:30]
            if c.seconds[n] is not None
        ]
        return "\n".join(lines)


def _ticks(reach: float, most: int) -> list[float]:
    """Round changes in log times, 0 among them, about so many at the most."""
    from math import log1p

    step = next(
        s for s in (0.01, 0.02, 0.05, 0.1, 0.2, 0.5, 1.0, 2.0, 5.0, 1e9) if 2 * reach / s < max(most, 2)
    )
    return [log1p(n * step) for n in range(-4, 6) if n * step > -0.95 and abs(log1p(n * step)) <= reach]


def _percent(log: float) -> str:
    from math import expm1

    share = 100 * expm1(log)
    return "first" if abs(share) < 0.005 else f"{share:+.0f} %" if abs(share) >= 0.95 else f"{share:+.1f} %"


class HistoryPage(QWidget):
    """Follows the model. Signal: `sitting_wanted` to begin another one."""

    sitting_wanted = pyqtSignal()

    def __init__(self, model: DeskModel) -> None:
        super().__init__()
        self.model = model
        self._stamp: object = None
        self.pair: SittingPair | None = None
        self.sentence = label("", "sentence", wrap=True, copy=True)
        self.notes = label("", "soft", wrap=True, copy=True)
        self.then, self.now = QComboBox(), QComboBox()
        for box, name in ((self.then, "Compare this sitting"), (self.now, "With this sitting")):
            box.setAccessibleName(name)
            box.activated.connect(lambda _n: self._compare())
        self.begin = button(
            "New sitting…", self.sitting_wanted.emit, "main", "Time the same line-up again, from now on"
        )
        self.chart = HistoryChart()
        self.table = DeskTable(list(HEAD), "What changed, contender by contender", last_fills=True)
        self.table.itemSelectionChanged.connect(lambda: model.select(self.table.chosen))
        self.bar = QWidget()
        self.bar.setObjectName("bar")
        self.bar.setLayout(
            Flow(8).add(label("Sitting", "head"), self.now, label("against", "head"), self.then, self.begin)
        )
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(10)
        frame, inner = sheet()
        inner.addWidget(self.bar)
        inner.addWidget(UpTo(7, self.sentence, self.notes))
        column.addWidget(frame)
        self.drawn, inner = sheet()
        inner.addWidget(
            label(
                "Usual time against that of the first sitting; the selected contender with its 95 %", "head"
            )
        )
        inner.addWidget(self.chart, 1)
        column.addWidget(self.drawn, 3)
        self.listed, inner = sheet()
        inner.addWidget(self.table, 1)
        column.addWidget(self.listed, 4)
        column.addStretch(0)
        model.evidence_changed.connect(self.follow)
        model.selected.connect(self._selected)
        self.follow()

    def follow(self) -> None:
        """Take in what is new."""
        over = self.model.sittings
        if (self.model.evidence.stamp, over) == self._stamp:
            return
        self._stamp = (self.model.evidence.stamp, over)
        several = over is not None and len(over.each) > 1
        for box, usual in ((self.then, -2), (self.now, -1)):
            chosen = box.currentData()
            box.clear()
            for sat in over.each if over else ():
                box.addItem(f"{sat.sitting.id}: {sat.sitting.words}", sat.sitting.id)
            at = box.findData(chosen)
            box.setCurrentIndex(at if at >= 0 else max(0, box.count() + usual))
            box.setEnabled(several)
        self.drawn.setVisible(several)
        self.listed.setVisible(several)
        self.chart.show_course(over, self.model.selection)
        if not several:
            self.pair = None
            begun = len(self.model.evidence.sittings) > 1
            said = (
                "Nothing has been timed in the new sitting yet: Ctrl+R times the line-up."
                if begun
                else ONE_ONLY
            )
            self.sentence.setText(said)
            self.notes.setText("")
            return
        self._compare()

    def _compare(self) -> None:
        over = self.model.sittings
        if over is None or len(over.each) < 2:
            return
        self.pair = over.pair(self.then.currentData(), self.now.currentData())
        self.sentence.setText(pair_words(self.pair))
        notes = [f"New build: {words}." for words in self.pair.new_builds]
        notes += [f"{self.pair.unfair}."] if self.pair.unfair else []
        notes += [shift_words(over.shift)] + ([TOGETHER] if self.pair.new_builds else [])
        self.notes.setText(" ".join(notes))
        every = self.pair.changed
        self.table.fill(
            [_cells(c) for c in every], [c.now.contender.contender_id for c in every], self.model.selection
        )
        self.table.first_gives_way(130)

    def _selected(self, chosen: int) -> None:
        self.chart.selection = chosen
        self.chart.update()
        blocked = self.table.blockSignals(True)
        self.table.choose(chosen)
        self.table.blockSignals(blocked)

    def lock(self, locked: bool, _fixed: bool) -> None:
        """Begin nothing while a job runs, or in a study that can't be written."""
        self.begin.setEnabled(not locked)


MARK = {"faster": "▲ faster", "slower": "▼ slower", "same": "= same", "can't tell": "? can't tell"}


def _cells(c: Changed) -> list[Cell | None]:
    texts = row_of(c)
    tones = {"slower": "trouble", "faster": "act"}
    made: list[Cell | None] = [Cell(texts[0], "", bold=True, mark=c.now.contender.contender_id)]
    made += [Cell(text, right=True) for text in texts[1:4]]
    made.append(Cell(MARK.get(texts[4], texts[4]), "", tones.get(texts[4], "")))
    made += [Cell(text, right=True) for text in texts[5:7]]
    made += [Cell(texts[7]), Cell(texts[8], "", "trouble" if c.worse else "soft")]
    return made
