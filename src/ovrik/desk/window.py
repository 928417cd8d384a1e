"""The main window: roster, stations, job strip, and what they set going."""

from collections.abc import Callable
from typing import Any

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QAction, QCloseEvent, QKeySequence
from PyQt6.QtWidgets import (
    QHBoxLayout,
    QMainWindow,
    QMenu,
    QPushButton,
    QStackedWidget,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from ovrik.desk.files import Files
from ovrik.desk.jobs import Job
from ovrik.desk.jobstrip import JobStrip
from ovrik.desk.machine_jobs import MachineJobs
from ovrik.desk.model import DeskModel
from ovrik.desk.pictures import Pictures
from ovrik.desk.roster import Roster
from ovrik.desk.stations.footage import FootageStation
from ovrik.desk.stations.lineup import LineupStation
from ovrik.desk.stations.scrutiny import ScrutinyStation
from ovrik.desk.stations.timing import TimingStation
from ovrik.desk.stations.verdict import VerdictStation
from ovrik.desk.stations.workstation import WorkstationPanel
from ovrik.desk.study_jobs import StudyJobs
from ovrik.desk.welcome import Welcome
from ovrik.desk.widgets.text import button
from ovrik.store.study import Study

STATIONS = ("Footage", "Line-up", "Timing", "Scrutiny", "Verdict")


class MainWindow(QMainWindow):
    """One window, one study."""

    def __init__(self, study: Study | None = None, demo: bool = False) -> None:
        super().__init__()
        self.setWindowTitle("Ovrik")
        self.resize(1280, 800)
        self.setMinimumSize(1100, 700)
        self.job: Job | None = None
        self.small_jobs: set[Job] = set()
        self.model: DeskModel | None = None
        self.pictures = Pictures(self)
        self.files = Files(self)
        self.jobs, self.machine = StudyJobs(self), MachineJobs(self)
        self.strip = JobStrip()
        self.strip.stop_wanted.connect(self.stop_job)
        self.workstation = WorkstationPanel(self.leave_workstation)
        self.workstation.look_wanted.connect(self.machine.look_at_machine)
        self.workstation.probe_wanted.connect(self.machine.probe_machine)
        self.workstation.program_wanted.connect(self.machine.add_program)
        self.workstation.version_wanted.connect(self.machine.fetch_version)
        self._machine_read = False
        self.pages = QStackedWidget()
        self.station_buttons = [self._station_button(n, name) for n, name in enumerate(STATIONS)]
        self.workstation_button = self._station_button(len(STATIONS), "Workstation")
        self.menu_button = self._menu_button()
        self.side = QVBoxLayout()
        self._lay_out()
        if study is None:
            self._show_welcome()
        else:
            self.show_study(study)
            if demo:
                self.jobs.prepare_demo()

    # Layout

    def _station_button(self, number: int, name: str) -> QPushButton:
        made = button(name, lambda: self.go(number), "station", f"{name} station", f"Alt+{number + 1}")
        made.setCheckable(True)
        return made

    def _lay_out(self) -> None:
        bar = QHBoxLayout()
        bar.setContentsMargins(12, 0, 14, 0)
        bar.setSpacing(2)
        for made in self.station_buttons:
            bar.addWidget(made)
        bar.addStretch(1)
        bar.addWidget(self.workstation_button)
        bar.addSpacing(8)
        bar.addWidget(self.menu_button)
        right = QVBoxLayout()
        right.setContentsMargins(0, 0, 0, 0)
        right.setSpacing(0)
        right.addLayout(bar)
        right.addWidget(self.pages, 1)
        foot = QHBoxLayout()
        foot.setContentsMargins(16, 0, 16, 12)
        foot.addWidget(self.strip)
        right.addLayout(foot)
        whole = QHBoxLayout()
        whole.setContentsMargins(0, 0, 0, 0)
        whole.setSpacing(0)
        whole.addLayout(self.side)
        whole.addLayout(right, 1)
        ground = QWidget()
        ground.setObjectName("ground")
        ground.setLayout(whole)
        self.setCentralWidget(ground)

    def _menu_button(self) -> QToolButton:
        made = QToolButton()
        made.setText("Study ▾")
        made.setAccessibleName("Study menu")
        made.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        made.setStyleSheet("QToolButton::menu-indicator { image: none; }")
        made.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        menu = QMenu(made)
        for text, key, act in (
            ("New study from clips or a timeline…", "Ctrl+N", self.files.new_from_source),
            ("New study from a plan…", "", self.files.new_from_plan),
            ("Open study…", "Ctrl+O", self.files.open_study),
            ("", "", None),
            ("Check the outputs now", "Ctrl+E", self.jobs.start_scoring),
            ("Write timeline as…", "", self.files.write_timeline),
            ("Save plan as…", "Ctrl+S", self.files.save_plan),
            ("Write runs as CSV…", "", self.files.write_csv),
            ("Copy the verdict as text", "Ctrl+Shift+C", self.files.copy_verdict),
            ("", "", None),
            ("Quit", "Ctrl+Q", self.close),
        ):
            if act is None:
                menu.addSeparator()
                continue
            action = QAction(text, self)
            action.setShortcut(QKeySequence(key))
            action.triggered.connect(lambda _checked=False, act=act: act())
            menu.addAction(action)
            self.addAction(action)
        made.setMenu(menu)
        return made

    # The study on show

    def _clear(self) -> None:
        while self.pages.count():
            page = self.pages.widget(0)
            self.pages.removeWidget(page)
            if page is not self.workstation and page is not None:
                page.deleteLater()
        while self.side.count():
            item = self.side.takeAt(0)
            widget = item.widget() if item else None
            if widget:
                widget.deleteLater()

    def _show_welcome(self) -> None:
        self._clear()
        self.pages.addWidget(
            Welcome(
                self.files.new_from_source,
                self.files.new_from_plan,
                self.files.open_study,
                self.files.open_demo,
            )
        )
        for made in (*self.station_buttons, self.workstation_button):
            made.setEnabled(False)
        self.strip.hide()

    def show_study(self, study: Study) -> None:
        """Show this study in every station; the one shown before is closed."""
        if self.model is not None:
            self.model.study.close()
        self._clear()
        self.model = model = DeskModel(study)
        self.roster = Roster(model)
        self.side.addWidget(self.roster)
        self.footage = FootageStation(model, self.pictures)
        self.footage.source_wanted.connect(self.files.choose_source)
        self.footage.clips_wanted.connect(self.files.find_clips)
        self.footage.timeline_wanted.connect(self.files.write_timeline)
        self.footage.measure_wanted.connect(self.jobs.measure)
        self.footage.still_wanted.connect(self.jobs.make_still)
        self.lineup = LineupStation(model)
        self.lineup.try_wanted.connect(self.jobs.try_line_up)
        self.lineup.grid.wanted.connect(self.jobs.add_contenders)
        self.timing = TimingStation(model)
        self.timing.start_wanted.connect(self.jobs.start_timing)
        self.timing.stop_wanted.connect(self.stop_job)
        self.timing.explain_wanted.connect(self.jobs.explain)
        self.scrutiny = ScrutinyStation(model, self.pictures)
        self.verdict = VerdictStation(model)
        for page in (self.footage, self.lineup, self.timing, self.scrutiny, self.verdict, self.workstation):
            self.pages.addWidget(page)
        for made in (*self.station_buttons, self.workstation_button):
            made.setEnabled(True)
        self.strip.show()
        # Stations that are built anew while something is timed are locked as the old ones were.
        self._set_busy(self.job is not None)
        self.setWindowTitle(f"{model.evidence.facts.title} – Ovrik")
        self.go(0 if not model.evidence.verdict.labels else 4)
        self.roster.list.setFocus()
        self.look_again()
        if study.read_only:
            self.strip.rest(
                f"This study can only be read: nothing can be written in {study.path.parent}. Copy it to "
                f"another folder to change or time it.",
                trouble=True,
            )
        elif not study.thumbnails():
            self.jobs.make_thumbnails()

    def go(self, number: int) -> None:
        """Go to a station by number; 5 is the workstation."""
        if not 0 <= number < self.pages.count():
            return
        self._last_station = self.pages.currentIndex() if number == 5 else number
        self.pages.setCurrentIndex(number)
        for n, made in enumerate((*self.station_buttons, self.workstation_button)):
            made.setChecked(n == number)
        if number == 5 and not self._machine_read:
            self._machine_read = True
            self.machine.look_at_machine()

    def leave_workstation(self) -> None:
        """Back to the station shown before."""
        if self.pages.currentIndex() == 5:
            self.go(min(self._last_station, 4))

    def look_again(self, then: Callable[[], None] = lambda: None) -> None:
        """Read the study anew off this thread, then show it."""
        model = self.model
        if model is None:
            return

        def show(take: Callable[[], None]) -> None:
            if model is self.model:
                take()
            then()

        self.small_job("Reading the study", lambda _job: model.look(), show)

    # Jobs

    def small_job(self, name: str, run: Callable[[Job], Any], done: Callable[[Any], Any]) -> Job:
        """Short work that needs no strip of its own."""
        job = Job(name, run, self)
        self.small_jobs.add(job)
        job.ended.connect(done)
        job.failed.connect(lambda words: self.strip.rest(words, trouble=True))
        job.finished.connect(lambda: self.small_jobs.discard(job))
        return job.start()

    def big_job(self, name: str, run: Callable[[Job], Any], done: Callable[[Any], str]) -> Job | None:
        """Long work, shown in the strip; only one at a time, so that nothing disturbs a timing."""
        if self.job is not None:
            self.strip.words.setText(f"{self.job.name} is still going on; stop it first")
            return None
        job = self.job = Job(name, run, self)
        self.strip.follow(job)
        self._set_busy(True)

        def over(words: str, trouble: bool = False) -> None:
            self.job = None
            self._set_busy(False)
            self.strip.rest(words, trouble)
            self.pictures.forget()
            self.look_again()

        job.ended.connect(lambda result: over(done(result)))
        job.failed.connect(lambda words: over(words, True))
        job.stopped.connect(lambda: over(f"{name}: stopped. What was finished is kept."))
        return job.start()

    def _set_busy(self, busy: bool) -> None:
        if self.model is not None:
            locked = busy or self.model.study.read_only
            self.timing.set_busy(busy, locked)
            self.lineup.setEnabled(not locked)
            self.footage.setEnabled(not locked)
            if not busy:
                self.model.live.emit(None)

    def stop_job(self) -> None:
        """End the job in hand."""
        if self.job:
            self.strip.words.setText("Stopping…")
            self.job.ask_to_stop()

    def dress_anew(self) -> None:
        """Day became night or the reverse: build the stations anew in the new tones."""
        if self.model is None:
            return
        at, selection = self.pages.currentIndex(), self.model.selection
        model, self.model = self.model, None
        self.show_study(model.study)
        self.go(at)
        if self.model is not None:
            self.model.select(selection)

    def closeEvent(self, event: QCloseEvent | None) -> None:
        """Take in what is still being typed, end what is running, keep what is finished, and close."""
        writing = self.focusWidget()
        if writing:
            writing.clearFocus()
        if self.job:
            self.job.ask_to_stop()
            self.job.wait(8)
        for job in list(self.small_jobs):
            job.ask_to_stop()
            job.wait(4)
        self.pictures.close()
        if self.model:
            self.model.study.close()
            self.model = None
        super().closeEvent(event)
