"""Studies side by side: what makes them incomparable first, then every one's times as rows of one chart."""

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QColor, QContextMenuEvent, QHelpEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QDialog, QSizePolicy, QToolTip, QVBoxLayout, QWidget

from ovrik.desk.style import marks, theme
from ovrik.desk.widgets.copying import copy_picture, copy_text, offer
from ovrik.desk.widgets.labels import fitted
from ovrik.desk.widgets.table import Cell, DeskTable
from ovrik.desk.widgets.text import UpTo, label, scrolling, sheet
from ovrik.report.forms.as_beside import beside_changes
from ovrik.report.forms.svg import SvgScale
from ovrik.report.words.numbers import NONE, number, ratio_words, spread_words
from ovrik.work.answers.beside import Beside
from ovrik.work.evidence.summary import Summary

ROW_PX, LABEL_PX, FOOT_PX = 22, 320, 34
NOT_COMPARABLE = "Not comparable in absolute time"
ONLY = "Only speeds against each one's own baseline say something."


class RowsChart(QWidget):
    """A row for each contender of each study: its usual time and the interval of that by itself."""

    def __init__(self, found: Beside) -> None:
        super().__init__()
        self.rows = [
            (row.label, side.name, n, c)
            for row in found.rows
            for n, (side, c) in enumerate(zip(found.sides, row.cells, strict=True))
            if c and c.usual_s is not None
        ]
        self.setAccessibleName("Usual times of every contender in every study")
        self.setAccessibleDescription("; ".join(self._told(n) for n in range(len(self.rows))))
        self.setFixedHeight(theme.scaled(ROW_PX) * max(len(self.rows), 1) + theme.scaled(FOOT_PX))
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)

    def sizeHint(self) -> QSize:
        """Wide."""
        return QSize(theme.scaled(700), self.height())

    def _scale(self) -> SvgScale:
        ends = [v for *_rest, c in self.rows for v in ends_of(c)]
        log = max(ends) > 10 * min(ends)
        left, right = theme.scaled(LABEL_PX), self.width() - 16
        return SvgScale(min(ends) / 1.1 if log else 0.0, max(ends) * 1.06, left, right, log)

    def paintEvent(self, _event: QPaintEvent | None) -> None:
        """Draw it."""
        if not self.rows:
            return
        p, t, x = QPainter(self), theme.tones(), self._scale()
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        p.setFont(theme.font(9))
        foot, high = self.height() - theme.scaled(FOOT_PX), theme.scaled(ROW_PX)
        for v in x.ticks():
            at = x.at(v)
            p.setPen(QPen(QColor(t.line), 1))
            p.drawLine(QPointF(at, 0), QPointF(at, foot))
            p.setPen(QColor(t.soft))
            p.drawText(QRectF(at - 40, foot + 2, 80, 16), Qt.AlignmentFlag.AlignHCenter, f"{v:g} s")
        for n, (name, side, place, c) in enumerate(self.rows):
            y = high * (n + 0.5)
            p.setPen(QColor(t.ink))
            text = fitted(p.fontMetrics(), f"{name}, {side}", theme.scaled(LABEL_PX - 14))
            box = QRectF(0, y - high / 2, theme.scaled(LABEL_PX - 10), high)
            p.drawText(box, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, text)
            low, top = ends_of(c)
            p.setPen(QPen(QColor(t.soft), 3))
            p.drawLine(QPointF(x.at(low), y), QPointF(x.at(top), y))
            marks.paint(p, QPointF(x.at(c.usual_s or low), y), theme.scaled(11), place + 1)
        p.end()

    def _told(self, n: int) -> str:
        name, side, _place, c = self.rows[n]
        low, top = ends_of(c)
        return f"{name}, {side}: {c.usual_s:.3f} s, {low:.3f} to {top:.3f} s over {c.rounds} rounds"

    def contextMenuEvent(self, event: QContextMenuEvent | None) -> None:
        """Offer it as a picture and as text."""
        told = [self._told(n) for n in range(len(self.rows))]
        texts = ("Copy as text", lambda: copy_text("\n".join(told)))
        offer(self, event, [("Copy as a picture", lambda: copy_picture(self)), texts])

    def event(self, event: object) -> bool:
        """Hovering says a row in full."""
        if isinstance(event, QHelpEvent):
            n = int(event.pos().y() // theme.scaled(ROW_PX))
            if 0 <= n < len(self.rows):
                QToolTip.showText(event.globalPos(), self._told(n), self)
            return True
        return super().event(event)  # type: ignore[arg-type]


def ends_of(s: Summary) -> tuple[float, float]:
    """The interval of a usual time by itself, the time alone where there is none."""
    usual = s.usual_s or 1.0
    return (s.spread.low, s.spread.high) if s.spread else (usual, usual)


class BesideWindow(QDialog):
    """Shows what was laid side by side."""

    def __init__(self, found: Beside, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle("Side by side – Ovrik")
        self.resize(theme.scaled(1080), theme.scaled(720))
        self.unlike = label("", "trouble", wrap=True, copy=True)
        self.unlike.setText("\n".join(f"✕ {NOT_COMPARABLE}: {words}. {ONLY}" for words in found.unlike))
        self.unlike.setVisible(bool(found.unlike))
        self.apart = label("; ".join(found.apart), "soft", wrap=True, copy=True)
        self.apart.setVisible(bool(found.apart))
        said = [words for row in found.rows for words in beside_changes(row, found)]
        self.said = label("\n".join(said), wrap=True, copy=True)
        heads = ["Contender"]
        for side in found.sides:
            heads += [f"{side.name}: s", "spread", "own baseline"]
        self.table = DeskTable(heads, "Times and speeds in each study", last_fills=True)
        self.table.fill(
            [_cells(row.label, row.cells) for row in found.rows], list(range(1, len(found.rows) + 1))
        )
        self.table.first_gives_way()
        self.chart = RowsChart(found)
        column = QVBoxLayout(self)
        column.setSpacing(10)
        frame, inner = sheet()
        inner.addWidget(UpTo(8, self.unlike, self.apart, self.said))
        column.addWidget(frame)
        frame, inner = sheet()
        inner.addWidget(self.table)
        column.addWidget(frame, 2)
        frame, inner = sheet()
        inner.addWidget(label("Usual time, with the 95 % interval of each by itself", "head"))
        inner.addWidget(scrolling(self.chart), 1)
        column.addWidget(frame, 3)


def _cells(name: str, cells: tuple[Summary | None, ...]) -> list[Cell | None]:
    out: list[Cell | None] = [Cell(name, "", bold=True)]
    for c in cells:
        if c is None or c.usual_s is None:
            out += [Cell(NONE, right=True)] * 3
            continue
        own = ratio_words(c.ratio) if c.ratio else NONE
        out += [Cell(number(c.usual_s), right=True), Cell(spread_words(c), right=True), Cell(own, right=True)]
    return out
