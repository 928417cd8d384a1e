"""The stand-in editing program's window: one button, one bar. It exports for real, in a habit that is chosen at
start."""

import json
import sys
from collections.abc import Sequence
from pathlib import Path

from PyQt6.QtCore import QProcess
from PyQt6.QtWidgets import QProgressBar, QVBoxLayout, QWidget

from ovrik.desk.widgets.text import button, label
from ovrik.standin.editing import NAME


class StandinWindow(QWidget):
    """Exports a clip into a folder, again under a new name each time the button is pressed."""

    def __init__(self, command: Sequence[str], folder: Path, release: str, habit: str) -> None:
        """`command` is the real encoder's, writing to standard output."""
        super().__init__()
        self.setWindowTitle(f"{NAME} {release}")
        self.folder, self.count = folder, 0
        self._command = ["-P", "-m", "ovrik.standin.editing", "--command", json.dumps(list(command))]
        self._command += ["--release", release, "--habit", habit]
        self.export = button("Export", self._export, "main")
        self.bar = QProgressBar()
        self.bar.setRange(0, 1)
        self.bar.setTextVisible(False)
        self.bar.setAccessibleName("Progress")
        self.said = label(f"It exports into {folder}, {habit}", "soft", wrap=True)
        self._running = QProcess(self)
        self._running.finished.connect(self._ended)
        column = QVBoxLayout(self)
        for part in (self.export, self.bar, self.said):
            column.addWidget(part)
        self.resize(360, 130)

    def _export(self) -> None:
        self.count += 1
        self.bar.setRange(0, 0)
        self.export.setEnabled(False)
        self._running.start(sys.executable, [*self._command, str(self._next())])

    def _next(self) -> Path:
        """A name that is free."""
        while (path := self.folder / f"export {self.count}.mkv").exists():
            self.count += 1
        return path

    def _ended(self, code: int) -> None:
        self.bar.setRange(0, 1)
        self.bar.setValue(int(code == 0))
        self.export.setEnabled(True)
        self.said.setText(f"Exported export {self.count}.mkv" if code == 0 else "It could not be exported")

    def closeEvent(self, event: object) -> None:
        """Its export ends with it."""
        self._running.kill()
        self._running.waitForFinished(2000)
        super().closeEvent(event)  # type: ignore[arg-type]
