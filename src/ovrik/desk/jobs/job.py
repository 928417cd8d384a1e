"""Long work off the interface thread: with progress, time left, and a way to stop it."""

import contextlib
import threading
import time
from collections.abc import Callable
from typing import Any

from PyQt6.QtCore import QObject, pyqtSignal

from ovrik.errors import OvrikError, Stopped
from ovrik.log import note

REPORT_EVERY_S = 0.5
"""Progress reaches the window twice a second at most: drawing costs what is being measured."""


LEAST_SHARE = 0.03
"""Before that, a guess at the time left would be wild."""


class Job(QObject):
    """One piece of work in a thread of its own.

    The work is a function of this job; it calls `report` and asks `should_stop`. Signals
    arrive in the thread that made the job: `progressed` (share 0 to 1 or −1, words, seconds left or
    None), `updated` (anything the work wants to hand over), `judged` (the label of an output that has just been
    scored), `noted` (what it found before it began), `ended` (result), `failed` (words),
    `stopped`.
    """

    progressed = pyqtSignal(float, str, object)
    updated = pyqtSignal(object)
    judged = pyqtSignal(str)
    noted = pyqtSignal(object)
    ended = pyqtSignal(object)
    failed = pyqtSignal(str)
    stopped = pyqtSignal()
    finished = pyqtSignal()

    def __init__(self, name: str, work: Callable[["Job"], Any], parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.name = name
        self._work = work
        self._stop = threading.Event()
        self._last = 0.0
        self._began = time.monotonic()
        self._thread = threading.Thread(target=self._run, name=name, daemon=True)

    def start(self) -> "Job":
        """Begin."""
        self._thread.start()
        return self

    def ask_to_stop(self) -> None:
        """The work ends at its next opportunity."""
        self._stop.set()

    def should_stop(self) -> bool:
        """Whether the user asked to stop."""
        return self._stop.is_set()

    def wait(self, seconds: float) -> bool:
        """Wait for the end; True when it has come."""
        self._thread.join(seconds)
        return not self._thread.is_alive()

    def report(
        self, share: float, words: str, left_s: float | None = None, always: bool = False, update: Any = None
    ) -> None:
        """Report progress; reports that come too fast are left out. Where the work does not know
        the seconds left, they follow from the time so far."""
        now = time.monotonic()
        if not always and now - self._last < REPORT_EVERY_S:
            return
        self._last = now
        if left_s is None and share > LEAST_SHARE:
            left_s = (now - self._began) * (1 - share) / share
        self.progressed.emit(share, words, left_s)
        if update is not None:
            self.updated.emit(update)

    def _run(self) -> None:
        with contextlib.suppress(RuntimeError):  # the window is gone, and this object with it
            self._work_and_tell()

    def _work_and_tell(self) -> None:
        try:
            result = self._work(self)
        except Stopped:
            self.stopped.emit()
        except OvrikError as exc:
            self.failed.emit(str(exc))
        except Exception as exc:
            self.failed.emit(f"{self.name} failed. {note(exc)}")
        else:
            if self.should_stop():
                self.stopped.emit()
            else:
                self.ended.emit(result)
        self.finished.emit()
