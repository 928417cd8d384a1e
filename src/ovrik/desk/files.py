"""Opening, beginning and writing studies, plans and tables: what the Study menu does with files."""

from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtGui import QGuiApplication
from PyQt6.QtWidgets import QFileDialog, QMessageBox

from ovrik.desk import work
from ovrik.errors import OvrikError
from ovrik.report.as_csv import write_runs_csv
from ovrik.report.as_text import verdict_text
from ovrik.store.study import Study
from ovrik.study.plan import load_plan
from ovrik.study.programme import Programme
from ovrik.study.timeline import TimelineRead
from ovrik.study.timeline_out import write_timeline
from ovrik.work.plan_study import save_plan, study_from_plan
from ovrik.work.relink import Relinked, relink

if TYPE_CHECKING:
    from ovrik.desk.window import MainWindow

STUDY_FILES = "Ovrik studies (*.ovrik)"
PLAN_FILES = "Plans (*.toml)"
TIMELINE_FILES = "Timelines (*.otio *.edl)"
SOURCE_FILES = "All files (*);;Timelines (*.otio *.edl *.xml)"


class Files:
    """The file part of one window."""

    def __init__(self, window: "MainWindow") -> None:
        self.window = window

    def ask_open(self, title: str, kinds: str) -> Path | None:
        name, _ = QFileDialog.getOpenFileName(self.window, title, "", kinds)
        return Path(name) if name else None

    def ask_save(self, title: str, proposed: Path, kinds: str) -> Path | None:
        name, _ = QFileDialog.getSaveFileName(self.window, title, str(proposed), kinds)
        return Path(name) if name else None

    def _free(self) -> bool:
        """Whether another study may be shown now."""
        if self.window.job is not None:
            self.window.strip.words.setText(f"{self.window.job.name} is still going on; stop it first")
        return self.window.job is None

    def open_study(self) -> None:
        """Ask for a study and open it."""
        path = self.ask_open("Open study", STUDY_FILES) if self._free() else None
        if path:
            self.window.small_job("Opening", lambda _job: Study.open(path), self.window.show_study)

    def open_demo(self) -> None:
        """Open the demo study."""
        self.window.small_job("Unpacking the demo", lambda _job: work.open_demo(), self._demo_opened)

    def _demo_opened(self, study: Study) -> None:
        self.window.show_study(study)
        self.window.jobs.prepare_demo()

    def _read(self, then: Callable[[Programme], None]) -> None:
        """Ask for clips or a timeline, and for the folder of what is missing; then hand over the programme."""
        names, _ = QFileDialog.getOpenFileNames(
            self.window, "Choose a clip, clips in order, or a timeline", "", SOURCE_FILES
        )
        if names:
            self._read_from([Path(n) for n in names], (), then)

    def _read_from(
        self, paths: list[Path], media: tuple[Path, ...], then: Callable[[Programme], None]
    ) -> None:
        def took(found: TimelineRead) -> None:
            if found.programme is not None:
                then(found.programme)
                return
            some = "\n".join(found.missing[:8]) + ("\n…" if len(found.missing) > 8 else "")
            folder = self._ask_media(f"{len(found.missing)} clips of the timeline were not found:\n\n{some}")
            if folder:
                self._read_from(paths, (*media, folder), then)

        self.window.small_job("Reading", lambda _job: work.read_source(paths, media), took)

    def _ask_media(self, words: str) -> Path | None:
        asked = QMessageBox(self.window)
        asked.setWindowTitle("Find clips")
        asked.setText(words)
        asked.setInformativeText("Choose a folder that holds them; it is searched with all that is in it.")
        choose = asked.addButton("Choose folder…", QMessageBox.ButtonRole.AcceptRole)
        asked.addButton("Not now", QMessageBox.ButtonRole.RejectRole)
        asked.exec()
        if asked.clickedButton() is not choose:
            return None
        name = QFileDialog.getExistingDirectory(self.window, "Folder of the clips")
        return Path(name) if name else None

    def new_from_source(self) -> None:
        """Ask for clips or a timeline and for a place, and begin a study."""

        def begin(programme: Programme) -> None:
            first = Path(programme.clips[0].path)
            stem = programme.name.rsplit(".", 1)[0] or first.stem
            place = self.ask_save("Save the study as", first.with_name(f"{stem}.ovrik"), STUDY_FILES)
            if place:
                self.window.small_job(
                    "New study", lambda _job: work.new_study(programme, place), self.window.show_study
                )

        if self._free():
            self._read(begin)

    def new_from_plan(self) -> None:
        """Ask for a plan and for a place, and begin a study."""
        plan = self.ask_open("Open plan", PLAN_FILES) if self._free() else None
        place = self.ask_save("Save the study as", plan.with_suffix(".ovrik"), STUDY_FILES) if plan else None
        if plan and place:
            self.window.small_job(
                "New study", lambda _job: study_from_plan(load_plan(plan), place), self.window.show_study
            )

    def choose_source(self) -> None:
        """Ask for another programme for this study."""
        model = self.window.model
        if model is None or not self._free():
            return

        def use(programme: Programme) -> None:
            model.set_programme(programme)
            self.window.jobs.make_thumbnails()
            if programme.left_out:
                self.window.strip.rest(f"Left out: {'; '.join(programme.left_out)}")

        self._read(use)

    def find_clips(self) -> None:
        """Ask for a folder and link the study's missing clips to what is there."""
        model = self.window.model
        name = QFileDialog.getExistingDirectory(self.window, "Folder of the clips")
        if model is None or not name:
            return

        def tell(found: Relinked) -> None:
            self.window.look_again()
            self.window.jobs.make_thumbnails()
            self.window.strip.rest(found.words, trouble=bool(found.missing or found.other))

        self.window.small_job("Finding clips", lambda _job: relink(model.study, Path(name)), tell)

    def write_timeline(self) -> None:
        """Write the programme as a timeline."""
        model = self.window.model
        if model is None:
            return
        path = self.ask_save("Write timeline as", model.study.path.with_suffix(".otio"), TIMELINE_FILES)
        if path:
            self._write(path, lambda: write_timeline(model.evidence.programme, path))

    def save_plan(self) -> None:
        """Write the study's question as a plan file, with its timeline beside it."""
        model = self.window.model
        if model is None:
            return
        path = self.ask_save("Save plan as", model.study.path.with_suffix(".toml"), PLAN_FILES)
        if path:
            self._write(path, lambda: save_plan(model.study, path))

    def write_csv(self) -> None:
        """Write every run as CSV."""
        if self.window.model is None:
            return
        path = self.ask_save(
            "Write runs as CSV", self.window.model.study.path.with_suffix(".csv"), "CSV (*.csv)"
        )
        if path:
            self._write(path, lambda: write_runs_csv(self.window.model.evidence, path))  # type: ignore[union-attr]

    def _write(self, path: Path, act: Callable[[], object]) -> None:
        try:
            act()
            self.window.strip.rest(f"Written: {path}")
        except (OSError, OvrikError) as exc:
            self.window.strip.rest(f"{path} can't be written: {exc}", trouble=True)

    def copy_verdict(self) -> None:
        """Put the table and the sentence on the clipboard."""
        board = QGuiApplication.clipboard()
        if board and self.window.model:
            board.setText(verdict_text(self.window.model.evidence))
            self.window.strip.rest("The verdict is on the clipboard.")
