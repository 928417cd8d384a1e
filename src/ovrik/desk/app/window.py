"""The main window: roster, stations, job strip, and what they set going."""

from collections.abc import Callable
from pathlib import Path
from typing import Any

from PyQt6.QtCore import QSize, QTimer
from PyQt6.QtGui import QCloseEvent, QDragEnterEvent, QDropEvent, QGuiApplication, QResizeEvent
from PyQt6.QtWidgets import QHBoxLayout, QMainWindow, QPushButton, QStackedWidget, QVBoxLayout, QWidget

from ovrik.desk.app.menus import help_menu, study_menu
from ovrik.desk.app.station_table import STATIONS, Desk, Station
from ovrik.desk.app.welcome import Welcome
from ovrik.desk.dialogs.guide import Guide
from ovrik.desk.dialogs.guide_table import PLACES
from ovrik.desk.files.actions import Files
from ovrik.desk.files.recent import recent, remember_recent
from ovrik.desk.jobs.jobstrip import AT_REST, JobStrip
from ovrik.desk.jobs.machine_jobs import MachineJobs
from ovrik.desk.jobs.open_study import OpenStudy
from ovrik.desk.jobs.runner import Runner
from ovrik.desk.jobs.study_jobs import StudyJobs
from ovrik.desk.model.study import DeskModel
from ovrik.desk.roster.roster import Roster
from ovrik.desk.style import theme
from ovrik.desk.viewing.pictures import Pictures
from ovrik.desk.widgets.text import button, scrolling
from ovrik.store.schema.set_aside import named
from ovrik.store.study import Study

USUAL_SIZE, LEAST_SIZE, TITLE_BAR_PX = (1280, 800), (1000, 620), 36
"""Width and height in pixels, without the frame that the desktop puts round a window."""


IDLE_MS = 400


class Stations(dict[str, Any]):
    """Stations by key, each made when it is first asked for."""

    build: Callable[[str], QWidget]

    def __missing__(self, key: str) -> QWidget:
        self[key] = made = self.build(key)
        return made


