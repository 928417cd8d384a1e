"""By factor: what the version, the preset, the acceleration brings, drawn and said in a sentence."""

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QColor, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QComboBox, QGridLayout, QSizePolicy, QVBoxLayout, QWidget

from ovrik.analysis.choice.factor_effects import FactorEffect, LevelEffect
from ovrik.analysis.times.ratio import Ratio
from ovrik.desk.model.study import DeskModel
from ovrik.desk.style import theme
from ovrik.desk.widgets.flow import Flow
from ovrik.desk.widgets.text import emptied, label, scrolling, sheet
from ovrik.report.words.factors import alone_words, effect_words, quality_effect, size_effect
from ovrik.study.question.limit_kinds import LIMIT_KINDS
from ovrik.work.answers.factors import FOOTAGE, Factors, factors

BAR_PX, ROW_PX = 190, 24
NOTHING = (
    "Nothing varies alone yet. A grid in the line-up gives every combination of some settings: then each of them is "
    "seen over pairs that differ in nothing else."
)


class EffectBar(QWidget):
    """The interval of a level's speed against the base: a bar, a tick for the value, 1 as a line, the tie band as a
    wash, and a dot for each level of the factor with which it is not the same everywhere."""

    def __init__(self, x: LevelEffect, reach: float, band: float) -> None:
        super().__init__()
        self._x, self._reach, self._band = x, reach, band
        self.setMinimumSize(theme.scaled(BAR_PX), theme.scaled(ROW_PX))
        self.setSizePolicy(QSizePolicy.Policy.Fixed, QSizePolicy.Policy.Fixed)
        said = [f"{g.level}: ×{g.ratio.value:.2f}" for g in x.groups]
        self.setToolTip("\n".join([f"×{x.ratio.value:.2f} as fast as {x.base}", *said]))
        self.setAccessibleName(f"{x.level}: ×{x.ratio.value:.2f} as fast as {x.base}")

    def sizeHint(self) -> QSize:
        """A row."""
        return self.minimumSize()

    def _at(self, ratio: float) -> float:
        share = 0.5 + 0.5 * max(-1.0, min(1.0, _log(ratio) / self._reach))
        return 6 + share * (self.width() - 12)

    def paintEvent(self, _event: QPaintEvent | None) -> None:
        """Draw it."""
        p, t = QPainter(self), theme.tones()
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        left, right = self._at(1 / (1 + self._band)), self._at(1 + self._band)
        p.fillRect(QRectF(left, 0, right - left, self.height()), QColor(t.sunk))
        p.setPen(QPen(QColor(t.soft), 1))
        p.drawLine(QPointF(self._at(1), 0), QPointF(self._at(1), self.height()))
        middle = self.height() / 2
        p.setPen(QPen(QColor(t.soft), 1.4))
        for g in self._x.groups:
            p.setBrush(QColor(t.sheet) if g.apart else QColor(t.soft))
            p.drawEllipse(QPointF(self._at(g.ratio.value), middle + 6), 3, 3)
        self._draw(p, self._x.ratio, middle - (4 if self._x.groups else 0))

    def _draw(self, p: QPainter, ratio: Ratio, y: float) -> None:
        t = theme.tones()
        if ratio.low is not None and ratio.high is not None:
            p.setPen(QPen(QColor(t.act), 4, Qt.PenStyle.SolidLine, Qt.PenCapStyle.FlatCap))
            p.drawLine(QPointF(self._at(ratio.low), y), QPointF(self._at(ratio.high), y))
        p.setPen(QPen(QColor(t.ink), 2))
        p.drawLine(QPointF(self._at(ratio.value), y - 6), QPointF(self._at(ratio.value), y + 6))


def _log(value: float) -> float:
    from math import log

    return log(max(value, 1e-9))


