"""Verdict: the sentence, time against size, the ranking, and the limits that decide."""

from dataclasses import replace

import pyqtgraph as pg
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QColor
from PyQt6.QtWidgets import QCheckBox, QDoubleSpinBox, QVBoxLayout, QWidget

from ovrik.desk import marks, theme
from ovrik.desk.model import DeskModel
from ovrik.desk.stations.pair_line import PairLine
from ovrik.desk.widgets.chart import Chart, words
from ovrik.desk.widgets.chart_labels import Labels
from ovrik.desk.widgets.flow import Flow, together
from ovrik.desk.widgets.intervals import IntervalColumn
from ovrik.desk.widgets.table import Cell, Table
from ovrik.desk.widgets.text import UpTo, label, sheet
from ovrik.report.as_text import losses_of
from ovrik.report.words import (
    answer_words,
    assumed_words,
    how_timed,
    near_words,
    number,
    own_time_words,
    payoff_words,
    quality_words,
    rates_words,
    ratio_words,
    saved_words,
    size_words,
    spread_formula,
    spread_words,
    state_words,
    together_words,
    usual_words,
)
from ovrik.study.limits import Limits
from ovrik.work.evidence import Evidence, Summary
from ovrik.work.rivals import left_words

LIMITS = (
    ("vmaf_mean", "VMAF mean ≥", 0.0, 100.0, 93.0),
    ("vmaf_p5", "VMAF 5 % ≥", 0.0, 100.0, 85.0),
    ("megabytes_per_minute", "MB a minute ≤", 0.1, 100_000.0, 60.0),
)
HEADINGS = ("Contender", "Time, spread", "", "Speed (95 %)", "Time", "Answer", "Size", "VMAF", "Verdict")
INTERVALS, MOST_LINES = 2, 3