class MainWindow(QMainWindow):
    """One window, one study."""

    def __init__(self, study: Study | None = None, demo: bool = False) -> None:
        super().__init__()
        self.setWindowTitle("Ovrik")
        self.setMinimumSize(*LEAST_SIZE)
        self.setAcceptDrops(True)
        self.resize(self._first_size())
        self.runner, self.strip = Runner(self), JobStrip()
        self.pictures = Pictures(self, lambda: self.runner.job is not None)
        self.opened = OpenStudy(self.runner, self)
        self.jobs, self.machine = StudyJobs(self.opened, self), MachineJobs(self.opened, self)
        self.files = Files(self.opened, self.jobs, self)
        self.stations = Stations()
        self._quiet = 0
        self.idle = QTimer(self)
        self.idle.setInterval(IDLE_MS)
        self.idle.timeout.connect(self._build_another)
        self._station = self._before = STATIONS[0].key
        self._connect()
        self.pages = QStackedWidget()
        self.station_buttons = {s.key: self._station_button(n, s) for n, s in enumerate(STATIONS, 1)}
        self.guide = Guide(self, lambda: self.place)
        self.menu_button = study_menu(self, self.files, self.jobs)
        self.help_button = help_menu(self, self.guide)
        self.side = QVBoxLayout()
        self._lay_out()
        if study is None:
            self._show_welcome()
        else:
            self.show_study(study)
            if demo:
                self.jobs.prepare_demo()

    @property
    def model(self) -> DeskModel | None:
        """The study on show, None on the welcome page."""
        return self.opened.model

    def _connect(self) -> None:
        self.strip.stop_wanted.connect(self.runner.stop)
        self.runner.began.connect(self.strip.follow)
        self.runner.said.connect(self.strip.rest)
        self.runner.refused.connect(self.strip.say)
        self.runner.stopping.connect(lambda: self.strip.say("Stopping…"))
        self.runner.busy.connect(self._set_busy)
        self.runner.ended.connect(self._job_over)
        self.opened.wanted.connect(self.show_study)
        self.jobs.timing_began.connect(lambda: self.go("timing"))

    # Layout

    @staticmethod
    def _first_size() -> QSize:
        """The usual size, or what the screen has free under a title bar."""
        screen = QGuiApplication.primaryScreen()
        free = screen.availableGeometry().size() if screen else QSize(*USUAL_SIZE)
        return QSize(*USUAL_SIZE).boundedTo(QSize(free.width(), free.height() - theme.scaled(TITLE_BAR_PX)))

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        """The roster keeps to its share."""
        super().resizeEvent(event)
        if self.model is not None:
            self.roster.fit(self.width())

    def _station_button(self, number: int, station: Station) -> QPushButton:
        made = button(
            station.title,
            lambda: self.go(station.key),
            "station",
            f"{station.title} station",
            f"Alt+{number}",
        )
        made.setCheckable(True)
        return made

    def _lay_out(self) -> None:
        bar = QHBoxLayout()
        bar.setContentsMargins(12, 0, 14, 0)
        bar.setSpacing(2)
        for apart in (False, True):
            for station in STATIONS:
                if station.apart == apart:
                    bar.addWidget(self.station_buttons[station.key])
            if not apart:
                bar.addStretch(1)
        bar.addSpacing(8)
        bar.addWidget(self.menu_button)
        bar.addWidget(self.help_button)
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

    # The study on show

    def _clear(self) -> None:
        self._close_stations()
        while self.pages.count():
            page = self.pages.widget(0)
            self.pages.removeWidget(page)
            if page is not None:
                page.deleteLater()
        self.stations.clear()
        self.idle.stop()
        while self.side.count():
            item = self.side.takeAt(0)
            widget = item.widget() if item else None
            if widget:
                widget.deleteLater()

    def _close_stations(self) -> None:
        """Have those end what they have going on."""
        for page in self.stations.values():
            if hasattr(page, "close_down"):
                page.close_down()

    def _show_welcome(self) -> None:
        self._clear()
        files = self.files
        self.pages.addWidget(
            Welcome(
                files.new_from_source,
                files.new_from_plan,
                files.open_study,
                files.open_demo,
                recent(),
                files.open_path,
            )
        )
        for made in self.station_buttons.values():
            made.setEnabled(False)
        self.strip.hide()

    def show_study(self, study: Study) -> None:
        """Show this study in every station; the one shown before is closed."""
        model = self._show(study)
        remember_recent(study.path)
        self.go("verdict" if model.evidence.choice else "footage")
        self.roster.list.setFocus()
        self.opened.look_again(lambda: self._looked_first(study), first=True)
        if study.read_only:
            self.runner.say(f"This study is read-only: {_why_read_only(study)}.", trouble=True)
            return
        if self.runner.job is None:
            self.runner.say(AT_REST)

    def _looked_first(self, study: Study) -> None:
        if (
            self.model is not None
            and self.model.study is study
            and (len(self.model.evidence.kinds) > 1 or len(self.model.evidence.sittings) > 1)
        ):
            self.opened.look_again()
        self._make_thumbnails(study)

    def _make_thumbnails(self, study: Study) -> None:
        """They come after what the study says, which is read first."""
        shown = self.model is not None and self.model.study is study
        if shown and not study.read_only and not study.thumbnails():
            self.jobs.make_thumbnails()

    def _show(self, study: Study) -> DeskModel:
        self._clear()
        model = self.opened.replace(study)
        model.undo.changed.connect(
            lambda words: self.runner.say(f"Removed: {words}. Ctrl+Z puts it back.") if words else None
        )
        self.roster = Roster(model)
        self.roster.fit(self.width())
        self.side.addWidget(self.roster)
        desk = Desk(
            model=model,
            pictures=self.pictures,
            runner=self.runner,
            jobs=self.jobs,
            machine=self.machine,
            files=self.files,
            back=self.go_back,
        )
        self.stations.build = lambda key: self._build(desk, key)
        for station in STATIONS:
            self.pages.addWidget(QWidget())
            self.station_buttons[station.key].setEnabled(True)
        self.idle.start()
        self.strip.show()
        self.setWindowTitle(f"{model.evidence.facts.title} – Ovrik")
        return model

    def _build(self, desk: Desk, key: str) -> QWidget:
        """Make a station when it is first wanted: all of them at once would hold up the window."""
        at, station = next((n, s) for n, s in enumerate(STATIONS) if s.key == key)
        page = station.make(desk)
        empty = self.pages.widget(at)
        self.pages.insertWidget(at, scrolling(page, both_ways=True))
        if empty is not None:
            self.pages.removeWidget(empty)
            empty.deleteLater()
        self._lock(station, page)
        return page

    def _build_another(self) -> None:
        """Make stations that were not wanted yet while there is nothing else to do, so that none has to be waited
        for; not while something is timed."""
        missing = [s.key for s in STATIONS if s.key not in self.stations]
        playing = any(getattr(page, "occupied", False) for page in self.stations.values())
        quiet = self.runner.job is None and not self.runner.small_jobs and not playing
        self._quiet = self._quiet + 1 if quiet else 0
        if not missing:
            self.idle.stop()
        elif self._quiet > 1:
            shown = self.pages.currentIndex()
            self.stations[missing[0]]  # asking for it makes it
            self.pages.setCurrentIndex(shown)

    def go(self, key: str) -> None:
        """Go to a station by its key in the table."""
        if self.model is None or key not in self.station_buttons:
            return
        page = self.stations[key]
        assert page is not None
        if self._station != key:
            self._before, self._station = self._station, key
        self.pages.setCurrentIndex([s.key for s in STATIONS].index(key))
        for name, made in self.station_buttons.items():
            made.setChecked(name == key)

    @property
    def place(self) -> str:
        """What is on show, as the table of help has it: a station, or a station and a page of it."""
        if self.model is None:
            return ""
        page = getattr(self.stations.get(self._station), "page_key", "")
        whole = f"{self._station}/{page}"
        return whole if whole in PLACES else self._station

    def dragEnterEvent(self, event: QDragEnterEvent | None) -> None:
        """Clips, timelines, plans and studies may be dropped anywhere."""
        data = event.mimeData() if event else None
        if event and data and any(u.isLocalFile() for u in data.urls()):
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent | None) -> None:
        """Take them in when the drop is over: a dialog within it would hold up whoever dropped them."""
        data = event.mimeData() if event else None
        paths = [Path(u.toLocalFile()) for u in data.urls() if u.isLocalFile()] if data else []
        if event and paths:
            event.acceptProposedAction()
            QTimer.singleShot(0, lambda: self.files.take_dropped(paths))

    def go_back(self) -> None:
        """Back to the station shown before."""
        self.go(self._before)

    # Jobs

    def _set_busy(self, busy: bool) -> None:
        model = self.model
        if model is None:
            return
        for station in STATIONS:
            if station.key in self.stations:
                self._lock(station, self.stations[station.key])
        if not busy:
            model.live.emit(None)

    def _lock(self, station: Station, page: QWidget) -> None:
        busy = self.runner.job is not None
        station.lock(page, busy, busy or (self.model is not None and self.model.study.read_only))

    def _job_over(self) -> None:
        if not self.isActiveWindow():
            self.runner.tell_desktop()
        self.pictures.forget()
        self.opened.look_again()

    def dress_anew(self) -> None:
        """Day became night or the reverse: build the stations anew in the new tones."""
        model = self.model
        if model is None:
            return
        at, back, selection = self._station, self._before, model.selection
        again = self._show(model.study)
        again.selection = selection
        self.go(at)
        self._before = back
        self.opened.look_again()

    def closeEvent(self, event: QCloseEvent | None) -> None:
        """Take in what is still being typed, end what is running, keep what is finished, and close."""
        writing = self.focusWidget()
        if writing:
            writing.clearFocus()
        self.idle.stop()
        self._close_stations()
        self.runner.close()
        self.pictures.close()
        self.opened.close()
        super().closeEvent(event)


def _why_read_only(study: Study) -> str:
    if study.aside:
        return f"{named(study.aside)}. Study ▸ Recover… makes a new one of the rest"
    if study.sealed:
        return "it was sent to be read only. Begin a study of your own from its plan to change or time it"
    return f"nothing can be written in {study.path.parent}. Copy it to another folder to change or time it"
