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
from PyQt6.QtWidgets import QMenu, QScrollArea, QSizePolicy, QToolTip, QVBoxLayout, QWidget

from ovrik.desk import marks, theme
from ovrik.desk.model import DeskModel
from ovrik.desk.widgets.text import label
from ovrik.errors import OvrikError
from ovrik.report.words import (
    ANSWERS,
    how_timed,
    number,
    own_time_words,
    quality_words,
    size_words,
    spread_words,
    state_words,
)
from ovrik.work.evidence import Summary

ROW_PX, WIDTH_PX, MOST_SHARE = 58, 304, 0.29
"""Height of a row and width of the roster at the usual text size; the share of the window it takes at most."""


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
        self.row = theme.scaled(ROW_PX)
        self.follow()

    def follow(self) -> None:
        """Take in what is new."""
        self.setFixedHeight(max(self.row, self.row * len(self.model.evidence.summaries)) + 4)
        chosen = self.model.summary
        if chosen:
            self.setAccessibleDescription(said(chosen))
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
        for row, summary in enumerate(self.model.evidence.summaries[first:last], first):
            self._draw(painter, QRectF(0, row * self.row, self.width(), self.row), summary)

    def _draw(self, p: QPainter, box: QRectF, s: Summary) -> None:
        t = theme.tones()
        chosen = s.contender.id == self.model.selection
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
        self._draw_first_line(p, box, s, out)
        self._draw_second_line(p, box, s, state, out)

    def _draw_first_line(self, p: QPainter, box: QRectF, s: Summary, out: bool) -> None:
        t, px = theme.tones(), theme.scaled
        marks.paint(
            p, QPointF(box.left() + px(23), box.top() + px(20)), px(14), s.contender.id, hollow=not s.counted
        )
        p.setFont(theme.font(11.5, 600))
        time = f"{own_time_words(s)} s" if s.usual_s is not None else "–"
        taken = p.fontMetrics().horizontalAdvance(time) + px(16)
        p.setPen(QColor(t.soft if out and not s.counted else t.ink))
        p.drawText(QRectF(box.right() - taken, box.top() + px(7), taken - 8, px(24)), _RIGHT, time)
        font = theme.font(11, 600)
        font.setStrikeOut(s.contender.id in self.model.barred)
        p.setFont(font)
        name = QRectF(box.left() + px(40), box.top() + px(7), box.width() - px(40) - taken - 4, px(24))
        # What sets contenders apart mostly stands at the end of their labels: the middle gives way.
        middle = Qt.TextElideMode.ElideMiddle
        p.drawText(name, _LEFT, p.fontMetrics().elidedText(s.contender.label, middle, int(name.width())))

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
        if words == "acceptable":
            return ANSWERS[s.answer], False
        return words, False

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Up and down choose; Copy takes the selected contender's full command."""
        if event and event.matches(QKeySequence.StandardKey.Copy):
            self.copy_command()
            return
        ids = [s.contender.id for s in self.model.evidence.summaries]
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
        self.model.select(found.contender.id)
        menu, board = QMenu(self), QGuiApplication.clipboard()
        command, name = menu.addAction("Copy full command"), menu.addAction("Copy label and facts")
        picked = menu.exec(event.globalPos())
        if picked is not None and picked is command:
            self.copy_command()
        elif picked is not None and picked is name and board:
            board.setText(said(found))

    def row_at(self, y: float) -> Summary | None:
        """The contender at a height."""
        rows = self.model.evidence.summaries
        return rows[int(y // self.row)] if 0 <= y < self.row * len(rows) else None

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        """Choose."""
        found = self.row_at(event.position().y()) if event else None
        if found:
            self.model.select(found.contender.id)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        """Answer on hover."""
        found = self.row_at(event.position().y()) if event else None
        if event and found:
            QToolTip.showText(event.globalPosition().toPoint(), said(found), self)


STANDING = {
    "choice": ("✓ leads", "✓ fastest"),
    "tie": ("✓ ties", "✓ ties"),
    "unsure": ("can't tell yet", "can't tell"),
}
"""By standing, while the choice is open and when it is decided."""
_LEFT = Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter
_RIGHT = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter


def said(s: Summary) -> str:
    """All about a contender in a few lines."""
    lines = [s.contender.label, " · ".join(s.contender.factors().values())]
    if s.usual_s is not None:
        runs = f"{s.rounds} rounds, spread {spread_words(s)}"
        lines.append(
            f"usual time {s.usual_s:.3f} s, median {number(s.median_s, 3)} s over {runs}, {number(s.fps, 1)} fps"
        )
    if how := how_timed(s):
        lines.append(how)
    lines.append(f"against the baseline: {ANSWERS[s.answer]}")
    if s.left_out:
        lines.append(f"not timed any more: {s.left_out}")
    lines += [f"✕ {r}" for r in s.reasons]
    return "\n".join(lines)


class Roster(QWidget):
    """Title of the study over the list."""

    def __init__(self, model: DeskModel) -> None:
        super().__init__()
        self.model = model
        self.setObjectName("rosterSide")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.fit(theme.scaled(WIDTH_PX) / MOST_SHARE)
        self.title, self.about = label("", "title", wrap=True), label("", "soft", wrap=True)
        self.list = RosterList(model)
        area = QScrollArea()
        area.setWidgetResizable(True)
        area.setFrameShape(QScrollArea.Shape.NoFrame)
        area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        area.setStyleSheet("background: transparent;")
        area.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        inner = QWidget()
        column = QVBoxLayout(inner)
        column.setContentsMargins(0, 0, 0, 0)
        column.addWidget(self.list)
        column.addStretch(1)
        area.setWidget(inner)
        self.head = QVBoxLayout()
        self.head.setContentsMargins(16, 12, 12, 10)
        self.head.setSpacing(2)
        self.head.addWidget(self.title)
        self.head.addWidget(self.about)
        whole = QVBoxLayout(self)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.setSpacing(0)
        whole.addLayout(self.head)
        whole.addWidget(area, 1)
        model.evidence_changed.connect(self.follow)
        model.selected.connect(self.follow)
        model.live.connect(self.show_live)
        self.follow()

    def follow(self) -> None:
        """Take in what is new."""
        e = self.model.evidence
        x = e.facts.excerpt
        rate = float(e.programme.rate)
        named = f", excerpt “{e.excerpt_name}”" if e.excerpt_name else ""
        self.title.setText(e.facts.title)
        self.about.setText(
            f"{e.programme.name}{named}, {x.frames} frames "
            f"({x.frames / rate:.2f} s) from {x.start_frame / rate:.2f} s"
        )
        self.list.follow()

    def fit(self, window_width: float) -> None:
        """Take no more than a share of the window."""
        self.setFixedWidth(min(theme.scaled(WIDTH_PX), round(MOST_SHARE * window_width)))

    def show_live(self, update: object) -> None:
        """Mark what is being timed."""
        ended = update is None or bool(getattr(update, "ended", ""))
        self.list.show_live("" if ended else str(getattr(update, "label", "")))
