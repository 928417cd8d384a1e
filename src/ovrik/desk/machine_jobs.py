"""What the workstation's panel sets going: looking at the machine, trying accelerations, adding builds."""

from typing import TYPE_CHECKING

from PyQt6.QtWidgets import QInputDialog

from ovrik.desk import work
from ovrik.desk.stations.workstation import Look, look_at_machine
from ovrik.machine.added import add_program, add_wheel
from ovrik.machine.builds import Build, find_build
from ovrik.machine.trials import Trial, summary

if TYPE_CHECKING:
    from ovrik.desk.window import MainWindow


class MachineJobs:
    """Jobs on the machine that one window shows; accelerations are tried once by themselves."""

    def __init__(self, window: "MainWindow") -> None:
        self.window = window
        self.probed = False

    def look_at_machine(self) -> None:
        """Read the machine, its readiness and its builds."""
        if self.window.model is None:
            return
        study = self.window.model.study
        extra = tuple(c.contender.build for c in self.window.model.evidence.summaries)
        self.window.small_job("Machine", lambda _job: look_at_machine(study, extra), self._machine_looked)

    def _machine_looked(self, found: Look) -> None:
        self.window.workstation.show_found(found)
        real = {b.key for b in found.builds if not b.problem and not b.simulated}
        if self.window.job is None and not real & {t.build for t in found.trials} and not self.probed:
            self.probed = True  # once by itself; after that only when asked
            self.probe_machine()

    def probe_machine(self) -> None:
        """Try every acceleration of every build."""

        def words(trials: list[Trial]) -> str:
            self.look_at_machine()
            counts = summary(trials)
            return ", ".join(f"{number} {answer}" for answer, number in counts.items()) + "."

        self.window.big_job("Trying accelerations", work.probing(), words)

    def add_program(self) -> None:
        """Ask for a program file and add it to the builds."""
        path = self.window.files.ask_open("Choose an encoding program", "All files (*)")
        if path:
            self.window.small_job(
                "Adding a build",
                lambda _job: find_build(add_program(path).key),
                lambda _b: self.look_at_machine(),
            )

    def fetch_version(self) -> None:
        """Ask for a version and fetch it."""
        asked = "Version of the package imageio-ffmpeg:"
        version, wanted = QInputDialog.getText(self.window, "Fetch a version", asked)
        name = version.strip()
        if wanted and name:
            fetch = lambda _job: find_build(add_wheel(name).key)  # noqa: E731
            self.window.big_job(f"Fetching {name}", fetch, self._fetched)

    def _fetched(self, build: Build) -> str:
        self.look_at_machine()
        return f"{build.short} is here now."
