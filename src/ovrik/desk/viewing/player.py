"""Plays the viewer's frames in time, with sound where the machine has a way to make it."""

import time
from collections.abc import Callable
from typing import TYPE_CHECKING, Any

from PyQt6.QtCore import QBuffer, QIODevice, QObject, Qt, QTimer, pyqtSignal

from ovrik.log import note

if TYPE_CHECKING:
    import numpy as np

TICK_MS = 5
SOUND_RATE = 48_000
AHEAD = 24
"""Frames that are decoded ahead of the one that is shown, where there is room for them."""
PATIENCE_S = 1.0
"""The clock starts when half of them are at hand, or after so long."""


class Player(QObject):
    """A clock that asks for frames. Signals: `frame` that is due; `began` when the clock starts, and starts over in a
    loop; `stopped` at the end.

    Fields: `shown` and `dropped` frames of this playing; `clock` that it goes by, in seconds.
    """

    frame = pyqtSignal(int)
    began = pyqtSignal()
    stopped = pyqtSignal()

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._timer = QTimer(self)
        self._timer.setInterval(TICK_MS)
        self._timer.setTimerType(Qt.TimerType.PreciseTimer)
        self._timer.timeout.connect(self._tick)
        self._ready: Callable[[int], bool] = lambda _n: True
        self._first = self._last = self._at = 0
        self._pace, self._since, self._began, self._loop = 25.0, 0.0, 0.0, False
        self._head = 0
        self.shown = self.dropped = 0
        self.clock: Callable[[], float] = time.monotonic

    def start(
        self,
        at: int,
        first: int,
        last: int,
        pace: float,
        loop: bool,
        ready: Callable[[int], bool],
        head: int = AHEAD // 2,
    ) -> None:
        """Play from a frame; from `first` to `last`, over and over with `loop`; `pace` in frames a second; `ready`
        says whether a frame is at hand, and the clock waits for `head` of them."""
        self._first, self._last, self._pace, self._loop, self._ready = first, last, pace, loop, ready
        self._at = at if first <= at < last else first
        self.shown = self.dropped = 0
        self._since, self._began, self._head = 0.0, self.clock(), head
        self._timer.start()

    def stop(self) -> None:
        """Stand still."""
        if self._timer.isActive():
            self._timer.stop()
            self.stopped.emit()

    @property
    def position_s(self) -> float | None:
        """Where in the excerpt it is, seconds at the pace it plays with; None before its clock has started."""
        return self.clock() - self._since if self._since and self._timer.isActive() else None

    @property
    def running(self) -> bool:
        """Whether it plays."""
        return self._timer.isActive()

    def _tick(self) -> None:
        now = self.clock()
        if not self._since:  # the clock starts with the first frame that is there
            head = range(self._at, min(self._at + self._head, self._last) + 1)
            if self._ready(self._at) and (now - self._began > PATIENCE_S or all(map(self._ready, head))):
                self._since = now - self._at / self._pace
                self._show(self._at)
                self.began.emit()
            return
        due = int((now - self._since) * self._pace)
        if due <= self._at:
            return
        if due > self._last:
            if not self._loop:
                if self._at < self._last:
                    self.dropped += self._last - self._at - 1
                    self._show(self._last)
                self.stop()
                return
            self._at = self._first
            self._since, self._began = 0.0, now
            return
        if not self._ready(due):
            if self._ready(self._at + 1) and self._at + 1 < due:
                due = self._at + 1  # late, but there
            else:
                return
        self.dropped += due - self._at - 1
        self._show(due)

    def _show(self, frame: int) -> None:
        self._at = frame
        self.shown += 1
        self.frame.emit(frame)


class PlayedSound:
    """Plays a stretch of sound; silent where Qt finds no way to make any."""

    def __init__(self, parent: QObject) -> None:
        self._parent = parent
        self.words = ""
        self._sink: Any = None
        self._buffer: QBuffer | None = None

    def play(self, samples: "np.ndarray", rate: int) -> None:
        """Play samples, shape (n, 2), 16-bit."""
        self.stop()
        try:
            from PyQt6.QtMultimedia import QAudioFormat, QAudioSink, QMediaDevices

            device = QMediaDevices.defaultAudioOutput()
            if device.isNull():
                self.words = "no sound: this machine has no audio device"
                return
            kind = QAudioFormat()
            kind.setSampleRate(rate)
            kind.setChannelCount(2)
            kind.setSampleFormat(QAudioFormat.SampleFormat.Int16)
            self._buffer = QBuffer(self._parent)
            self._buffer.setData(samples.tobytes())
            self._buffer.open(QIODevice.OpenModeFlag.ReadOnly)
            self._sink = QAudioSink(device, kind, self._parent)
            self._sink.start(self._buffer)
            self.words = ""
        except (ImportError, RuntimeError) as exc:
            self.words = "no sound: Qt's audio is not installed here"
            note(exc)

    def stop(self) -> None:
        """Silence."""
        if self._sink is not None:
            self._sink.stop()
            self._sink = None
