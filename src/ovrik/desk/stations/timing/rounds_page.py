"""Rounds: what runs now, a lane for every contender, and the runs in their order."""

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QResizeEvent, QShowEvent
from PyQt6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from ovrik.desk.model.lanes import InOrder
from ovrik.desk.model.study import DeskModel
from ovrik.desk.stations.timing.lanes import ZOOM, LanesChart, run_said
from ovrik.desk.stations.timing.now_band import NowBand
from ovrik.desk.stations.timing.order_chart import OrderChart
from ovrik.desk.style import theme
from ovrik.desk.widgets.text import button, label, sheet
from ovrik.report.words.numbers import left_out_words
from ovrik.report.words.progress import order_words
from ovrik.store.records.decision import KEPT
from ovrik.work.timing.series import TimingUpdate

ROOM_FOR_BOTH_PX = 540
"""A page so high shows lanes and the order of runs."""


class RoundsPage(QWidget):
    """The heart of Timing: lanes with the whole height between the run in hand and the order of runs."""

    def __init__(self, model: DeskModel) -> None:
        super().__init__()
        self.model = model
        self._live: TimingUpdate | None = None
        self.now = NowBand()
        self.now.rest_ended.connect(self._go_on)
        self.hover = label("Hover over a mark for details", "soft", elide=True)
        self.hover.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        self.chart = LanesChart(model, self.hover.setText)
        self.chart.drawn.connect(self._show_aside)
        self.fold = button("", self._fold, hint="Contenders that are not timed any more, with the reason")
        self.back = button("Bring back", self._bring_back)
        self.order = label("", "soft", elide=True)
        self.order_chart = OrderChart(model, self._say_in_order)
        self.drawn = button("Draw", self._draw_order, hint="Draw the runs in their order, here below")
        self.drawn.setCheckable(True)
        self._asked = False
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(10)
        now, inside = sheet()
        inside.addWidget(self.now)
        column.addWidget(now)
        column.addWidget(self._lanes_sheet(), 1)
        self.order_sheet = self._order_sheet()
        column.addWidget(self.order_sheet)
        model.evidence_changed.connect(self.follow)
        model.selected.connect(self._selected)
        self.follow()

    def _lanes_sheet(self) -> QWidget:
        frame, column = sheet(10, 6)
        row = QHBoxLayout()
        row.setSpacing(6)
        for part in (self.fold, self.back):
            row.addWidget(part)
        row.addWidget(self.hover, 1)
        zooms = (
            ("+", lambda: self.chart.zoom(ZOOM), "Nearer in time"),
            ("−", lambda: self.chart.zoom(1 / ZOOM), "Farther in time"),
            ("All", self.chart.show_all, "All of the time"),
        )
        for words, act, hint in zooms:
            made = button(words, act, hint=hint)
            made.setAccessibleName(hint)
            row.addWidget(made)
        column.addLayout(row)
        column.setSpacing(3)
        column.addWidget(self.chart.headings)
        lanes = QHBoxLayout()
        lanes.setSpacing(2)
        lanes.addWidget(self.chart, 1)
        lanes.addWidget(self.chart.bar)
        column.addLayout(lanes, 1)
        return frame

    def _order_sheet(self) -> QWidget:
        frame, column = sheet(10, 4)
        row = QHBoxLayout()
        row.addWidget(self.order, 1)
        row.addWidget(self.drawn)
        column.addLayout(row)
        column.addWidget(self.order_chart)
        return frame

    def follow(self) -> None:
        """Take in what is new."""
        self.chart.draw()
        self.order_chart.draw()
        clear = [o for o in self.model.evidence.order if o.trend.clear]
        said = "; ".join(map(order_words, clear)) or ("no clear drift" if self.model.evidence.order else "")
        self.order.setText(f"Runs in their order: {said}" if said else "Runs in their order")
        self.order.setToolTip("\n".join(map(order_words, self.model.evidence.order)))
        self.order_sheet.setVisible(any(s.counted for s in self.model.driven))

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        """In a low window lanes go before the order of runs, unless it was asked for."""
        super().resizeEvent(event)
        if not self._asked:
            self.drawn.setChecked(self.height() >= theme.scaled(ROOM_FOR_BOTH_PX))
            self.order_chart.setVisible(self.drawn.isChecked())

    def _draw_order(self) -> None:
        self._asked = True
        self.order_chart.setVisible(self.drawn.isChecked())

    def _selected(self, _id: int) -> None:
        self.chart.draw(anew=False)
        self.chart.show_selected()
        self.order_chart.draw()

    def _show_aside(self) -> None:
        """What can be done about contenders that are not timed any more."""
        aside = self.chart.lanes.aside
        self.fold.setVisible(aside > 0)
        self.fold.setText(f"Show {aside} set aside" if self.chart.folded else f"Fold {aside} set aside")
        s, last = self.model.summary, {d.contender_id: d for d in self.model.evidence.decisions}
        decided = last.get(s.contender.contender_id) if s is not None else None
        kept = decided is not None and decided.kind == KEPT
        self.back.setVisible(kept or bool(s and s.left_out))
        self.back.setText("Leave it out again" if kept else "Bring back")
        self.back.setToolTip(
            "It is timed in further rounds because you asked for it"
            if kept
            else f"Time it in further rounds all the same. {left_out_words(s, self.model.evidence) if s else ''}"
        )

    def _fold(self) -> None:
        self.chart.folded = not self.chart.folded
        self.chart.draw(anew=False)

    def _bring_back(self) -> None:
        s = self.model.summary
        if s:
            self.model.keep_timing(s.contender.contender_id, bool(s.left_out))

    def _say_in_order(self, x: InOrder) -> None:
        who = self.model.evidence.label(x.run.contender_id)
        self.hover.setText(
            f"{who}, {run_said(x.run)}; {100 * x.beside:+.1f} % beside its usual time".replace("-", "−")
        )

    def _go_on(self) -> None:
        if self.now.waiting is not None:
            self.now.waiting.go_on()
            self.now.go_on.hide()

    def follow_live(self, update: TimingUpdate | None) -> None:
        """Show the current run, or that there is none."""
        self.chart.show_live(update if self.isVisible() else None)
        # What nobody sees is not set: this happens while that run is timed.
        self._live = update
        if update is not None and self.isVisible():
            self.now.show_run(update)

    def showEvent(self, event: QShowEvent | None) -> None:
        """What goes on is shown at once."""
        super().showEvent(event)
        if self._live is not None:
            self.follow_live(self._live)
