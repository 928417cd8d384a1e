"""One row of the roster: label, time, facts, where it stands, and whether it is acceptable, each in its place."""

from dataclasses import dataclass

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QFont, QFontMetrics, QPainter, QPen

from ovrik.desk.model.labels import apart
from ovrik.desk.style import marks, theme
from ovrik.desk.widgets.labels import fitted
from ovrik.report.words.numbers import ANSWERS, quality_words, size_words, state_words
from ovrik.work.evidence.summary import Summary

ROW_PX, FOLDED_PX, LINE_PX = 58, 27, 18
"""Height of a row, of one that is folded, and of a further line of a label."""
LABEL_PX, END_PX = 40, 10
"""Where labels begin, and what is left free at the right."""
TAGS = {"choice": ("leads", "choice"), "tie": ("ties", "ties")}
"""By standing, while the choice is open and when it is decided."""
_LEFT = Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter
_RIGHT = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
_MIDDLE = Qt.AlignmentFlag.AlignCenter
END = Qt.TextElideMode.ElideRight


@dataclass(frozen=True)
class Row:
    """What is drawn. Fields: `summary` of the contender; `time` in words; `decided`, whether the choice is; `barred`,
    whether it can't run here; `live`, whether it is being timed; `shared`, characters that its label begins with like
    another one."""

    summary: Summary
    time: str
    decided: bool
    barred: bool
    live: bool
    shared: int

    @property
    def answer(self) -> str:
        """Its time against the baseline's, or why it has none."""
        if self.live:
            return "timing now"
        s = self.summary
        return ANSWERS[s.answer] if s.counted else state_words(s)

    @property
    def tag(self) -> str:
        """Whether it is the choice, or ties with it."""
        s = self.summary
        return TAGS[s.standing][self.decided] if s.standing in TAGS and not s.reasons else ""

    @property
    def sign(self) -> tuple[str, str]:
        """Whether it is acceptable, as a sign, and its tone."""
        t = theme.tones()
        if self.summary.reasons:
            return "✕", t.trouble
        return ("✓", t.act) if self.summary.acceptable else ("·", t.soft)


def label_font(barred: bool = False) -> QFont:
    """Of labels."""
    font = theme.font(11, 600)
    font.setStrikeOut(barred)
    return font


def row_px(label: str, time: str, width: int) -> int:
    """How tall a row is: taller where the label takes two lines beside its time."""
    room = _room_beside(time, width)
    one_line = QFontMetrics(label_font()).horizontalAdvance(label) <= room
    return theme.scaled(ROW_PX if one_line else ROW_PX + LINE_PX)


def _room_beside(time: str, width: float) -> float:
    taken = QFontMetrics(theme.font(11.5, 600)).horizontalAdvance(time)
    return width - theme.scaled(LABEL_PX + END_PX + 12) - taken


def in_two(metrics: QFontMetrics, label: str, first: float) -> tuple[str, str]:
    """A label broken where the first line is full, at the end of a word."""
    words, line = label.split(" "), ""
    for at, word in enumerate(words):
        longer = f"{line} {word}".strip()
        if metrics.horizontalAdvance(longer) > first and line:
            return line, " ".join(words[at:])
        line = longer
    return line, ""


def paint_row(p: QPainter, box: QRectF, row: Row) -> None:
    """Two lines, or three where the label takes two."""
    s, t, px = row.summary, theme.tones(), theme.scaled
    centre = QPointF(box.left() + px(23), box.top() + px(20))
    marks.paint(p, centre, px(14), s.contender.contender_id, hollow=not s.counted)
    right = box.right() - px(END_PX)
    p.setFont(theme.font(11.5, 600))
    p.setPen(QColor(t.ink if s.counted else t.soft))
    p.drawText(QRectF(box.left(), box.top() + px(7), right - box.left(), px(24)), _RIGHT, row.time)
    p.setFont(label_font(row.barred))
    left, room = box.left() + px(LABEL_PX), _room_beside(row.time, box.width())
    lines = in_two(p.fontMetrics(), s.contender.label, room)
    for number, line in enumerate(lines):
        wide = room if number == 0 else right - left
        place = QRectF(left, box.top() + px(7 + number * LINE_PX), wide, px(24))
        p.drawText(place, _LEFT, fitted(p.fontMetrics(), line, wide, END))
    _paint_last_line(p, QRectF(left, box.bottom() - px(28), right - left, px(20)), row)


