"""Where the time goes: an export's parts against the whole, its fixed cost, and the whole programme."""

from functools import partial

import pyqtgraph as pg
from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QSizePolicy, QVBoxLayout, QWidget

from ovrik.analysis.forecast.ladder import Ladder, StepShare
from ovrik.desk.model.study import DeskModel
from ovrik.desk.style import marks, theme
from ovrik.desk.widgets.chart import Chart, axis_words, ink
from ovrik.desk.widgets.flow import Flow
from ovrik.desk.widgets.text import button, label, scrolling
from ovrik.report.words.explained import ladder_words, share_words, time_words, whole_words
from ovrik.study.facts.part import ALL, TITLES
from ovrik.work.apart.parts import ladder_of
from ovrik.work.apart.whole_programme import WholeTimed, whole_of

BUTTONS = (
    (
        "parts",
        "Time its parts",
        "Decoding, treatments, encoding, audio and writing each on its own, three times",
    ),
    (
        "segments",
        "Time segments",
        "The whole excerpt, its quarters, and segments from all over the programme",
    ),
    ("whole", "Time the whole", "Export the whole programme once and check the forecast against it"),
)


class Explained(QWidget):
    """Buttons that time more, a bar for each part with its interval, and sentences."""

    explain_wanted = pyqtSignal(str, int)

    def __init__(self, model: DeskModel) -> None:
        super().__init__()
        self.model = model
        self.parts, self.segments, self.whole = (
            button(text, partial(self._ask, kind), hint=hint) for kind, text, hint in BUTTONS
        )
        self.head = label("", "head", elide=True)
        self.limit = label("", wrap=True, copy=True)
        self.result = label("", wrap=True, copy=True)
        self.bars = Chart("Parts of the export against the whole", "per cent of the whole export's time", "")
        self.bars.setMouseEnabled(x=False, y=False)
        self.bars.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Ignored)
        side = QVBoxLayout()
        side.setSpacing(8)
        side.addWidget(self.head)
        side.addLayout(Flow().add(self.parts, self.segments, self.whole))
        inside = QWidget()
        text = QVBoxLayout(inside)
        text.setContentsMargins(0, 0, 8, 0)
        text.addWidget(self.limit)
        text.addWidget(self.result)
        text.addStretch(1)
        side.addWidget(scrolling(inside), 1)
        both = QHBoxLayout(self)
        both.setContentsMargins(0, 0, 0, 0)
        both.setSpacing(14)
        both.addWidget(self.bars, 5)
        both.addLayout(side, 6)

    def _ask(self, kind: str) -> None:
        if self.model.selection:
            self.explain_wanted.emit(kind, self.model.selection)

    def set_busy(self, _busy: bool, locked: bool) -> None:
        """Whether nothing may be begun."""
        for made in (self.parts, self.segments, self.whole):
            made.setEnabled(not locked)

    def draw(self) -> None:
        """Show what is on file of the selected contender."""
        chosen = self.model.summary
        self.bars.clear()
        if chosen is None:
            return
        self.head.setText(chosen.contender.label)
        ladder, whole = (
            ladder_of(self.model.study, chosen.contender),
            whole_of(self.model.study, chosen.contender),
        )
        self.limit.setText(ladder_words(ladder))
        self.result.setText("\n".join(whole_words(whole)))
        self.whole.setText(_whole_text(whole))
        self.bars.setVisible(ladder is not None)
        self._draw_bars(ladder)

    def _draw_bars(self, ladder: Ladder | None) -> None:
        axis = self.bars.getPlotItem().getAxis("left")
        axis.setWidth(theme.scaled(176))
        if ladder is None:
            axis.setTicks([[]])
            return
        # The whole is the ruler: it stands on top.
        whole = [("The whole export", 100.0, None)]
        rows = [*whole, *((TITLES[s.name], 100 * s.share, s) for s in ladder.shares if s.name != ALL)]
        axis.setTicks([[(-n, title) for n, (title, _v, _s) in enumerate(rows)]])
        axis.setTextPen(pg.mkPen(ink()))
        widest = max(100.0, *(100 * (s.high or s.share) for s in ladder.shares)) if ladder.shares else 100.0
        for n, (_title, value, share) in enumerate(rows):
            self._bar(-n, value, share)
        self.bars.setXRange(-2, min(widest, 200.0) * 1.55, padding=0)
        self.bars.setYRange(-len(rows) + 0.4, 0.6, padding=0)

    def _bar(self, y: float, value: float, share: StepShare | None) -> None:
        tint = marks.colour(self.model.selection)
        tint.setAlpha(150 if share else 60)
        self.bars.addItem(
            pg.BarGraphItem(x0=[0], y=[y], width=[value], height=0.52, brush=tint, pen=pg.mkPen(None))
        )
        end = value
        if share and share.low is not None and share.high is not None:
            low, high = 100 * share.low, 100 * share.high
            self.bars.plot([low, high], [y, y], pen=pg.mkPen(ink(), width=2))
            for x in (low, high):
                self.bars.plot([x, x], [y - 0.14, y + 0.14], pen=pg.mkPen(ink(), width=2))
            end = max(value, high)
        if share:
            said = axis_words(f" {value:.1f} %, {share.seconds:.2f} s", points=9)
            said.setPos(end, y)
            said.setToolTip(f"{share_words(share)}\nT of the part / T of the whole, paired by round")
            self.bars.addItem(said)


def _whole_text(whole: WholeTimed) -> str:
    if whole.forecast is None:
        return "Time the whole"
    f = whole.forecast
    took = f"about {time_words(f.seconds)}" if f.close else f"{time_words(f.low)} to {time_words(f.high)}"
    return f"Time the whole ({took})"
