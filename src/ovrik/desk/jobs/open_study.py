"""The study that the window has open, for whatever works on it."""

from collections.abc import Callable

from PyQt6.QtCore import QObject, pyqtSignal

from ovrik.desk.jobs.job import Job
from ovrik.desk.jobs.runner import Runner
from ovrik.desk.model.study import DeskModel
from ovrik.store.study import Study


class OpenStudy(QObject):
    """Holds the model of the study that is open, None when there is none.

    Signals: `wanted` with a study that is to be shown in place of this one.
    """

    wanted = pyqtSignal(object)

    def __init__(self, runner: Runner, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.runner = runner
        self.model: DeskModel | None = None
        self._waiting = False

    def replace(self, study: Study) -> DeskModel:
        """Take a study in hand; another that was open is closed."""
        if self.model is not None and self.model.study is not study:
            self.close()
        self.model = DeskModel(study)
        return self.model

    def close(self) -> None:
        """Close the study."""
        if self.model is not None:
            self.model.study.close()
        self.model = None

    def look_again(self, then: Callable[[], None] = lambda: None, first: bool = False) -> None:
        """Read the study anew off the interface thread, then show it. The `first` time other kinds of footage than
        the present one come after all else is there."""
        model = self.model
        if model is None:
            return

        def show(take: Callable[[], None]) -> None:
            if model is self.model:
                take()
            then()
            if model.asked.late() and not self._waiting:
                self._waiting = True
                self.runner.small("Asking builds", lambda job: _answered(model, job), look)

        def look(_answered: object) -> None:
            self._waiting = False
            if model is self.model:
                self.look_again()

        self.runner.small("Reading the study", lambda _job: model.look(with_kinds=not first), show)


def _answered(model: DeskModel, job: Job) -> None:
    while model.asked.late() and not job.should_stop():
        model.asked.wait(0.2)
