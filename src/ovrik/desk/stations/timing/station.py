"""Timing: what is timed in one line, and page by page what came of it."""

from dataclasses import replace
from typing import Any

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QCheckBox, QComboBox, QSpinBox, QVBoxLayout, QWidget

from ovrik.desk.model.study import DeskModel
from ovrik.desk.stations.timing.how_long import UNTIL, how, until_words
from ovrik.desk.stations.timing.traces import Traces
from ovrik.desk.style import theme
from ovrik.desk.widgets.flow import Flow, together
from ovrik.desk.widgets.pages import MARGINS, PagedStation, PageEntry
from ovrik.desk.widgets.text import button, label
from ovrik.machine.workstation.readiness import Finding
from ovrik.report.words.phrases import seconds_words
from ovrik.work.timing.series import TimingUpdate

HERE = __package__
PAGES = (
    PageEntry(
        "lanes",
        "Rounds",
        "A lane for each contender, the run in hand, and the runs in their order",
        f"{HERE}.rounds_page.RoundsPage",
    ),
    PageEntry(
        "runs",
        "Runs",
        "The selected contender's, one row for each",
        f"{HERE}.runs_page.RunsPage",
        framed=True,
    ),
    PageEntry(
        "explained",
        "Where the time goes",
        "Parts of the export, fixed cost, and the whole programme",
        f"{HERE}.explained.Explained",
        framed=True,
    ),
    PageEntry(
        "traces",
        "Traces",
        "Load, clocks and temperatures during the runs",
        f"{HERE}.traces.Traces",
        framed=True,
    ),
    PageEntry(
        "first",
        "What comes first",
        "What is made before an export, timed and ranked by itself",
        f"{HERE}.first_page.FirstPage",
        framed=True,
    ),
    PageEntry(
        "outside",
        "Other programs",
        "Exports of other programs, timed by watching their files",
        f"{HERE}.outside_panel.OutsidePanel",
        scrolls=True,
        framed=True,
    ),
    PageEntry(
        "playback",
        "Playback",
        "Whether it plays in real time here, and how many streams at once",
        f"{HERE}.playback_page.PlaybackPage",
        framed=True,
    ),
    PageEntry(
        "conduct",
        "Conditions",
        "How runs are made",
        f"{HERE}.conduct_form.ConductForm",
        scrolls=True,
        framed=True,
    ),
)


