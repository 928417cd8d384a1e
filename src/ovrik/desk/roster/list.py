"""The roster: every contender with its mark, usual time, size, quality and state."""

import bisect
import itertools

from PyQt6.QtCore import QRect, QRectF, QSize, Qt
from PyQt6.QtGui import (
    QColor,
    QContextMenuEvent,
    QGuiApplication,
    QKeyEvent,
    QKeySequence,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QResizeEvent,
)
from PyQt6.QtWidgets import QMenu, QSizePolicy, QToolTip, QWidget

from ovrik.desk.model.labels import shared_words
from ovrik.desk.model.roster_order import FOLDED_FROM, LINE_UP, arranged
from ovrik.desk.model.study import DeskModel
from ovrik.desk.roster.row import FOLDED_PX, ROW_PX, Row, paint_folded, paint_row, row_px
from ovrik.desk.style import theme
from ovrik.errors import OvrikError
from ovrik.report.words.numbers import ANSWERS, how_timed, left_out_words, number, spread_words, unlike
from ovrik.report.words.reasons import reasons_words
from ovrik.report.words.whole_cost import cost_words, first_words, time_words
from ovrik.work.evidence.gathered import Evidence
from ovrik.work.evidence.summary import Summary

WIDTH_PX = 304
"""Width of the list at the usual text size."""


