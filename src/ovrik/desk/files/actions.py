"""Opening, beginning and writing studies, plans and tables: what the Study menu does with files."""

from collections.abc import Callable, Sequence
from fractions import Fraction
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtGui import QGuiApplication
from PyQt6.QtWidgets import QFileDialog, QInputDialog, QMessageBox, QWidget

from ovrik.desk.files.recent import forget_recent
from ovrik.desk.files.this_study import ThisStudy
from ovrik.desk.jobs.open_study import OpenStudy
from ovrik.desk.jobs.study_jobs import StudyJobs
from ovrik.errors import OvrikError
from ovrik.store.schema.file import outputs_folder
from ovrik.store.study import Study
from ovrik.study.programme.programme import Programme

if TYPE_CHECKING:
    from ovrik.study.timeline.reader import TimelineRead
    from ovrik.work.footage.relink import Relinked

STUDY_FILES = "Ovrik studies (*.ovrik)"
PLAN_FILES = "Plans (*.toml)"
TIMELINE_FILES = "Timelines (*.otio *.edl)"
SOURCE_FILES = "All files (*);;Timelines (*.otio *.edl *.xml)"


class Files:
    """The file part of one window. Attribute: `this`, what is done to the study that is open."""

    def __init__(self, opened: OpenStudy, jobs: StudyJobs, window: QWidget) -> None:
        self.opened, self.jobs, self.runner, self.window = opened, jobs, opened.runner, window
        self.this = ThisStudy(opened, window)

    def ask_open(self, title: str, kinds: str) -> Path | None:
        name, _ = QFileDialog.getOpenFileName(self.window, title, "", kinds)
        return Path(name) if name else None

    def ask_save(self, title: str, proposed: Path, kinds: str) -> Path | None:
        name, _ = QFileDialog.getSaveFileName(self.window, title, str(proposed), kinds)
        return Path(name) if name else None

    def open_study(self) -> None:
        """Ask for a study and open it."""
        self.runner.when_free(self._open_study)

    def _open_study(self) -> None:
        path = self.ask_open("Open study", STUDY_FILES)
        if path:
            self.runner.small("Opening", lambda _job: Study.open(path), self.opened.wanted.emit)

    def open_demo(self) -> None:
        """Open the demo study."""
        from ovrik.desk.jobs import work

        self.runner.small("Unpacking the demo", lambda _job: work.open_demo(), self._demo_opened)

    def _demo_opened(self, study: Study) -> None:
        self.opened.wanted.emit(study)
        self.jobs.prepare_demo()

    def _read(self, then: Callable[[Programme], None]) -> None:
        """Ask for clips or a timeline, and for the folder of what is missing; then hand over the programme."""
        names, _ = QFileDialog.getOpenFileNames(
            self.window, "Choose a clip, clips in order, or a timeline", "", SOURCE_FILES
        )
        if names:
            self._read_from([Path(n) for n in names], (), then)

    def _read_from(
        self,
        paths: list[Path],
        media: tuple[Path, ...],
        then: Callable[[Programme], None],
        rate: Fraction | None = None,
    ) -> None:
        from ovrik.desk.jobs import work
        from ovrik.study.timeline.edl import DROP_RATES, RateNeeded

        def took(found: "TimelineRead | RateNeeded") -> None:
            if isinstance(found, RateNeeded):
                given = self._ask_rate(found.problem, DROP_RATES)
                if given:
                    self._read_from(paths, media, then, given)
                return
            if found.programme is not None:
                then(found.programme)
                return
            some = "\n".join(found.missing[:8]) + ("\n…" if len(found.missing) > 8 else "")
            folder = self._ask_media(f"{len(found.missing)} clips of the timeline were not found:\n\n{some}")
            if folder:
                self._read_from(paths, (*media, folder), then, rate)

        self.runner.small("Reading", lambda _job: work.read_source(paths, media, rate), took)

    def _ask_rate(self, words: str, rates: Sequence[Fraction]) -> Fraction | None:
        named = {f"{float(r):.2f} fps ({r})": r for r in rates}
        said, wanted = QInputDialog.getItem(
            self.window, "Frame rate of the timeline", f"{words}.\n\nFrame rate:", list(named), 0, False
        )
        return named[said] if wanted else None

    def _ask_media(self, words: str) -> Path | None:
        asked = QMessageBox(self.window)
        asked.setWindowTitle("Find clips")
        asked.setText(words)
        asked.setInformativeText("Choose a folder that holds them; its subfolders are searched too.")
        choose = asked.addButton("Choose folder…", QMessageBox.ButtonRole.AcceptRole)
        asked.addButton("Not now", QMessageBox.ButtonRole.RejectRole)
        asked.exec()
        if asked.clickedButton() is not choose:
            return None
        name = QFileDialog.getExistingDirectory(self.window, "Folder of the clips")
        return Path(name) if name else None

    def new_from_source(self) -> None:
        """Ask four questions, and begin a study."""
        self.runner.when_free(self.ask_new)

    def ask_new(self, programme: Programme | None = None) -> None:
        """The page of four questions; footage may have been read already."""
        from ovrik.desk.dialogs.new_study import NewStudy
        from ovrik.work.lineup.first_line_up import begin

        asked = self.asked = NewStudy(lambda: self._read(asked.show_programme), self.window)

        def make() -> None:
            if asked.programme is not None:
                given = asked.programme, asked.answers, asked.named
                asked.accept()
                self.runner.small("New study", lambda _job: begin(*given), self.opened.wanted.emit)

        asked.begun.connect(make)
        if programme is not None:
            asked.show_programme(programme)
        asked.open()

    def new_from_plan(self) -> None:
        """Ask for a plan and for a place, and begin a study."""
        self.runner.when_free(self._new_from_plan)

    def _new_from_plan(self) -> None:
        plan = self.ask_open("Open plan", PLAN_FILES)
        if plan:
            self._begin_from_plan(plan)

    def _begin_from_plan(self, plan: Path) -> None:
        from ovrik.study.question.plan import load_plan
        from ovrik.work.lineup.from_plan import study_from_plan

        place = self.ask_save("Save the study as", plan.with_suffix(".ovrik"), STUDY_FILES)
        if place:
            self.runner.small(
                "New study", lambda _job: study_from_plan(load_plan(plan), place), self.opened.wanted.emit
            )

    def choose_source(self) -> None:
        """Ask for another programme for this study."""
        model = self.opened.model
        if model is None:
            return

        def use(programme: Programme) -> None:
            model.set_programme(programme)
            self.jobs.make_thumbnails()
            if programme.left_out:
                self.runner.say(f"Left out: {'; '.join(programme.left_out)}")

        self.runner.when_free(lambda: self._read(use))

    def add_kind(self) -> None:
        """Ask for another programme, to be a kind of footage beside the present one."""
        model = self.opened.model
        if model is None:
            return

        def use(programme: Programme) -> None:
            taken = {k.name for k in model.evidence.kinds}
            stem = programme.name.rsplit(".", 1)[0] or "footage"
            names = (stem, *(f"{stem} {n}" for n in range(2, 1000)))
            model.add_kind(next(n for n in names if n not in taken), programme)

        self.runner.when_free(lambda: self._read(use))

    def find_clips(self) -> None:
        """Ask for a folder and link the study's missing clips to what is there."""
        from ovrik.work.footage.relink import relink

        model = self.opened.model
        name = QFileDialog.getExistingDirectory(self.window, "Folder of the clips")
        if model is None or not name:
            return

        def on_report(found: "Relinked") -> None:
            self.opened.look_again()
            self.jobs.make_thumbnails()
            self.runner.say(found.words, trouble=bool(found.missing or found.other))

        self.runner.small("Finding clips", lambda _job: relink(model.study, Path(name)), on_report)

    def write_timeline(self) -> None:
        """Write the programme as a timeline."""
        from ovrik.study.timeline.writer import write_timeline

        model = self.opened.model
        if model is None:
            return
        path = self.ask_save("Write timeline as", model.study.path.with_suffix(".otio"), TIMELINE_FILES)
        if path:
            self._write(path, lambda: write_timeline(model.evidence.programme, path), "Left out")

    def save_plan(self) -> None:
        """Write the study's question as a plan file, with its timeline beside it."""
        from ovrik.work.lineup.from_plan import save_plan

        model = self.opened.model
        if model is None:
            return
        path = self.ask_save("Save plan as", model.study.path.with_suffix(".toml"), PLAN_FILES)
        if path:
            self._write(path, lambda: save_plan(model.study, path))

    def write(self, what: str, ending: str, runs: bool = False) -> None:
        """Ask for a name, and write the evidence in the form that its ending asks for, off the interface thread."""
        from ovrik.desk.dialogs.passing_on import whole_to_pass
        from ovrik.report.forms.export import WholeStudy, export

        model = self.opened.model
        if model is None:
            return
        kind = f"{ending[1:].upper()} (*{ending})"
        proposed = model.study.path.with_name(f"{model.study.path.stem} {what}{ending}")
        path = self.ask_save(f"Write the {what}", proposed, kind)
        if path is None:
            return

        def put(whole: WholeStudy) -> int:
            export(whole, path, runs)
            return path.stat().st_size

        self.runner.small(
            f"Writing the {what}",
            lambda job: put(whole_to_pass(model, job.should_stop, ending in (".html", ".pdf"))),
            lambda size: self.runner.say(f"Written: {path}, {size / 1000:.0f} kB"),
        )

    def copy_settings(self) -> None:
        """Put the selected contender's settings on the clipboard, to be typed into another program."""
        from ovrik.report.forms.settings_sheet import settings_text

        board, model = QGuiApplication.clipboard(), self.opened.model
        if board and model and model.summary:
            board.setText(settings_text(model.summary, model.evidence))
            self.runner.say(f"The settings of {model.summary.contender.label} are on the clipboard.")

    def send(self) -> None:
        """Ask what goes with the study, and pack it into one file."""
        from ovrik.desk.dialogs.passing_on import SendDialog
        from ovrik.desk.jobs.work import sending
        from ovrik.work.evidence.sending import SendingLoad, load_of

        model = self.opened.model
        if model is None:
            return

        def ask(load: SendingLoad) -> None:
            asked = SendDialog(load, self.window)
            if not asked.exec():
                return
            proposed = model.study.path.with_name(f"{model.study.path.stem} to send.ovrik")
            path = self.ask_save("Save the study to send as", proposed, STUDY_FILES)
            if path:
                self.runner.big(
                    "Packing",
                    sending(model.study, path, asked.wanted),
                    lambda size: f"Packed: {path}, {size / 1e6:.1f} MB",
                )

        self.runner.when_free(lambda: self.runner.small("Measuring", lambda _job: load_of(model.study), ask))

    def unpack(self) -> None:
        """Write what the study carries beside it."""
        from ovrik.desk.jobs.work import unpacking

        model = self.opened.model
        if model is not None:
            folder = outputs_folder(model.study.path)
            self.runner.big(
                "Unpacking",
                unpacking(model.study),
                lambda n: f"{n} files in {folder}" if n else "This study carries no files.",
            )

    def recover(self) -> None:
        """Ask for a damaged study and for a new place, and open what can still be read of it there."""
        self.runner.when_free(self._recover)

    def _recover(self) -> None:
        from ovrik.store.rescue import Rescued, rescue

        damaged = self.ask_open("The damaged study", STUDY_FILES)
        proposed = damaged and damaged.with_name(f"{damaged.stem} recovered.ovrik")
        into = proposed and self.ask_save("Save what can be read as", proposed, STUDY_FILES)
        if damaged is None or into is None:
            return

        def show(found: tuple[Rescued, Study]) -> None:
            self.opened.wanted.emit(found[1])
            lost = f"; lost: {'; '.join(found[0].lost)}" if found[0].lost else ", nothing lost"
            self.runner.say(f"Recovered {found[0].kept['run']} runs{lost}.", trouble=bool(found[0].lost))

        self.runner.small("Recovering", lambda _job: (rescue(damaged, into), Study.open(into)), show)

    def lay_beside(self) -> None:
        """Ask for other studies and show them side by side with this one."""
        from ovrik.desk.dialogs.beside_window import BesideWindow
        from ovrik.work.answers.beside import Beside, lay_beside

        model = self.opened.model
        if model is None:
            return
        names, _ = QFileDialog.getOpenFileNames(
            self.window, "Studies to lay beside this one", "", STUDY_FILES
        )
        if not names:
            return

        def read(_job: object) -> Beside:
            opened = [Study.open(Path(n)) for n in names]
            try:
                return lay_beside([model.study, *opened])
            finally:
                for study in opened:
                    study.close()

        def show(found: Beside) -> None:
            self.beside = BesideWindow(found, self.window)
            self.beside.show()

        self.runner.small("Reading studies", read, show)

    def open_path(self, path: Path) -> None:
        """Open a study that is named."""
        if not path.exists():
            forget_recent(path)
            self.runner.say(f"{path} is not there any more", trouble=True)
            return
        self.runner.when_free(
            lambda: self.runner.small("Opening", lambda _job: Study.open(path), self.opened.wanted.emit)
        )

    def take_dropped(self, paths: list[Path]) -> None:
        """A study is opened; a plan becomes a study; clips and timelines begin one."""
        first = paths[0]
        if first.suffix.lower() == ".ovrik":
            self.open_path(first)
        elif first.suffix.lower() == ".toml":
            self.runner.when_free(lambda: self._begin_from_plan(first))
        else:
            self.runner.when_free(lambda: self._read_from(paths, (), self.ask_new))

    def _write(self, path: Path, act: Callable[[], object], left_out: str = "") -> None:
        """`left_out` heads what `act` gives back: what the file can't hold."""
        try:
            lost = act()
        except (OSError, OvrikError) as exc:
            self.runner.say(f"{path} can't be written: {exc}", trouble=True)
            return
        lacks = (
            f". {left_out}: {'; '.join(map(str, lost))}"
            if left_out and isinstance(lost, tuple) and lost
            else ""
        )
        self.runner.say(f"Written: {path}{lacks}", trouble=bool(lacks))

    def copy_verdict(self) -> None:
        """Put the table and the sentence on the clipboard."""
        from ovrik.report.forms.as_text import verdict_text

        board = QGuiApplication.clipboard()
        if board and self.opened.model:
            board.setText(verdict_text(self.opened.model.evidence))
            self.runner.say("The verdict is on the clipboard.")