class FactorPage(QWidget):
    """Follows the model."""

    def __init__(self, model: DeskModel) -> None:
        super().__init__()
        self.model = model
        self.found: Factors | None = None
        self.sentences: list[str] = []
        self._stamp: object = None
        self.which, self.quality = QComboBox(), QComboBox()
        self.which.setAccessibleName("Which factor")
        self.which.activated.connect(lambda _n: self.show_factor())
        self.quality.setAccessibleName("Which quality")
        for key, kind in LIMIT_KINDS.items():
            if kind.metric:
                self.quality.addItem(kind.heading, key)
        self.quality.activated.connect(lambda _n: self.follow(anew=True))
        self.note = label("", "soft", wrap=True)
        inside = QWidget()
        self.grid = QGridLayout(inside)
        self.grid.setContentsMargins(0, 0, 8, 0)
        self.grid.setHorizontalSpacing(14)
        self.grid.setVerticalSpacing(6)
        self.grid.setColumnStretch(3, 1)
        frame, inner = sheet()
        bar = QWidget()
        bar.setObjectName("bar")
        bar.setLayout(
            Flow(8).add(
                label("What", "head"), self.which, label("brings in time, size and", "head"), self.quality
            )
        )
        inner.addWidget(bar)
        inner.addWidget(self.note)
        inner.addWidget(scrolling(inside), 1)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.addWidget(frame)
        model.evidence_changed.connect(self.follow)
        self.follow()

    def follow(self, anew: bool = False) -> None:
        """Take in what is new."""
        e = self.model.evidence
        stamp = (e.stamp, self.model.over)
        if stamp == self._stamp and not anew:
            return
        self._stamp = stamp
        self.found = factors(e, self.model.over, self.quality.currentData())
        chosen = self.which.currentData()
        self.which.clear()
        with_pairs = sorted(self.found.effects, key=lambda f: -sum(x.pairs for x in f.levels))
        self.which.addItem("every factor", "")
        for f in with_pairs:
            count = sum(x.pairs for x in f.levels)
            self.which.addItem(f"{self.found.titles[f.key]} ({count} pair{'s' * (count != 1)})", f.key)
        self.which.setCurrentIndex(max(0, self.which.findData(chosen)))
        self.show_factor()

    def show_factor(self) -> None:
        """Show the factor that is chosen, or all of them."""
        emptied(self.grid)
        self.sentences = []
        if self.found is None:
            return
        key = self.which.currentData()
        some = [f for f in self.found.effects if f.levels or key]
        shown = [f for f in some if not key or f.key == key]
        shown.sort(key=lambda f: (f.key == FOOTAGE, -sum(x.pairs for x in f.levels)))
        self.note.setText(self._about() if any(f.levels for f in shown) else NOTHING)
        reach = max([0.1, *(abs(_log(v)) for f in shown for x in f.levels for v in _ends(x))])
        row = 0
        for f in shown:
            row = self._add(f, row, 1.05 * min(reach, _log(8.0)))
        self.grid.setRowStretch(row, 1)

    def _about(self) -> str:
        until = (
            "Times are until the file has been sent. " if self.model.evidence.facts.worth.delivered else ""
        )
        return (
            f"{until}Each level against the base, over pairs of contenders that differ in nothing else. Bars: ×, "
            "95 %, for all levels of all factors together; dots: where another factor has one of its levels. Size "
            "and quality: mean over the pairs, and its 95 % interval by how they differ among themselves."
        )

    def _add(self, f: FactorEffect, row: int, reach: float) -> int:
        assert self.found is not None
        head = label(f"{self.found.titles[f.key]}, against {f.base}", "head")
        self.grid.addWidget(head, row, 0, 1, 4)
        kind, row = LIMIT_KINDS[self.found.quality], row + 1
        for x in f.levels:
            said = effect_words(self.found, f, x)
            self.sentences.append(said)
            self.grid.addWidget(label(x.level, copy=True), row, 0)
            self.grid.addWidget(EffectBar(x, reach, self.model.evidence.facts.tie_band), row, 1)
            more = f"{size_effect(x.size)}; {kind.heading} {quality_effect(x.quality, kind.digits)}"
            text = label(f"{said} {more[:1].upper()}{more[1:]}.", wrap=True, copy=True)
            self.grid.addWidget(text, row, 2, 1, 2)
            row += 1
        if alone_words(f):
            self.grid.addWidget(label(alone_words(f), "soft", wrap=True), row, 0, 1, 4)
            row += 1
        return row


def _ends(x: LevelEffect) -> list[float]:
    return [v for r in (x.ratio, *(g.ratio for g in x.groups)) for v in (r.value, r.low, r.high) if v]