class TimingStation(PagedStation):
    """One row of pages, one line of what is timed, and the page with the whole height."""

    start_wanted = pyqtSignal(list, int, bool, bool)
    explain_wanted = pyqtSignal(str, int)
    first_wanted = pyqtSignal(int)
    play_wanted = pyqtSignal(str, int)
    stop_wanted = pyqtSignal()

    def __init__(self, model: DeskModel) -> None:
        super().__init__()
        self.model = model
        self._busy = (False, False)
        self._make_controls()
        column = QVBoxLayout(self)
        column.setContentsMargins(*MARGINS)
        pages = self.rows_of(PAGES)
        pages.between.addWidget(self._controls())
        column.addWidget(pages)
        pages.turned.connect(lambda _n: self._draw_page())
        self.runs.chosen.connect(self._run_chosen)
        self.runs.over_wanted.connect(lambda run: self.traces.toggle_over(run))
        model.evidence_changed.connect(self.follow)
        model.selected.connect(self.follow_selection)
        model.live.connect(self.follow_live)
        self.follow()

    def _make_controls(self) -> None:
        self.who, self.how = QComboBox(), QComboBox()
        self.who.addItems(["every contender", "selected and baseline", "selected only"])
        self.who.setAccessibleName("What is timed")
        for words, conduct in UNTIL:
            self.how.addItem(words, conduct)
        self.how.setAccessibleName("How long")
        self.how.activated.connect(lambda _i: self._choose_how())
        self.rounds, self.more = QSpinBox(), label("more")
        self.rounds.setRange(1, 100)
        self.rounds.setButtonSymbols(QSpinBox.ButtonSymbols.NoButtons)
        self.rounds.setFixedWidth(theme.scaled(48))
        self.rounds.setValue(3)
        self.rounds.setAccessibleName("Rounds")
        self.score, self.every_excerpt = QCheckBox("check outputs"), QCheckBox("all footage")
        self.score.setToolTip("Check the outputs after the last round")
        self.score.setChecked(True)
        self.every_excerpt.setToolTip(
            "Every kind of footage that is kept by name, all shuffled together in the same rounds"
        )
        self.every_excerpt.toggled.connect(lambda _on: self._show_plan())
        self.start = button("Time now", self._start, "main", "Begin the rounds", "Ctrl+R")
        self.stop = button(
            "Stop", self.stop_wanted.emit, "stop", "End the current run; finished runs are kept (Ctrl+.)"
        )
        self.stop.hide()
        self.stop.setEnabled(False)
        self.who.activated.connect(lambda _i: self._show_plan())
        self.rounds.valueChanged.connect(lambda _v: self._show_plan())

    def _controls(self) -> QWidget:
        made, column = QWidget(), QVBoxLayout()
        made.setObjectName("bar")
        made.setLayout(column)
        column.setContentsMargins(0, 2, 0, 2)
        column.setSpacing(4)
        parts = (self.who, self.how, together(self.rounds, self.more), self.every_excerpt, self.score)
        column.addLayout(Flow(8).add(*parts, None, together(self.stop, self.start)))
        self.ready = label("", "warning", wrap=True)
        self.ready.hide()
        column.addWidget(self.ready)
        return made

    def meet(self, page: Any) -> None:
        """A page was made."""
        super().meet(page)
        if hasattr(page, "set_busy"):
            page.set_busy(*self._busy)
        if isinstance(page, Traces):
            page.laid_over.connect(lambda: self.runs.lay_over(page.over))
            page.show_run(self.runs.run_id)

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
        if conduct.until_decided:
            self._say(counted, until_words(self.model, sum(known) if len(known) == len(ids) else None))
            return
        runs = times * len(ids) * (self.rounds.value() + e.facts.warmup)
        usual = sum(known) / len(known) * runs if known else None
        warm = f"{e.facts.warmup} warm-up" if e.facts.warmup else "no warm-up"
        took = f", about {seconds_words(usual)}" if usual else ""
        self._say(
            counted,
            f"This makes {runs} more runs ({warm}, then "
            f"{self.rounds.value()} shuffled rounds "
            f"of {len(ids)} contenders{' on each excerpt' if times > 1 else ''}){took}.",
        )

    def _say(self, counted: int, plan: str) -> None:
        self.lanes.now.show_plan(f"{counted} counted runs on file", plan)

    def _choose_how(self) -> None:
        until, decides = self.how.currentData()
        conduct = self.model.evidence.facts.conduct
        self.model.set_conduct(replace(conduct, until_decided=until, decides=decides or conduct.decides))

    def show_findings(self, found: list[Finding]) -> None:
        """Say what could spoil this timing, read just before it."""
        self.ready.setVisible(bool(found))
        self.ready.setText("; ".join(f.what for f in found))
        self.ready.setToolTip("\n".join(f"{f.what}. {f.effect}. {f.remedy}." for f in found))

    def set_busy(self, busy: bool, locked: bool) -> None:
        """Whether something is being timed or checked, and whether nothing may be begun."""
        self.start.setEnabled(not locked)
        self.start.setVisible(not busy)
        self.stop.setVisible(busy)
        self.stop.setEnabled(busy)
        self._busy = (busy, locked)
        self.pages.tell("set_busy", busy, locked)

    def follow(self) -> None:
        """Take in what is new."""
        self.follow_selection()
        if self.start.isEnabled():
            self.follow_live(None)

    def follow_selection(self, _id: int = 0) -> None:
        """Show the selected contender's runs."""
        if _id and self.start.isEnabled():
            self._show_plan()
        self.runs.show_runs(keep=not _id)

    def follow_live(self, update: TimingUpdate | None) -> None:
        """Show the current run, or that there is none."""
        self.pages.tell("follow_live", update)
        if update is None:
            self._show_plan()
