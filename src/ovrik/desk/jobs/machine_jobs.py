"""What the workstation's panel sets going: looking at the machine, trying accelerations, adding builds."""

from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtWidgets import QFileDialog, QInputDialog, QWidget

from ovrik.desk.jobs.open_study import OpenStudy
from ovrik.store.study import Study

if TYPE_CHECKING:
    from ovrik.machine.builds.build import Build
    from ovrik.machine.devices.trial import Trial
    from ovrik.work.prepare.machine_look import Look


class MachineJobs(QObject):
    """Jobs on this machine; accelerations are tried once without being asked for.

    Signals: `looked` with what was read.
    """

    looked = pyqtSignal(object)

    def __init__(self, opened: OpenStudy, window: QWidget) -> None:
        super().__init__(window)
        self.opened, self.runner, self._window = opened, opened.runner, window
        self.probed = False
        self._found: tuple[Study, Look] | None = None

    def found(self) -> "Look | None":
        """What was read of the machine for the study that is open."""
        model = self.opened.model
        return self._found[1] if model and self._found and self._found[0] is model.study else None

    def look_again(self) -> None:
        """Read the machine anew: drives are measured, and builds that gave no answer asked, once more."""
        self.look_at_machine(afresh=True)

    def look_at_machine(self, afresh: bool = False) -> None:
        """Read the machine, its readiness and its builds."""
        from ovrik.work.prepare.machine_look import look_at_machine

        model = self.opened.model
        if model is None:
            return
        extra = tuple(c.contender.build for c in model.evidence.summaries if not c.contender.outside)
        self.runner.small(
            "Machine",
            lambda _job: look_at_machine(model.study, extra, afresh),
            lambda found: self._machine_looked(model.study, found),
        )

    def lay_fingerprints(self) -> None:
        """This machine's fingerprint beside those of the study's runs."""
        from ovrik.desk.dialogs.fingerprints_window import FingerprintsWindow
        from ovrik.work.prepare.fingerprints import Fingerprint, fingerprints

        model = self.opened.model
        if model is None:
            return

        def show(found: list[Fingerprint]) -> None:
            self.beside = FingerprintsWindow(found, self._window)
            self.beside.show()

        self.runner.small("Machine", lambda _job: fingerprints(model.study), show)

    def _machine_looked(self, study: Study, found: "Look") -> None:
        self._found = study, found
        self.looked.emit(found)
        real = {b.key for b in found.builds if not b.problem and not b.simulated}
        if self.runner.job is None and not real & {t.build for t in found.trials} and not self.probed:
            self.probed = True  # once by itself; after that only when asked
            self.probe_machine()

    def probe_machine(self) -> None:
        """Try every acceleration of every build."""
        from ovrik.desk.jobs import work
        from ovrik.machine.devices.trials import summary

        def words(trials: "list[Trial]") -> str:
            self.look_at_machine()
            counts = summary(trials)
            return ", ".join(f"{number} {answer}" for answer, number in counts.items()) + "."

        self.runner.big("Trying accelerations", work.probing(), words)

    def add_program(self) -> None:
        """Ask for a program file and add it to the builds."""
        from ovrik.machine.builds.adding import add_program

        name, _ = QFileDialog.getOpenFileName(self._window, "Choose an encoding program", "", "All files (*)")
        if name:
            self.runner.small(
                "Adding a build", lambda _job: add_program(Path(name)), lambda _b: self.look_at_machine()
            )

    def fetch_version(self) -> None:
        """Ask for a version and fetch it."""
        from ovrik.machine.builds.adding import add_wheel

        asked = "Version of the package imageio-ffmpeg:"
        version, wanted = QInputDialog.getText(self._window, "Fetch a version", asked)
        name = version.strip()
        if wanted and name:
            self.runner.big(
                f"Fetching {name}", lambda job: add_wheel(name, job.report, job.should_stop), self._fetched
            )

    def _fetched(self, build: "Build") -> str:
        self.look_at_machine()
        return f"{build.short} is ready to use."
