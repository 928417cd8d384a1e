"""Timing: a lane for every contender, finished runs as marks, the present run growing."""

from dataclasses import replace
from typing import Any

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QCheckBox, QComboBox, QHBoxLayout, QProgressBar, QSpinBox, QVBoxLayout, QWidget

from ovrik.desk.model.study import DeskModel
from ovrik.desk.stations.timing.how_long import UNTIL, how, until_words
from ovrik.desk.stations.timing.lanes import Lanes
from ovrik.desk.stations.timing.traces import Traces
from ovrik.desk.style import theme
from ovrik.desk.widgets.flow import Flow, together
from ovrik.desk.widgets.pages import PagedStation, PageEntry
from ovrik.desk.widgets.text import LiveText, button, label, scrolling, sheet
from ovrik.machine.workstation.readiness import Finding
from ovrik.report.words.numbers import left_out_words
from ovrik.report.words.phrases import left_words, seconds_words
from ovrik.report.words.progress import order_words, rest_words, waiting_words, where_words
from ovrik.store.records.decision import KEPT
from ovrik.work.timing.fairness import Waiting
from ovrik.work.timing.series import TimingUpdate

HERE = __package__
PAGES = (
    PageEntry("runs", "Runs", "One row for each run", f"{HERE}.runs_page.RunsPage"),
    PageEntry("traces", "Traces", "Load, clocks and temperatures during the runs", f"{HERE}.traces.Traces"),
    PageEntry(
        "explained",
        "Where the time goes",
        "Parts of the export, fixed cost, and the whole programme",
        f"{HERE}.explained.Explained",
    ),
    PageEntry(
        "first",
        "First",
        "What comes before an export, timed and ranked by itself",
        f"{HERE}.first_page.FirstPage",
    ),
    PageEntry(
        "outside",
        "Outside",
        "Exports of other programs, timed by watching their files",
        f"{HERE}.outside_panel.OutsidePanel",
        scrolls=True,
    ),
    PageEntry(
        "playback",
        "Playback",
        "Whether it plays in real time here, and how many streams at once",
        f"{HERE}.playback_page.PlaybackPage",
    ),
    PageEntry("conduct", "Conditions", "How runs are made", f"{HERE}.conduct_form.ConductForm", scrolls=True),
)


class TimingStation(PagedStation):
    """Controls and the live figures above, the lanes between, the selected one's runs below."""

    start_wanted = pyqtSignal(list, int, bool, bool)
    explain_wanted = pyqtSignal(str, int)
    first_wanted = pyqtSignal(int)
    play_wanted = pyqtSignal(str, int)
    stop_wanted = pyqtSignal()

    def __init__(self, model: DeskModel) -> None:
        super().__init__()
        self.model = model
        self._busy = (False, False)
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
        row = self.rows_of(PAGES)
        row.row.addWidget(self.runs_head)
        row.turned.connect(self._page_turned)
        self.runs.chosen.connect(self._run_chosen)
        self.runs.over_wanted.connect(lambda run: self.traces.toggle_over(run))
        column.addWidget(row)
        return frame

    def meet(self, page: Any) -> None:
        """A page was made."""
        super().meet(page)
        if hasattr(page, "set_busy"):
            page.set_busy(*self._busy)
        if isinstance(page, Traces):
            page.laid_over.connect(lambda: self.runs.lay_over(page.over))
            page.show_run(self.runs.run_id)

    def _page_turned(self, _number: int) -> None:
        self.runs_head.setVisible(self.page_key not in ("conduct", "first"))
        self._draw_page()

    def _draw_page(self) -> None:
        shown = self.page(self.page_key)
        if hasattr(shown, "draw"):
            shown.draw()

    def _run_chosen(self, run_id: int) -> None:
        self.pages.tell("show_run", run_id)
        if self.page_key == "explained":
            self.explained.draw()

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
        self._busy = (busy, locked)
        self.pages.tell("set_busy", busy, locked)

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
        self.runs_head.setText(chosen.contender.label if chosen else "")
        self.runs.show_runs(keep=not _id)

    def _go_on(self) -> None:
        if self._waiting is not None:
            self._waiting.go_on()
            self.go_on.hide()

    def follow_live(self, update: TimingUpdate | None) -> None:
        """Show the current run, or that there is none."""
        self.pages.tell("follow_live", update)
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
