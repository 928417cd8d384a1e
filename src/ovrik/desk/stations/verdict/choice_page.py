"""The choice, the limits that it rests on, and the picture of the trade-off."""

from dataclasses import replace

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QCheckBox, QComboBox, QVBoxLayout, QWidget

from ovrik.desk.model.size_measures import QUALITY, SIZE, SIZE_MEASURES, TIME
from ovrik.desk.model.study import DeskModel
from ovrik.desk.model.tradeoff import VIEWS, LimitLine, TradeoffPoint, dragged, quality_of, trade_off
from ovrik.desk.stations.verdict.choice_panel import ChoicePanel
from ovrik.desk.stations.verdict.limits_row import LimitsRow
from ovrik.desk.stations.verdict.tradeoff_chart import ZOOM, TradeOffChart
from ovrik.desk.style import theme
from ovrik.desk.widgets.flow import Flow, together
from ovrik.desk.widgets.text import button, label, sheet
from ovrik.report.words.choice import choice_of
from ovrik.study.question.limit_kinds import LIMIT_KINDS
from ovrik.study.question.limits import Limits
from ovrik.study.question.worth import Worth
from ovrik.work.answers.equal_curves import EqualCurve, equal_curves

NAMES = {TIME: "time", SIZE: "size", QUALITY: "quality"}
HINT = "drag a limit, or across to zoom; arrow keys go from mark to mark; hollow: not acceptable"
UNBOUND_PX = (1 << 24) - 1
"""QWIDGETSIZE_MAX."""
DOTTED = "; dotted: simulated"