class RosterList(QWidget):
    """The rows. Arrow keys move the selection."""

    def __init__(self, model: DeskModel) -> None:
        super().__init__()
        self.model = model
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Roster of contenders")
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setMouseTracking(True)
        self._live_label = ""
        self.order, self.words = LINE_UP, ""
        self.folded: bool | None = None
        self.found: list[Summary] = []
        self._tops, self._shared = [0], dict[str, int]()
        self.follow()

    def arrange(self, order: str, words: str, folded: bool | None) -> None:
        """Stand in another order, show only who passes a filter, take one line each or two; None: one where there are
        many."""
        self.order, self.words, self.folded = order, words, folded
        self.follow()

    def follow_limits(self) -> None:
        """Limits have moved, and nothing else: only rows that look different are drawn anew."""
        now = {s.contender.contender_id: s for s in self.model.evidence.summaries}
        before, self.found = self.found, [now[s.contender.contender_id] for s in self.found]
        for row, (old, new) in enumerate(zip(before, self.found, strict=True)):
            if old is not new and (old.reasons, old.standing) != (new.reasons, new.standing):
                self.update(self.box_of(row).adjusted(0, 0, 0, 1))

    @property
    def is_folded(self) -> bool:
        """Whether each takes one line."""
        return len(self.found) >= FOLDED_FROM if self.folded is None else self.folded

    def follow(self) -> None:
        """Take in what is new."""
        self.found = arranged(self.model.evidence, self.order, self.words)
        self._shared = shared_words([s.contender.label for s in self.model.evidence.summaries])
        self._measure()
        chosen = self.model.summary
        if chosen:
            self.setAccessibleDescription(roster_said(chosen, self.model.evidence))
        self.update()

    def _measure(self) -> None:
        """How tall each row is: of those that take two lines, taller where the label takes two by itself."""
        if self.is_folded:
            tall = [theme.scaled(FOLDED_PX)] * len(self.found)
        else:
            e = self.model.evidence
            tall = [row_px(s.contender.label, time_words(s, e), self.width()) for s in self.found]
        self._tops = [0, *itertools.accumulate(tall)]
        self.setFixedHeight(max(theme.scaled(ROW_PX), self._tops[-1]) + 4)

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        """Another width has other labels on two lines."""
        super().resizeEvent(event)
        if event is not None and event.oldSize().width() != event.size().width():
            self._measure()

    def box_of(self, row: int) -> QRect:
        """Where a row stands."""
        return QRect(0, self._tops[row], self.width(), self._tops[row + 1] - self._tops[row])

    def show_live(self, name: str) -> None:
        """Mark the contender that is being timed."""
        if name != self._live_label:
            self._live_label = name
            self.update()

    def sizeHint(self) -> QSize:
        """As tall as its rows."""
        return QSize(theme.scaled(WIDTH_PX), self.height())

    def paintEvent(self, event: QPaintEvent | None) -> None:
        """Draw the rows."""
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        seen = event.rect() if event else self.rect()
        first = max(bisect.bisect_right(self._tops, seen.top()) - 1, 0)
        last = bisect.bisect_left(self._tops, seen.bottom() + 1)
        for row, summary in enumerate(self.found[first:last], first):
            self._draw(painter, QRectF(self.box_of(row)), summary)

    def _draw(self, p: QPainter, box: QRectF, s: Summary) -> None:
        cid, t = s.contender.contender_id, theme.tones()
        if cid == self.model.selection:
            p.fillRect(box, QColor(t.sheet))
            p.fillRect(QRectF(box.left(), box.top(), 4, box.height()), QColor(t.act))
            if self.hasFocus():
                p.setPen(QPen(QColor(t.act), 2))
                p.drawRect(box.adjusted(1, 1, -1, -1))
        p.setPen(QPen(QColor(t.line), 1))
        p.drawLine(box.bottomLeft(), box.bottomRight())
        e = self.model.evidence
        row = Row(
            s,
            time=time_words(s, e),
            decided=e.verdict.decided,
            barred=cid in self.model.barred,
            live=s.contender.label == self._live_label,
            shared=self._shared.get(s.contender.label, 0),
        )
        (paint_folded if self.is_folded else paint_row)(p, box, row)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Up and down choose; Copy takes the selected contender's full command."""
        if event and event.matches(QKeySequence.StandardKey.Copy):
            self.copy_command()
            return
        ids = [s.contender.contender_id for s in self.found]
        step = {Qt.Key.Key_Up: -1, Qt.Key.Key_Down: 1}.get(Qt.Key(event.key()) if event else Qt.Key.Key_0)
        if step is None or not ids:
            super().keyPressEvent(event)
            return
        at = ids.index(self.model.selection) if self.model.selection in ids else 0
        self.model.select(ids[max(0, min(len(ids) - 1, at + step))])

    def copy_command(self) -> None:
        """Put the selected contender's full command on the clipboard, for use elsewhere."""
        chosen, board = self.model.summary, QGuiApplication.clipboard()
        if chosen is None or board is None:
            return
        try:
            board.setText(self.model.command_of(chosen.contender))
        except OvrikError as exc:
            board.setText(str(exc))

    def contextMenuEvent(self, event: QContextMenuEvent | None) -> None:
        """What can be copied of a contender."""
        found = self.row_at(event.y()) if event else None
        if event is None or found is None:
            return
        self.model.select(found.contender.contender_id)
        menu, board = QMenu(self), QGuiApplication.clipboard()
        command, name = menu.addAction("Copy full command"), menu.addAction("Copy label and facts")
        picked = menu.exec(event.globalPos())
        if picked is not None and picked is command:
            self.copy_command()
        elif picked is not None and picked is name and board:
            board.setText(roster_said(found, self.model.evidence))

    def row_at(self, y: float) -> Summary | None:
        """The contender at a height."""
        row = bisect.bisect_right(self._tops, y) - 1
        return self.found[row] if 0 <= row < len(self.found) else None

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        """Choose."""
        found = self.row_at(event.position().y()) if event else None
        if found:
            self.model.select(found.contender.contender_id)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        """Answer on hover."""
        found = self.row_at(event.position().y()) if event else None
        if event and found:
            QToolTip.showText(event.globalPosition().toPoint(), roster_said(found, self.model.evidence), self)


def roster_said(s: Summary, e: Evidence) -> str:
    """All about a contender in a few lines."""
    lines = [s.contender.label, " · ".join(s.contender.factors().values())]
    if s.usual_s is not None:
        runs = f"{s.rounds} rounds, spread {spread_words(s)}"
        lines.append(
            f"usual time {s.usual_s:.3f} s, median {number(s.median_s, 3)} s over {runs}, {number(s.fps, 1)} fps, "
            f"×{number(s.times_real_time, 2)} real time"
        )
    if s.first:
        lines.append(f"first: {first_words(s)}")
    if whole := cost_words(s, e):
        lines.append(f"whole cost {whole}")
    if how := how_timed(s):
        lines.append(how)
    lines.append(f"against the baseline: {ANSWERS[s.answer]}{unlike(s)}")
    if s.apart.warning:
        lines.append(s.apart.warning)
    if s.left_out:
        lines.append(f"not timed any more: {left_out_words(s, e)}")
    lines += [f"✕ {words}" for words in reasons_words(s.reasons)]
    return "\n".join(lines)
