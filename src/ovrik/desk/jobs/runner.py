"""What runs the window's jobs: short ones at any time, long ones one at a time."""

import contextlib
import threading
import time
from collections.abc import Callable
from typing import Any

from PyQt6.QtCore import QObject, QTimer, pyqtSignal

from ovrik.desk.jobs.job import Job
from ovrik.machine.workstation.session import notify

LONG_S = 20.0
"""Who waited no longer than this is still looking."""

CLOSING_S = {"long": 8, "short": 4}
"""How long the window waits for each kind of job when it closes."""
AGAIN_MS = 20
"""Until a job's thread, which had told its end, is looked for again."""


class Runner(QObject):
    """Runs jobs. Only one long one at a time, so that nothing disturbs a timing.

    Signals: `began` with the long job; `busy` when a long job begins or ends; `ended` after a long job;
    `said` with words for the foot of the window and whether they are of trouble; `stopping` when the long
    job was asked to stop.
    """

    began = pyqtSignal(object)
    busy = pyqtSignal(bool)
    ended = pyqtSignal()
    said = pyqtSignal(str, bool)
    refused = pyqtSignal(str)
    stopping = pyqtSignal()

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.job: Job | None = None
        self.small_jobs: set[Job] = set()
        self._next: Callable[[], object] | None = None
        self._began, self._last = 0.0, ("", "")

    def say(self, words: str, trouble: bool = False) -> None:
        """Show words at the foot of the window."""
        self.said.emit(words, trouble)

    def small(self, name: str, run: Callable[[Job], Any], done: Callable[[Any], Any]) -> Job:
        """Short work that shows no progress."""
        job = self._job(name, run)
        self.small_jobs.add(job)
        job.ended.connect(done)
        job.failed.connect(lambda words: self.say(words, trouble=True))
        job.finished.connect(lambda: self.small_jobs.discard(job))
        return job.start()

    def big(self, name: str, run: Callable[[Job], Any], done: Callable[[Any], str]) -> Job | None:
        """Long work with progress; `done` gives the words it ends with. None while another is running."""
        if self.job is not None:
            self.refused.emit(f"{self.job.name} is still running; stop it first")
            return None
        self._began = time.monotonic()
        job = self.job = self._job(name, run)
        self.began.emit(job)
        self.busy.emit(True)
        job.ended.connect(lambda result: self._over(done(result)))
        job.failed.connect(lambda words: self._over(words, True))
        job.stopped.connect(lambda: self._over(f"{name}: stopped. Finished work is kept."))
        return job.start()

    def _job(self, name: str, run: Callable[[Job], Any]) -> Job:
        """A job that goes when it has ended: with it goes the study that it was about."""
        job = Job(name, run, self)
        job.finished.connect(lambda: self._dismiss(job))
        return job

    def _dismiss(self, job: Job) -> None:
        """Not before its thread has told everybody: what is gone meanwhile is told nothing."""
        if not job.wait(0):
            QTimer.singleShot(AGAIN_MS, lambda: self._dismiss(job))
            return
        with contextlib.suppress(RuntimeError):  # the window is gone, and it with that
            job.deleteLater()

    def tell_desktop(self) -> None:
        """A desktop notification of the long job that has just ended, if it took long enough to be forgotten."""
        title, words = self._last
        if title and time.monotonic() - self._began > LONG_S:
            threading.Thread(target=notify, args=(title, words), daemon=True).start()

    def _over(self, words: str, trouble: bool = False) -> None:
        self._last = (self.job.name if self.job else ""), words
        self.job = None
        self.busy.emit(False)
        self.say(words, trouble)
        self.ended.emit()
        act, self._next = self._next, None
        if act:
            act()

    def when_free(self, act: Callable[[], object]) -> None:
        """Do this now, or as soon as a job that was asked to stop has ended; refused while one goes on."""
        if self.job is None:
            act()
        elif self.job.should_stop():
            self._next = act
        else:
            self.refused.emit(f"{self.job.name} is still running; stop it first")

    def stop(self) -> None:
        """Ask the long job to end."""
        if self.job:
            self.stopping.emit()
            self.job.ask_to_stop()

    def close(self) -> None:
        """End everything, waiting a little for each."""
        self._next = None
        for job, kind in [
            *([(self.job, "long")] if self.job else []),
            *((j, "short") for j in self.small_jobs),
        ]:
            job.ask_to_stop()
            job.wait(CLOSING_S[kind])