class VerdictStation(QWidget):
    """Everything the decision rests on, on one page."""

    def __init__(self, model: DeskModel) -> None:
        super().__init__()
        self.model = model
        self.sentence = label("", "sentence", wrap=True, copy=True)
        self.why_not = label("", wrap=True, copy=True)
        self.caveat = label("", "soft", wrap=True)
        self._shown: tuple[object, ...] = ()
        self._drawn: tuple[object, ...] = ()
        self.limit_fields: dict[str, tuple[QCheckBox, QDoubleSpinBox]] = {}
        self.chart = Chart("Time against size", "", "size, MB")
        self.chart.setMouseEnabled(x=False, y=False)
        self.labels = Labels(self.chart)
        self.table = Table(HEADINGS, "Ranking against the baseline", last_fills=True)
        self.intervals = IntervalColumn(self.table)
        self.table.setItemDelegateForColumn(INTERVALS, self.intervals)
        self.table.itemSelectionChanged.connect(lambda: model.select(self.table.chosen))
        self._lay_out()
        model.evidence_changed.connect(self.follow)
        model.selected.connect(self._selected)
        self.follow()

    def _lay_out(self) -> None:
        column = QVBoxLayout(self)
        column.setContentsMargins(16, 14, 16, 12)
        column.setSpacing(12)
        frame, inner = sheet(14, 6)
        inner.addWidget(self.sentence)
        self.said = UpTo(MOST_LINES, self.why_not, self.caveat)
        inner.addWidget(self.said)
        inner.addLayout(self._limits())
        column.addWidget(frame)
        frame, inner = sheet()
        axes = label("Time against size: usual time in seconds across, MB up", "head")
        inner.addLayout(Flow().add(axes, None, label("VMAF at each mark; hollow: not acceptable", "soft")))
        self.chart.setMinimumHeight(theme.scaled(100))
        inner.addWidget(self.chart, 1)
        column.addWidget(frame, 1)
        frame, inner = sheet()
        self.together, self.band = label("", "soft", elide=True), QDoubleSpinBox()
        self.band.setRange(0.0, 20.0)
        self.band.setDecimals(1)
        self.band.setSuffix(" %")
        self.band.setButtonSymbols(QDoubleSpinBox.ButtonSymbols.NoButtons)
        self.band.setKeyboardTracking(False)
        self.band.setAccessibleName("Tie band")
        self.band.setToolTip("It is a tie when the whole interval lies this close to 1")
        self.band.valueChanged.connect(lambda v: self.model.set_tie_band(v / 100))
        ranking = label("Ranking against the baseline", "head")
        inner.addLayout(Flow().add(ranking, label("tie within ±", "soft"), self.band, self.together))
        self.pair = PairLine(self.model)
        inner.addWidget(self.table, 1)
        inner.addWidget(self.pair)
        column.addWidget(frame)

    def _limits(self) -> Flow:
        row = Flow(10).add(label("Acceptable means", "head"))
        for name, text, low, high, usual in LIMITS:
            tick, field = QCheckBox(text), QDoubleSpinBox()
            field.setRange(low, high)
            field.setDecimals(1)
            field.setButtonSymbols(QDoubleSpinBox.ButtonSymbols.NoButtons)
            field.setValue(usual)
            field.setKeyboardTracking(False)
            field.setAccessibleName(text)
            field.setMinimumWidth(theme.scaled(76))
            tick.toggled.connect(field.setEnabled)
            tick.clicked.connect(self._changed)
            field.valueChanged.connect(self._changed)
            self.limit_fields[name] = (tick, field)
            row.addWidget(together(tick, field))
        self.plays = QCheckBox("plays in real time here")
        self.plays.setToolTip("Each output is played once it is checked: full size, one stream, three times")
        self.plays.clicked.connect(self._changed)
        row.addWidget(self.plays)
        self.unseen = QCheckBox("can't be told from the reference")
        self.unseen.setToolTip("In a blind comparison with the reference itself, by whoever looked: Scrutiny")
        self.unseen.clicked.connect(self._changed)
        row.addWidget(self.unseen)
        return row

    def _changed(self) -> None:
        values = {
            name: field.value() if tick.isChecked() else None
            for name, (tick, field) in self.limit_fields.items()
        }
        asked = Limits(plays=self.plays.isChecked(), unseen=self.unseen.isChecked())
        self.model.set_limits(replace(asked, **values))  # type: ignore[arg-type]

    def follow(self) -> None:
        """Take in what is new."""
        e = self.model.evidence
        if e.stamp == self._shown:
            return
        self._shown = e.stamp
        self.sentence.setText(e.verdict.lead)
        self.why_not.setText(e.verdict.why_not)
        self.why_not.setVisible(bool(e.verdict.why_not))
        self.band.blockSignals(True)
        self.band.setValue(100 * e.facts.tie_band)
        self.band.blockSignals(False)
        self.together.setText(together_words(e.comparisons, e.facts.conduct.looks))
        self.caveat.setText(_caveats(e))
        self.caveat.setVisible(bool(self.caveat.text()))
        self.said.fit()
        for name, (tick, field) in self.limit_fields.items():
            value = getattr(e.facts.limits, name)
            for part in (tick, field):
                part.blockSignals(True)
            tick.setChecked(value is not None)
            field.setEnabled(value is not None)
            if value is not None:
                field.setValue(value)
            for part in (tick, field):
                part.blockSignals(False)
        for box, wanted in ((self.plays, e.facts.limits.plays), (self.unseen, e.facts.limits.unseen)):
            box.blockSignals(True)
            box.setChecked(wanted)
            box.blockSignals(False)
        seen = tuple((s.contender, s.times, s.bytes, s.acceptable, s.vmaf) for s in _on_chart(e))
        drawn = (e.facts, self.model.selection, seen)
        if drawn != self._drawn:
            self._draw_chart(e)
        self._drawn = drawn
        ranked = sorted(e.summaries, key=lambda s: s.usual_s or float("inf"))
        self.intervals.show([(s.contender.id, s.ratio) for s in ranked], e.facts.tie_band)
        self.table.fill(
            [_cells(s, e) for s in ranked], [s.contender.id for s in ranked], self.model.selection
        )
        self.table.first_gives_way(118)
        self.table.fit(5)

    def _selected(self, chosen: int) -> None:
        blocked = self.table.blockSignals(True)
        self.table.choose(chosen)
        self.table.blockSignals(blocked)
        self._draw_chart(self.model.evidence)

    def _draw_chart(self, e: Evidence) -> None:
        self.chart.clear()
        self.labels.clear()
        shown = _on_chart(e)
        if not shown:
            self.chart.addItem(words("Nothing has been timed yet", "soft", 11, anchor=(0.5, 0.5)))
            return
        widest = max(s.usual_s or 0 for s in shown) * 1.18
        tallest = max((s.bytes or 0) / 1e6 for s in shown) * 1.2
        ceiling = self._ceiling(e)
        if ceiling is not None:
            line = pg.mkPen(theme.tones().trouble, width=1.2, style=Qt.PenStyle.DashLine)
            self.chart.addItem(pg.InfiniteLine(ceiling, angle=0, pen=line))
            self.labels.add_fixed(words("size ceiling", "trouble", 9), widest, ceiling)
        self.chart.setXRange(-0.01 * widest, widest, padding=0)
        self.chart.setYRange(0, tallest, padding=0)
        # The first texts get a place; those that matter least give way.
        named = (self.model.selection, e.facts.baseline_id)
        shown.sort(key=lambda s: (s.contender.id not in named, s.acceptable is not True))
        for s in shown:
            self._draw_whisker(s)
        # One item holds every mark: an item for each takes most of the time that the chart takes.
        spots = pg.ScatterPlotItem(
            spots=[self._mark(s) for s in shown],
            hoverable=True,
            tip=lambda x, y, data: f"{data.contender.label}: {x:.2f} s, {y:.2f} MB",
        )
        spots.sigClicked.connect(lambda _i, points, _e=None: self.model.select(points[0].data().contender.id))
        self.chart.addItem(spots)
        self.labels.place()

    @staticmethod
    def _ceiling(e: Evidence) -> float | None:
        per_minute = e.facts.limits.megabytes_per_minute
        if per_minute is None:
            return None
        return per_minute * e.facts.excerpt.frames / float(e.programme.rate) / 60

    def _mark(self, s: Summary) -> dict[str, object]:
        cid = s.contender.id
        return {
            "pos": (s.usual_s or 0.0, (s.bytes or 0) / 1e6),
            "symbol": marks.shape(cid),
            "size": 19 if cid == self.model.selection else 14,
            "brush": marks.colour(cid) if s.acceptable else QColor(theme.tones().sheet),
            "pen": marks.pen(cid, 2.2),
            "data": s,
        }

    def _draw_whisker(self, s: Summary) -> None:
        cid, x, y = s.contender.id, s.usual_s or 0.0, (s.bytes or 0) / 1e6
        times = s.times
        self.chart.addItem(pg.PlotCurveItem([min(times), max(times)], [y, y], pen=marks.pen(cid, 2)))
        chosen = cid == self.model.selection
        quality = f"VMAF {quality_words(s.vmaf.mean, 1, s.sampled)}" if s.vmaf else "not scored"
        said = words(f"{s.contender.label}, {quality}", points=9, weight=700 if chosen else 500)
        said.setColor(marks.colour(cid))
        self.labels.add(said, x, y, (min(times), max(times)), first=chosen)


