"""Timing: a lane for every contender, finished runs as marks, the present run growing."""

from dataclasses import replace
from functools import partial

from PyQt6.QtCore import QEvent, QObject, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import (
    QButtonGroup,
    QCheckBox,
    QComboBox,
    QHBoxLayout,
    QProgressBar,
    QSpinBox,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from ovrik.desk.model.study import DeskModel
from ovrik.desk.stations.timing.by_hand_form import ByHandForm
from ovrik.desk.stations.timing.conduct_form import ConductForm
from ovrik.desk.stations.timing.explained import Explained
from ovrik.desk.stations.timing.how_long import UNTIL, how, until_words
from ovrik.desk.stations.timing.lanes import Lanes
from ovrik.desk.stations.timing.outside_panel import OutsidePanel
from ovrik.desk.stations.timing.playback_page import PlaybackPage
from ovrik.desk.stations.timing.run_rows import RUN_HEADINGS, prepared_cells, run_cells
from ovrik.desk.stations.timing.traces import Traces
from ovrik.desk.style import theme
from ovrik.desk.widgets.flow import Flow, together
from ovrik.desk.widgets.table import DeskTable
from ovrik.desk.widgets.text import LiveText, button, label, scrolling, set_role, sheet
from ovrik.machine.workstation.readiness import Finding
from ovrik.report.words.numbers import left_out_words
from ovrik.report.words.phrases import left_words, seconds_words
from ovrik.report.words.progress import order_words, rest_words, waiting_words, where_words
from ovrik.report.words.reasons import odd_words, on_processor_words
from ovrik.store.records.decision import KEPT
from ovrik.store.records.run import RunRecord
from ovrik.work.timing.fairness import Waiting
from ovrik.work.timing.series import TimingUpdate


class TimingStation(QWidget):
    """Controls and the live figures above, the lanes between, the selected one's runs below."""

    start_wanted = pyqtSignal(list, int, bool, bool)
    explain_wanted = pyqtSignal(str, int)
    play_wanted = pyqtSignal(str, int)
    stop_wanted = pyqtSignal()

    def __init__(self, model: DeskModel) -> None:
        super().__init__()
        self.model = model
        self.who = QComboBox()
        self.who.addItems(["every contender", "selected and baseline", "selected only"])
        self.who.setAccessibleName("What is timed")
        self.how = QComboBox()
        for words, conduct in UNTIL:
            self.how.addItem(words, conduct)
        self.how.setAccessibleName("How long")
        self.how.activated.connect(lambda _i: self._choose_how())
        self.rounds = QSpinBox()
        self.rounds.setRange(1, 100)
        self.rounds.setButtonSymbols(QSpinBox.ButtonSymbols.NoButtons)
        self.rounds.setFixedWidth(theme.scaled(48))
        self.rounds.setValue(3)
        self.rounds.setAccessibleName("Rounds")
        self.score = QCheckBox("then check outputs")
        self.score.setChecked(True)
        self.every_excerpt = QCheckBox("on all footage")
        self.every_excerpt.setToolTip(
            "Every kind of footage that is kept by name, all shuffled together in the same rounds"
        )
        self.every_excerpt.toggled.connect(lambda _on: self._show_plan())
        self.start = button("Time now", self._start, "main", "Begin the rounds", "Ctrl+R")
        self.stop = button(
            "Stop", self.stop_wanted.emit, "stop", "End the current run; finished runs are kept (Ctrl+.)"
        )
        self.stop.setEnabled(False)
        self.go_on = button("Go on now", self._go_on, hint="End this rest: the run says what was not back")
        self.go_on.hide()
        self._waiting: Waiting | None = None
        self.figure, self.doing, self.rates = label("", "title"), LiveText(), LiveText()
        self.percent = LiveText(13, 600, "ink", wide="100 %")
        self.who.activated.connect(lambda _i: self._show_plan())
        self.rounds.valueChanged.connect(lambda _v: self._show_plan())
        self.bar = QProgressBar()
        self.bar.setRange(0, 1000)
        self.bar.setTextVisible(False)
        self.bar.setAccessibleName("Progress of this run")
        self.hover = label("Hover over a mark for details", "soft", elide=True)
        self.hover.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        self.lanes = Lanes(model, self.hover.setText)
        self.runs = DeskTable(RUN_HEADINGS, "Runs of the selected contender", last_fills=True)
        self.runs.itemSelectionChanged.connect(self._run_chosen)
        self.log = label("", "soft", wrap=True, copy=True)
        column = QVBoxLayout(self)
        column.setContentsMargins(16, 14, 16, 12)
        column.setSpacing(12)
        column.addWidget(self._controls())
        column.addWidget(self._lanes_sheet(), 5)
        column.addWidget(self._runs_sheet(), 4)
        model.evidence_changed.connect(self.follow)
        model.selected.connect(self.follow_selection)
        model.live.connect(self.follow_live)
        self.follow()

    def _controls(self) -> QWidget:
        frame, column = sheet()
        self.more = label("more")
        parts = (label("Time"), self.who, self.how, together(self.rounds, self.more))
        column.addLayout(
            Flow(8).add(
                *parts, self.every_excerpt, self.score, None, together(self.go_on, self.stop, self.start)
            )
        )
        live = QHBoxLayout()
        live.setSpacing(14)
        live.addWidget(self.figure)
        live.addWidget(self.percent)
        said = QVBoxLayout()
        said.setSpacing(0)
        said.addWidget(self.doing)
        said.addWidget(self.rates)
        live.addLayout(said, 2)
        live.addWidget(self.bar, 1)
        column.addLayout(live)
        self.ready = label("", "warning", wrap=True)
        self.ready.hide()
        column.addWidget(self.ready)
        return frame

    def _lanes_sheet(self) -> QWidget:
        frame, column = sheet()
        row = QHBoxLayout()
        row.addWidget(label("Lanes", "head"))
        self.back = button("Bring back", self._bring_back)
        self.back.hide()
        row.addWidget(self.back)
        self.order = label("", "soft", elide=True)
        row.addWidget(self.order, 3)
        row.addWidget(self.hover, 2)
        column.addLayout(row)
        column.addWidget(scrolling(self.lanes), 1)
        column.addWidget(self.lanes.ruler)
        return frame

    def _runs_sheet(self) -> QWidget:
        frame, column = sheet()
        self.runs_head = label("Runs", "head", elide=True)
        self.runs_head.setContentsMargins(10, 0, 0, 0)
        self.traces, self.conduct = Traces(self.model), ConductForm(self.model)
        self.explained = Explained(self.model)
        self.outside, self.playback = OutsidePanel(self.model), PlaybackPage(self.model)
        self.playback.wanted.connect(self.play_wanted)
        self.explained.wanted.connect(self.explain_wanted)
        self.traces.laid_over.connect(self.follow_selection)
        self.runs.installEventFilter(self)
        runs = QWidget()
        inner = QVBoxLayout(runs)
        inner.setContentsMargins(0, 0, 0, 0)
        inner.addWidget(self.runs, 1)
        below = QHBoxLayout()
        self.by_hand = ByHandForm(self.model)
        below.addWidget(self.log, 1)
        below.addWidget(self.by_hand)
        inner.addLayout(below)
        row = Flow(4)
        self.pages, self.page_buttons = QStackedWidget(), QButtonGroup(self)
        for n, (name, page, hint) in enumerate(
            (
                ("Runs", runs, "One row for each run"),
                ("Traces", self.traces, "Load, clocks and temperatures during the runs"),
                (
                    "Where the time goes",
                    self.explained,
                    "Parts of the export, fixed cost, and the whole programme",
                ),
                (
                    "Outside",
                    scrolling(self.outside),
                    "Exports of other programs, timed by watching their files",
                ),
                (
                    "Playback",
                    self.playback,
                    "Whether it plays in real time here, and how many streams at once",
                ),
                ("Conditions", scrolling(self.conduct), "How runs are made"),
            )
        ):
            made = button(name, partial(self.show_page, n), hint=hint)
            made.setCheckable(True)
            made.setChecked(n == 0)
            self.page_buttons.addButton(made, n)
            row.addWidget(made)
            self.pages.addWidget(page)
        row.addWidget(self.runs_head)
        column.addLayout(row)
        column.addWidget(self.pages, 1)
        return frame

    def show_page(self, number: int) -> None:
        """Runs, traces, where the time goes, or conditions."""
        self.pages.setCurrentIndex(number)
        chosen = self.page_buttons.button(number)
        if chosen:
            chosen.setChecked(True)
        self.runs_head.setVisible(number != self.pages.count() - 1)
        self._draw_page()

    def _draw_page(self) -> None:
        shown = self.pages.currentWidget()
        if shown in (self.traces, self.explained, self.playback):
            shown.draw()

    def _ids(self) -> list[int]:
        chosen, base = self.model.selection, self.model.evidence.facts.baseline_id or 0
        every = [s.contender.contender_id for s in self.model.driven]
        return (every, [i for i in every if i in (chosen, base)], [i for i in every if i == chosen])[
            self.who.currentIndex()
        ]

    def _start(self) -> None:
        self.start_wanted.emit(
            self._ids(),
            self.rounds.value(),
            self.score.isChecked(),
            self.every_excerpt.isChecked() and self.every_excerpt.isVisible(),
        )

    def _show_plan(self) -> None:
        """What is on file, and what the rounds asked for would take."""
        e, ids = self.model.evidence, self._ids()
        counted = sum(len(s.counted) for s in e.summaries)
        known = [s.usual_s for s in e.summaries if s.contender.contender_id in ids and s.usual_s]
        times = len(e.kinds) if self.every_excerpt.isChecked() and len(e.kinds) > 1 else 1
        self.every_excerpt.setVisible(len(e.kinds) > 1)
        conduct = e.facts.conduct
        self.how.setCurrentIndex(how(conduct))
        for part in (self.rounds, self.more):
            part.setVisible(not conduct.until_decided)
        # To decide the choice every output is checked as soon as it is there.
        self.score.setVisible(how(conduct) != 0)
        self._show_back()
        if conduct.until_decided:
            self.figure.setText(f"{counted} counted runs on file")
            self.doing.setText(until_words(self.model, sum(known) if len(known) == len(ids) else None))
            return
        runs = times * len(ids) * (self.rounds.value() + e.facts.warmup)
        usual = sum(known) / len(known) * runs if known else None
        self.figure.setText(f"{counted} counted runs on file")
        warm = f"{e.facts.warmup} warm-up" if e.facts.warmup else "no warm-up"
        took = f", about {seconds_words(usual)}" if usual else ""
        self.doing.setText(
            f"This makes {runs} more runs ({warm}, then "
            f"{self.rounds.value()} shuffled rounds "
            f"of {len(ids)} contenders{' on each excerpt' if times > 1 else ''}){took}."
        )

    def _choose_how(self) -> None:
        until, decides = self.how.currentData()
        conduct = self.model.evidence.facts.conduct
        self.model.set_conduct(replace(conduct, until_decided=until, decides=decides or conduct.decides))

    def _show_back(self) -> None:
        """What can be done about a contender that is not timed any more."""
        s, last = self.model.summary, {d.contender_id: d for d in self.model.evidence.decisions}
        kept = (
            s is not None and s.contender.contender_id in last and last[s.contender.contender_id].kind == KEPT
        )
        self.back.setVisible(kept or bool(s and s.left_out))
        self.back.setText("Leave it out again" if kept else "Bring back")
        self.back.setToolTip(
            "It is timed in further rounds because you asked for it"
            if kept
            else f"Time it in further rounds all the same. {left_out_words(s, self.model.evidence) if s else ''}"
        )

    def _bring_back(self) -> None:
        s = self.model.summary
        if s:
            self.model.keep_timing(s.contender.contender_id, bool(s.left_out))

    def show_findings(self, found: list[Finding]) -> None:
        """Say what could spoil this timing, read just before it."""
        self.ready.setVisible(bool(found))
        self.ready.setText("; ".join(f.what for f in found))
        self.ready.setToolTip("\n".join(f"{f.what}. {f.effect}. {f.remedy}." for f in found))

    def set_busy(self, busy: bool, locked: bool) -> None:
        """Whether something is being timed or checked, and whether nothing may be begun."""
        self.start.setEnabled(not locked)
        self.stop.setEnabled(busy)
        self.explained.set_busy(locked)
        self.outside.set_busy(busy, locked)
        self.playback.set_busy(locked)
        self.by_hand.setEnabled(not locked)

    def follow(self) -> None:
        """Take in what is new."""
        self.lanes.draw()
        clear = [o for o in self.model.evidence.order if o.trend.clear]
        shown_text = "; ".join(order_words(o) for o in clear) or (
            "no clear drift" if self.model.evidence.order else ""
        )
        self.order.setText(shown_text)
        self.order.setToolTip("\n".join(order_words(o) for o in self.model.evidence.order))
        self.follow_selection()
        if self.start.isEnabled():
            self.follow_live(None)

    def follow_selection(self, _id: int = 0) -> None:
        """Show the selected contender's runs."""
        chosen = self.model.summary
        if _id:
            self.lanes.draw()
            if self.start.isEnabled():
                self._show_plan()
        runs = list(chosen.runs) if chosen else []
        self.runs_head.setText(chosen.contender.label if chosen else "")
        made = list(chosen.prepared) if chosen else []
        cells = [*map(prepared_cells, made), *(run_cells(r, r.id in self.traces.over) for r in runs)]
        # Preparations are no runs: they have negative numbers here, and no log to be shown.
        keys = [*(-n for n in range(1, len(made) + 1)), *(r.id for r in runs)]
        kept = self.runs.chosen if self.runs.chosen in keys and not _id else 0
        self.runs.fill(cells, keys, kept or (runs[-1].id if runs else 0))
        self._run_chosen()

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        """Space in the table of runs lays the chosen one's trace over others."""
        if watched is self.runs and isinstance(event, QKeyEvent) and event.type() == QEvent.Type.KeyPress:
            chosen = self.model.summary
            run = next((r for r in chosen.runs if r.id == self.runs.chosen), None) if chosen else None
            if event.key() == Qt.Key.Key_Space and run is not None:
                self.traces.toggle_over(run)
                return True
        return super().eventFilter(watched, event)

    def _run_chosen(self) -> None:
        chosen = self.model.summary
        run = next((r for r in chosen.runs if r.id == self.runs.chosen), None) if chosen else None
        self.traces.show_run(run.id if run else 0)
        if self.pages.currentWidget() is self.explained:
            self.explained.draw()
        if run is None:
            why = self.model.barred.get(self.model.selection)
            self.log.setText(f"It can't run here: {why}" if why else "No runs yet.")
            set_role(self.log, "trouble" if why else "soft")
            return
        failed = run.state in ("failed", "interrupted")
        set_role(self.log, "trouble" if failed else "soft")
        said = [odd_words(run), on_processor_words(run.on_processor)]
        odd = "".join(f"{words[:1].upper()}{words[1:]}. " for words in said if words)
        self.log.setText(
            f"{run.state}: {run.reason}"
            if run.reason
            else odd + f"{run.started_utc[:19].replace('T', ' ')} UTC, {_ended(run)}"
        )
        self.log.setToolTip("\n".join(run.log[-12:]))

    def _go_on(self) -> None:
        if self._waiting is not None:
            self._waiting.go_on()
            self.go_on.hide()

    def follow_live(self, update: TimingUpdate | None) -> None:
        """Show the current run, or that there is none."""
        self.traces.follow_live(update)
        for part in (self.bar, self.rates, self.percent):
            part.setVisible(update is not None)
        self.figure.setVisible(update is None)
        if update is None:
            self.go_on.hide()
            self._show_plan()
            self.lanes.show_live(None)
            return
        p = update.progress
        share = min(p.frame / update.frames, 1.0) if p else float(bool(update.ended))
        self.bar.setValue(round(1000 * share))
        self.percent.setText(f"{100 * share:.0f} %")
        self.rates.setText(f"frame {p.frame} of {update.frames}: {_rates(update)}" if p else "")
        self.go_on.setVisible(update.waiting is not None)
        self._waiting = update.waiting
        what = update.preparing or f"{update.label}, {where_words(update)}"
        what += f", {waiting_words(update.waiting)}" if update.waiting else ""
        more = f"; {rest_words(update.rest)}" if update.rest else ""
        self.doing.setText(f"{what}, run {update.number} of {update.total}: {left_words(update.left)}{more}")
        self.lanes.show_live(update)


LIVE = (
    ("cpu", "processors {:.0f} %"),
    ("temperature", "{:.0f} °C"),
    ("watts", "{:.0f} W"),
    ("encoder load [%]", "encoder {:.0f} %"),
    ("encoder 1 load [%]", "unit 1 {:.0f} %"),
    ("encoder 2 load [%]", "unit 2 {:.0f} %"),
)


def _rates(update: TimingUpdate) -> str:
    """Frames per second now and on average, and what is at work."""
    p = update.progress
    mean = p.frame / p.at_s if p and p.at_s > 0 else 0.0
    now = f"{update.now['fps']:.0f} fps now, " if "fps" in update.now else ""
    return ", ".join(
        [f"{now}{mean:.0f} on average", *(text.format(update.now[n]) for n, text in LIVE if n in update.now)]
    )


def _ended(r: RunRecord) -> str:
    """How a run ended: its exit code and last words."""
    if r.by_hand:
        return "entered by hand."
    energy = f", {r.joules:.0f} J" if r.joules is not None else ""
    return f"exit code {r.exit_code}{energy}. {r.log[-1][:140] if r.log else ''}"