def _paint_last_line(p: QPainter, box: QRectF, row: Row) -> None:
    """Sign of acceptability, tag of the choice, size and quality; at the right the answer in time."""
    s, t, px = row.summary, theme.tones(), theme.scaled
    sign, tone = row.sign
    p.setFont(theme.font(10, 700))
    p.setPen(QColor(tone))
    p.drawText(QRectF(box.left() - px(26), box.top(), px(18), box.height()), _MIDDLE, sign)
    good = row.live or (s.answer == "faster" and not s.reasons)
    p.setFont(theme.font(9.5, 600 if good else 400))
    p.setPen(QColor(t.act if good else t.soft))
    p.drawText(box, _RIGHT, row.answer)
    room = box.width() - p.fontMetrics().horizontalAdvance(row.answer) - px(8)
    x = box.left()
    if row.tag:
        x += _paint_tag(p, box, row)
        room -= x - box.left()
    p.setFont(theme.font(9.5))
    p.setPen(QColor(t.soft))
    vmaf = f"VMAF {quality_words(s.vmaf.mean, 1, s.sampled)}" if s.vmaf else ""
    facts = " · ".join(filter(None, (size_words(s.bytes) if s.bytes else "", vmaf)))
    p.drawText(
        QRectF(x, box.top(), room, box.height()), _LEFT, p.fontMetrics().elidedText(facts, END, int(room))
    )


def _paint_tag(p: QPainter, box: QRectF, row: Row) -> float:
    """The tag; gives what it takes, pixels."""
    t, px = theme.tones(), theme.scaled
    p.setFont(theme.font(8.5, 700))
    wide = p.fontMetrics().horizontalAdvance(row.tag) + px(10)
    tag = QRectF(box.left(), box.center().y() - px(8), wide, px(16))
    filled = row.summary.standing == "choice"
    p.setPen(QPen(QColor(t.act), 1))
    p.setBrush(QColor(t.act) if filled else Qt.BrushStyle.NoBrush)
    p.drawRoundedRect(tag, 3, 3)
    p.setBrush(Qt.BrushStyle.NoBrush)
    p.setPen(QColor(t.on_act if filled else t.act))
    p.drawText(tag, _MIDDLE, row.tag)
    return wide + px(6)


def paint_folded(p: QPainter, box: QRectF, row: Row) -> None:
    """Mark, label, time, and the sign of acceptability; the rest is read by hovering."""
    s, t, px = row.summary, theme.tones(), theme.scaled
    centre = QPointF(box.left() + px(18), box.center().y())
    marks.paint(p, centre, px(11), s.contender.contender_id, hollow=not s.counted)
    sign, tone = row.sign
    p.setFont(theme.font(9.5, 700))
    p.setPen(QColor(tone))
    p.drawText(QRectF(box.right() - px(24), box.top(), px(18), box.height()), _RIGHT, sign)
    p.setFont(theme.font(10, 600))
    p.setPen(QColor(t.ink))
    taken = p.fontMetrics().horizontalAdvance(row.time) + px(30)
    p.drawText(QRectF(box.left(), box.top(), box.width() - px(28), box.height()), _RIGHT, row.time)
    font = theme.font(10, 700 if s.standing == "choice" else 500)
    font.setStrikeOut(row.barred)
    p.setFont(font)
    name = QRectF(box.left() + px(32), box.top(), box.width() - px(36) - taken, box.height())
    label, metrics = s.contender.label, p.fontMetrics()
    if metrics.horizontalAdvance(label) > name.width():
        label = apart(label, row.shared) or label  # what tells it apart stands at the end
    p.drawText(name, _LEFT, fitted(metrics, label, name.width(), END))