def _on_chart(e: Evidence) -> list[Summary]:
    return [s for s in e.summaries if s.usual_s and s.bytes]


def _caveats(e: Evidence) -> str:
    out = []
    if e.machines:
        said = "; ".join(e.machines[:3])
        out.append(
            f"Runs were made on machines, or states of one, that differ ({said}): "
            "ratios compare within rounds, so they hold; the times themselves do not."
        )
    out += [words for words in (near_words(e), assumed_words(e)) if words]
    out += [f"{words[:1].upper()}{words[1:]}." for words in losses_of(e)]
    mixed = [s for s in e.summaries if s.counted and s.apart.warning]
    if mixed:
        out.append(
            f"≠ marks the {len(mixed)} that differ from the baseline in more than one thing: their "
            "times have no single cause."
        )
    out += [f"{s.contender.label}: {payoff_words(s.payoff)}." for s in e.summaries if s.payoff]
    moved = [o.words for o in e.order if o.trend.clear]
    if moved:
        out.append(f"Times changed with the order of runs: {'; '.join(moved)}.")
    if e.set_aside:
        out.append(f"{e.set_aside} runs of another excerpt or clip are on file and don't count.")
    if not e.facts.limits.any_set:
        out.append("No limits are set: anything that conforms is acceptable.")
    return " ".join(out)


def _rates(s: Summary, e: Evidence) -> str:
    return rates_words(s.usual_s, e.facts.excerpt.frames, float(e.programme.rate))


OK = {"choice": "✓ choice", "tie": "✓ ties", "slower": "✓ slower", "unsure": "✓ open"}


def _standing(s: Summary) -> str:
    """How a contender stands against the choice, and why it is not timed any more."""
    if s.gain is None or not s.standing:
        return ""
    most = "the choice" if s.standing == "choice" else left_words(s.gain, "the choice")
    return f"{most} (95 %, all together)" + (f"; left out: {s.left_out}" if s.left_out else "")


def _cells(s: Summary, e: Evidence) -> list[Cell]:
    won = s.standing in ("choice", "tie")
    state = state_words(s)
    why = "; ".join(s.reasons)
    return [
        Cell(s.contender.label, bold=True, mark=s.contender.id),
        Cell(
            f"{own_time_words(s)} s  {spread_words(s)}" if s.usual_s else "–",
            f"{usual_words(s)}; {_rates(s, e)}\n{spread_formula(s)}\n{how_timed(s)}".strip(),
            "trouble" if s.erratic else "",
            right=True,
            bold=True,
        ),
        Cell(""),
        Cell(ratio_words(s.ratio), "T of the baseline / T, of the usual times", right=True),
        Cell(
            saved_words(s.ratio).removesuffix(" time"),
            "1 − 1 / speed = 1 − T / T of the baseline",
            right=True,
        ),
        Cell(answer_words(s) + (f" ≠{len(s.apart.differ)}" if s.apart.warning else ""), s.apart.warning),
        Cell(size_words(s.bytes), f"{number(s.mb_per_minute, 1)} MB a minute", right=True),
        Cell(
            quality_words(s.vmaf.mean if s.vmaf else None, 1, s.sampled),
            f"5th percentile {number(s.vmaf.p5 if s.vmaf else None, 1)}",
            right=True,
        ),
        Cell(
            OK[s.standing] if s.acceptable and s.standing else "✕ no" if s.counted and why else state,
            why or _standing(s),
            "act" if won else "trouble" if why else "",
        ),
    ]
