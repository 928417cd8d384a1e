"""The roster: every contender with its mark, usual time, size, quality and state."""

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
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
)
from PyQt6.QtWidgets import QMenu, QSizePolicy, QToolTip, QWidget

from ovrik.analysis.choice.verdict import Answer
from ovrik.desk.model.roster_order import FOLDED_FROM, LINE_UP, arranged
from ovrik.desk.model.study import DeskModel
from ovrik.desk.style import marks, theme
from ovrik.desk.widgets.labels import fitted
from ovrik.errors import OvrikError
from ovrik.report.words.numbers import (
    ANSWERS,
    how_timed,
    left_out_words,
    number,
    quality_words,
    size_words,
    spread_words,
    state_words,
    unlike,
)
from ovrik.report.words.reasons import reasons_words
from ovrik.report.words.whole_cost import cost_words, first_words, time_words
from ovrik.work.evidence.gathered import Evidence
from ovrik.work.evidence.summary import Summary

ROW_PX, FOLDED_PX, WIDTH_PX = 58, 27, 304
"""Height of a row, and of one that is folded, and width of the list at the usual text size."""


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
        self.row = theme.scaled(ROW_PX)
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
                self.update(0, row * self.row, self.width(), self.row + 1)

    @property
    def is_folded(self) -> bool:
        """Whether each takes one line."""
        return len(self.found) >= FOLDED_FROM if self.folded is None else self.folded

    def follow(self) -> None:
        """Take in what is new."""
        self.found = arranged(self.model.evidence, self.order, self.words)
        self.row = theme.scaled(FOLDED_PX if self.is_folded else ROW_PX)
        self.setFixedHeight(max(self.row, self.row * len(self.found)) + 4)
        chosen = self.model.summary
        if chosen:
            self.setAccessibleDescription(roster_said(chosen, self.model.evidence))
        self.update()

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
        first, last = seen.top() // self.row, seen.bottom() // self.row + 1
        for row, summary in enumerate(self.found[first:last], first):
            self._draw(painter, QRectF(0, row * self.row, self.width(), self.row), summary)

    def _draw(self, p: QPainter, box: QRectF, s: Summary) -> None:
        t = theme.tones()
        chosen = s.contender.contender_id == self.model.selection
        if chosen:
            p.fillRect(box, QColor(t.sheet))
            p.fillRect(QRectF(box.left(), box.top(), 4, box.height()), QColor(t.act))
            if self.hasFocus():
                p.setPen(QPen(QColor(t.act), 2))
                p.drawRect(box.adjusted(1, 1, -1, -1))
        p.setPen(QPen(QColor(t.line), 1))
        p.drawLine(box.bottomLeft(), box.bottomRight())
        state = self._state(s)
        live = s.contender.label == self._live_label
        out = s.acceptable is False and not live
        if self.is_folded:
            self._draw_folded(p, box, s, state)
            return
        self._draw_first_line(p, box, s, out)
        self._draw_second_line(p, box, s, state, out)

    def _draw_folded(self, p: QPainter, box: QRectF, s: Summary, state: tuple[str, bool]) -> None:
        """Mark, label, time, and a sign for where it stands; the rest is read by hovering."""
        t, px = theme.tones(), theme.scaled
        marks.paint(
            p,
            QPointF(box.left() + px(18), box.center().y()),
            px(11),
            s.contender.contender_id,
            hollow=not s.counted,
        )
        sign = "✕" if s.reasons else "✓" if s.acceptable else "·"
        p.setFont(theme.font(9.5, 700))
        p.setPen(QColor(t.trouble if s.reasons else t.act if state[1] or s.acceptable else t.soft))
        p.drawText(QRectF(box.right() - px(24), box.top(), px(18), box.height()), _RIGHT, sign)
        p.setFont(theme.font(10, 600))
        p.setPen(QColor(t.ink))
        time = time_words(s, self.model.evidence)
        taken = p.fontMetrics().horizontalAdvance(time) + px(30)
        p.drawText(QRectF(box.left(), box.top(), box.width() - px(28), box.height()), _RIGHT, time)
        font = theme.font(10, 700 if s.standing == "choice" else 500)
        font.setStrikeOut(s.contender.contender_id in self.model.barred)
        p.setFont(font)
        name = QRectF(box.left() + px(32), box.top(), box.width() - px(36) - taken, box.height())
        p.drawText(name, _LEFT, fitted(p.fontMetrics(), s.contender.label, name.width()))

    def _draw_first_line(self, p: QPainter, box: QRectF, s: Summary, out: bool) -> None:
        t, px = theme.tones(), theme.scaled
        marks.paint(
            p,
            QPointF(box.left() + px(23), box.top() + px(20)),
            px(14),
            s.contender.contender_id,
            hollow=not s.counted,
        )
        p.setFont(theme.font(11.5, 600))
        time = time_words(s, self.model.evidence)
        taken = p.fontMetrics().horizontalAdvance(time) + px(16)
        p.setPen(QColor(t.soft if out and not s.counted else t.ink))
        p.drawText(QRectF(box.right() - taken, box.top() + px(7), taken - 8, px(24)), _RIGHT, time)
        font = theme.font(11, 600)
        font.setStrikeOut(s.contender.contender_id in self.model.barred)
        p.setFont(font)
        name = QRectF(box.left() + px(40), box.top() + px(7), box.width() - px(40) - taken - 4, px(24))
        # What sets contenders apart mostly stands at the end of their labels: the middle gives way.
        p.drawText(name, _LEFT, fitted(p.fontMetrics(), s.contender.label, name.width()))

    def _draw_second_line(
        self, p: QPainter, box: QRectF, s: Summary, state: tuple[str, bool], out: bool
    ) -> None:
        t, px = theme.tones(), theme.scaled
        p.setPen(QColor(t.trouble if out else t.act if state[1] else t.soft))
        p.setFont(theme.font(9.5, 600 if out or state[1] else 400))
        taken = p.fontMetrics().horizontalAdvance(state[0]) + px(8)
        p.drawText(QRectF(box.right() - taken - 8, box.top() + px(30), taken, px(20)), _RIGHT, state[0])
        p.setFont(theme.font(9.5))
        p.setPen(QColor(t.soft))
        vmaf = f"VMAF {quality_words(s.vmaf.mean, 1, s.sampled)}" if s.vmaf else "VMAF –"
        room = box.width() - px(40) - taken - 12
        facts = p.fontMetrics().elidedText(
            f"{size_words(s.bytes)} · {vmaf}", Qt.TextElideMode.ElideRight, int(room)
        )
        p.drawText(QRectF(box.left() + px(40), box.top() + px(30), room, px(20)), _LEFT, facts)

    def _state(self, s: Summary) -> tuple[str, bool]:
        """A word for the right-hand corner, and whether it is a good one."""
        if s.contender.label == self._live_label:
            return "timing now", True
        words = state_words(s)
        if s.acceptable is False:
            return "✕ " + words, False
        if s.standing in STANDING and words == "acceptable":
            return STANDING[s.standing][self.model.evidence.verdict.decided], s.standing != "unsure"
        if s.standing == Answer.SLOWER:
            return "slower", False
        if words == "acceptable":
            return ANSWERS[s.answer], False
        return words, False

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
        return self.found[int(y // self.row)] if 0 <= y < self.row * len(self.found) else None

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


STANDING = {
    "choice": ("✓ leads", "✓ fastest"),
    "tie": ("✓ ties", "✓ ties"),
    "unsure": ("can't tell yet", "can't tell"),
}
"""By standing, while the choice is open and when it is decided."""
_LEFT = Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter
_RIGHT = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter


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
