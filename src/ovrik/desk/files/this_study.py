"""What is done to the study that is open: put back, renamed, gone through again."""

from typing import TYPE_CHECKING

from PyQt6.QtWidgets import QInputDialog, QWidget

from ovrik.desk.jobs.open_study import OpenStudy
from ovrik.errors import OvrikError
from ovrik.store.study import Study

if TYPE_CHECKING:
    from ovrik.machine.builds.build import Build


class ThisStudy:
    """Acts of the Study menu on the study that a window has open."""

    def __init__(self, opened: OpenStudy, window: QWidget) -> None:
        self.opened, self.runner, self.window = opened, opened.runner, window

    def put_back(self) -> None:
        """Undo the last removal."""
        model = self.opened.model
        if model is None:
            return

        def do() -> None:
            words = "" if model.study.read_only else model.put_back()
            self.runner.say(f"Put back: {words}." if words else "Nothing was removed in this window.")

        self.runner.when_free(do)

    def rename(self) -> None:
        """Ask for another name of the study, and give it to its file, its folder of outputs and its title."""
        from ovrik.store.renamed import renamed

        model = self.opened.model
        if model is None or self.runner.small_jobs:
            return
        path, facts = model.study.path, model.evidence.facts
        name, wanted = QInputDialog.getText(self.window, "Rename the study", "Its name:", text=path.stem)
        if not wanted or not name.strip():
            return

        def do() -> None:
            if not model.study.read_only:
                model.study.set_plan(name.strip(), facts.rounds, facts.warmup, facts.tie_band)
            self.opened.close()
            try:
                now, trouble = renamed(path, name), ""
            except OvrikError as exc:
                now, trouble = path, str(exc)
            self.opened.wanted.emit(Study.open(now))
            self.runner.say(trouble or f"It is {now.name} now.", trouble=bool(trouble))

        self.runner.when_free(do)

    def new_sitting(self) -> None:
        """Ask what is to be other in a new sitting, and begin it."""
        from ovrik.desk.dialogs.new_sitting import NewSitting
        from ovrik.machine.builds.build import find_builds

        model = self.opened.model
        if model is None:
            return

        def ask(found: "list[Build]") -> None:
            titles = {b.key: b.short for b in found if not b.problem}
            keys = dict.fromkeys(c.build for c in model.study.contenders(as_asked=True) if not c.outside)
            asked = NewSitting({k: titles.get(k, k) for k in keys}, titles, self.window)
            if not asked.exec():
                return
            try:
                model.begin_sitting(asked.builds, asked.name, asked.together)
                self.runner.say("A new sitting has begun: Ctrl+R times the line-up in it.")
            except OvrikError as exc:
                self.runner.say(str(exc), trouble=True)

        self.runner.when_free(
            lambda: self.runner.small("Looking for builds", lambda _job: find_builds(), ask)
        )
