"""Opening, beginning and writing studies, plans and tables: what the Study menu does with files."""

from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING, Any

from PyQt6.QtGui import QGuiApplication
from PyQt6.QtWidgets import QFileDialog

from ovrik.desk import work
from ovrik.errors import OvrikError
from ovrik.report.as_csv import write_runs_csv
from ovrik.report.as_text import verdict_text
from ovrik.store.study import Study
from ovrik.study.plan import load_plan, plan_text
from ovrik.work.plan_study import question_of, study_from_plan

if TYPE_CHECKING:
    from ovrik.desk.window import MainWindow

STUDY_FILES = "Ovrik studies (*.ovrik)"
PLAN_FILES = "Plans (*.toml)"


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
        self.window.prepare_demo()

    def new_from_clip(self) -> None:
        """Ask for a clip and for a place, and begin a study."""
        clip = self.ask_open("Choose the clip", "All files (*)") if self._free() else None
        place = self.ask_save("Save the study as", clip.with_suffix(".ovrik"), STUDY_FILES) if clip else None
        if clip and place:
            self.window.small_job(
                "New study", lambda _job: work.new_study(clip, place), self.window.show_study
            )

    def new_from_plan(self) -> None:
        """Ask for a plan and for a place, and begin a study."""
        plan = self.ask_open("Open plan", PLAN_FILES) if self._free() else None
        place = self.ask_save("Save the study as", plan.with_suffix(".ovrik"), STUDY_FILES) if plan else None
        if plan and place:
            self.window.small_job(
                "New study", lambda _job: study_from_plan(load_plan(plan), place), self.window.show_study
            )

    def choose_clip(self) -> None:
        """Ask for other footage for this study."""
        clip = self.ask_open("Choose the clip", "All files (*)") if self._free() else None
        model = self.window.model
        if clip and model:

            def use(footage: Any) -> None:
                model.set_footage(footage)
                self.window.small_job("Thumbnails", work.thumbnails(model.study),
                               lambda _r: model.evidence_changed.emit())  # fmt: skip

            self.window.small_job("Reading the clip", lambda _job: work.read_clip(clip), use)

    def save_plan(self) -> None:
        """Write the study's question as a plan file."""
        if self.window.model is None:
            return
        path = self.ask_save("Save plan as", self.window.model.study.path.with_suffix(".toml"), PLAN_FILES)
        if path:
            self._write(path, lambda: path.write_text(plan_text(question_of(self.window.model.study))))  # type: ignore[union-attr]

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