class ChoicePage(QWidget):
    """Follows the model, and its limits while they are dragged. Signal: `more_wanted` for all the reasons."""

    more_wanted = pyqtSignal()

    def __init__(self, model: DeskModel) -> None:
        super().__init__()
        self.model = model
        self.panel, self.limits, self.chart = ChoicePanel(), LimitsRow(), TradeOffChart()
        self.panel.more_wanted.connect(self.more_wanted)
        self.limits.changed.connect(model.set_limits)
        self.view, self.measure, self.quality, self.aim = (QComboBox() for _each in range(4))
        for one in VIEWS:
            self.view.addItem(f"{NAMES[one[0]]} across, {NAMES[one[1]]} up".capitalize(), one)
        self.view.setAccessibleName("What lies across and up")
        for key, one_measure in SIZE_MEASURES.items():
            self.measure.addItem(f"size: {one_measure.name}", key)
        self.measure.setAccessibleName("What size is measured by")
        self.curves = QCheckBox("curves")
        self.curves.setToolTip(
            "Settings of one recipe joined by a line; small hollow marks: encodes of a search"
        )
        self.curves.setChecked(True)
        self.quality.setAccessibleName("Which quality is shown")
        self.aim.setAccessibleName("What counts as fastest")
        self.aim.addItem("fastest to file", False)
        self.aim.addItem("fastest to delivered", True)
        self.log = QCheckBox("log")
        self.log.setToolTip("Time and size on logarithmic axes")
        self.said = label(HINT, "soft", wrap=True)
        self.said.setMinimumHeight(self.said.fontMetrics().lineSpacing())
        for box, letters in ((self.measure, 9), (self.quality, 16)):
            box.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
            box.setMinimumContentsLength(letters)
        self._quality, self._unscored = "", False
        self._stamp: object = None
        self._log: bool | None = None
        self._lay_out()
        self._connect()
        self.follow()

    def _lay_out(self) -> None:
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(10)
        frame, inner = sheet(12, 8)
        inner.addWidget(self.panel)
        for box in (self.limits.more, self.limits.ready):
            self.panel.top.addWidget(box, 0, Qt.AlignmentFlag.AlignTop)
        inner.addWidget(self.limits)
        column.addWidget(frame)
        self.head = frame
        frame, inner = sheet(10, 6)
        bar = QWidget()
        bar.setObjectName("bar")
        row = Flow(6).add(
            self.view,
            self.measure,
            self.quality,
            self.aim,
            self.log,
            self.curves,
            None,
            together(
                button("+", lambda: self.chart.zoom(ZOOM), hint="Nearer"),
                button("−", lambda: self.chart.zoom(1 / ZOOM), hint="Farther"),
                button("All", self.chart.show_all, hint="Show everything"),
            ),
        )
        bar.setLayout(row)
        inner.addWidget(bar)
        self.chart.setMinimumHeight(theme.scaled(128))
        inner.addWidget(self.chart, 1)
        inner.addWidget(self.said)
        column.addWidget(frame, 1)

    def _connect(self) -> None:
        for box in (self.view, self.measure):
            box.activated.connect(lambda _n: self.draw())
        self.curves.clicked.connect(lambda _on: self.draw())
        self.quality.activated.connect(self._chose_quality)
        self.aim.activated.connect(self._aim_at)
        self.log.clicked.connect(self._chose_log)
        self.chart.limit_moved.connect(self._drag)
        self.chart.limit_let_go.connect(self._let_go)
        self.chart.pointed.connect(self._point_at)
        self.chart.chosen.connect(self.model.select)
        self.model.evidence_changed.connect(self.follow)
        self.model.limits_tried.connect(self.follow_limits)
        self.model.selected.connect(self._selected)

    def lock(self, _locked: bool, fixed: bool) -> None:
        """Limits may change while a job runs, but not in a study that can't be written."""
        for part in (self.limits, self.limits.more, self.limits.ready):
            part.setEnabled(not fixed)
        self.aim.setEnabled(not fixed)
        self.chart.let_limits_move(not fixed)

    # What is shown

    def follow(self) -> None:
        """Take in what is new."""
        e = self.model.evidence
        if e.stamp == self._stamp:
            return
        self._stamp = e.stamp
        self.aim.setCurrentIndex(int(e.facts.worth.delivered))
        self._fill_qualities()
        self._say()
        self.draw()

    def follow_limits(self) -> None:
        """The limits have moved, and nothing else."""
        self._stamp = None
        self._say()
        if self.chart.shown is not None:
            self.chart.follow_limits(self.chart.shown.with_verdict(self.model.evidence), self._held)

    _held = ""

    def _say(self) -> None:
        e = self.model.evidence
        choice = choice_of(e)
        self.panel.show_choice(choice)
        self.limits.show_limits(e.facts.limits, e.fails, choice.if_.deciding)

    def draw(self) -> None:
        """Draw the picture anew."""
        view, e = self.view.currentData(), self.model.evidence
        self.measure.setVisible(SIZE in view)
        shown = trade_off(e, view, self._quality, self._log, self.measure.currentData(), self._curves())
        self._unscored = not shown.points and QUALITY in view
        if self._unscored:  # while outputs are being scored, what is known is shown
            shown = trade_off(e, (TIME, SIZE), self._quality, self._log)
        self.curves.setVisible(bool(shown.curves) or not self.curves.isChecked())
        self.log.blockSignals(True)
        self.log.setChecked(shown.across.log or shown.up.log)
        self.log.blockSignals(False)
        self.chart.show_picture(shown, self.model.selection)
        self._point_at(None)

    def _curves(self) -> list[EqualCurve]:
        """One recipe at several settings, if these are wanted."""
        if not self.curves.isChecked():
            return []
        e = self.model.evidence
        points = self.model.study.search_points(e.programme.checksum, e.facts.excerpt)
        return equal_curves(e, points, self._quality or quality_of(e))

    def _fill_qualities(self) -> None:
        """Every statistic that somebody has."""
        known = [
            key
            for key, kind in LIMIT_KINDS.items()
            if kind.metric and any(key in s.measured.values for s in self.model.evidence.summaries)
        ]
        self.quality.setVisible(bool(known))
        if [self.quality.itemData(n) for n in range(1, self.quality.count())] == known:
            return
        self.quality.clear()
        self.quality.addItem("quality: by the limits", "")
        for key in known:
            self.quality.addItem(f"quality: {LIMIT_KINDS[key].heading}", key)
        self.quality.setCurrentIndex(max(0, self.quality.findData(self._quality)))

    def _chose_quality(self, _at: int) -> None:
        self._quality = self.quality.currentData() or ""
        self.draw()

    def _chose_log(self, wanted: bool) -> None:
        self._log = wanted
        self.draw()

    def _aim_at(self, _at: int) -> None:
        now: Worth = self.model.evidence.facts.worth
        self.model.set_worth(replace(now, delivered=bool(self.aim.currentData())))

    def _point_at(self, point: TradeoffPoint | None) -> None:
        shown = self.chart.shown
        if shown is None:
            return
        rest = f"; {shown.unplaced} timed without a size or a score are not shown" if shown.unplaced else ""
        dotted = DOTTED if any(p.simulated for p in shown.points) else ""
        legend = f"{shown.legend}; " if shown.legend else ""
        if self._unscored and shown.points and not point:
            legend = "nothing has been scored yet: times and sizes so far; "
        self.said.setText(shown.said(point) if point else f"{legend}{HINT}{dotted}{rest}")

    def _selected(self, number: int) -> None:
        self.chart.select(number)

    # Limits in somebody's hand

    def _drag(self, line: LimitLine, to: float) -> None:
        if not self._held:
            # What is said above has another height with each limit: the picture stays where it is under the hand.
            self.head.setFixedHeight(self.head.height())
        self._held = line.kind.key
        self.model.try_limits(self._asked(line, to))

    def _let_go(self, line: LimitLine, to: float) -> None:
        self._held = ""
        self.head.setMinimumHeight(0)
        self.head.setMaximumHeight(UNBOUND_PX)
        self.model.set_limits(self._asked(line, to))

    def _asked(self, line: LimitLine, to: float) -> Limits:
        return dragged(line, to, self.model.evidence.facts.limits)
