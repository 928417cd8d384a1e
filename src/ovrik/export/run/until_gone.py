"""A child is watched, and its two streams are read, until the last process that it started is gone."""

import os
import resource
import selectors
import signal
import subprocess
import time
from collections import deque
from collections.abc import Callable
from dataclasses import dataclass

from ovrik.errors import Ask
from ovrik.machine.processes.strays import descendants, signal_all

LOG_LINES = 40
LONGEST_LINE = 64 << 10
"""Bytes kept of a line of the log: a program may write for ever without ending one."""
PIECE = 256 << 10
GRACE_S = 3.0
WATCH_EVERY_S, SOON_S = 0.2, 0.05
"""How often it is looked at, and how often what may be killed at once: nothing is timed then."""
OUT, ERR = "out", "err"


@dataclass
class Spent:
    """What those used that have ended, as the kernel counts it. Fields in seconds and bytes; `exit_code` is the
    child's own."""

    user_s: float = 0.0
    system_s: float = 0.0
    peak_bytes: int = 0
    read_bytes: int = 0
    written_bytes: int = 0
    exit_code: int = 0

    def add(self, used: resource.struct_rusage) -> None:
        """One more that has ended."""
        self.user_s += used.ru_utime
        self.system_s += used.ru_stime
        self.peak_bytes = max(self.peak_bytes, used.ru_maxrss * 1024)
        self.read_bytes += used.ru_inblock * 512
        self.written_bytes += used.ru_oublock * 512


class ProcessWatch:
    """One loop over the ends of processes and what they write; it looks at them five times a second, no oftener.

    Attributes: `log`, its last lines; `sampled_peak` of the child's memory; `stopped`, `stalled`, whether it was
    ended on request, or for not getting on; `ended`, the moment at which the last process was gone; `spent`."""

    def __init__(
        self,
        child: "subprocess.Popen[bytes]",
        began: float,
        on_output: Callable[[bytes, float], bool],
        should_stop: Ask,
        stall_s: float,
        mark: str,
        grace_s: float = GRACE_S,
    ) -> None:
        self.grace_s = grace_s
        self._every_s = WATCH_EVERY_S if grace_s else SOON_S
        self.child, self.began, self.on_output = child, began, on_output
        self.should_stop, self.stall_s = should_stop, stall_s
        self.log: deque[str] = deque(maxlen=LOG_LINES)
        self.sampled_peak = 0
        self.stopped = self.stalled = False
        self.ended = began
        self.spent = Spent()
        self._mark = mark
        self._last_advance = began
        self._looked = began - self._every_s  # whoever wants it to stop is heard once, however short it is
        self._asked_to_end: float | None = None
        self._line = b""
        self._waited_for: dict[int, int] = {}
        self._events = selectors.DefaultSelector()

    def until_gone(self) -> None:
        """Returns when the child and all that it started are gone, and what they wrote is read."""
        for stream, kind in ((self.child.stdout, OUT), (self.child.stderr, ERR)):
            assert stream
            os.set_blocking(stream.fileno(), False)
            self._events.register(stream, selectors.EVENT_READ, kind)
        self._wait_for(self.child.pid)
        while self._waited_for:
            for key, _ in self._events.select(self._every_s):
                self._take(key)
            self._look()
            if self.child.returncode is not None and not self._waited_for:
                self._find()
        self._read_the_rest()

    def _take(self, key: selectors.SelectorKey) -> None:
        if isinstance(key.data, int):
            self._gone(key.data)
            return
        piece = os.read(key.fd, PIECE)
        if not piece:
            self._events.unregister(key.fileobj)
        else:
            self._hear(key.data, piece)

    def _hear(self, kind: str, piece: bytes) -> None:
        if kind == ERR:
            *lines, rest = (self._line + piece.replace(b"\r", b"\n")).split(b"\n")
            self._line = rest[-LONGEST_LINE:]
            for line in lines[-LOG_LINES:]:
                self._note(line)
            return
        now = time.monotonic()
        if self.on_output(piece, now - self.began):
            self._last_advance = now

    def _note(self, line: bytes) -> None:
        if text := line[-LONGEST_LINE:].decode("utf-8", "replace").strip():
            self.log.append(text)

    def _wait_for(self, pid: int) -> None:
        if pid in self._waited_for:
            return
        try:
            self._waited_for[pid] = os.pidfd_open(pid)
        except ProcessLookupError:
            return
        self._events.register(self._waited_for[pid], selectors.EVENT_READ, pid)

    def _gone(self, pid: int) -> None:
        """A process has ended: what it used is added up, where it is ours to wait for."""
        self.ended = time.monotonic()
        handle = self._waited_for.pop(pid)
        self._events.unregister(handle)
        os.close(handle)
        self._reap(pid)
        if pid == self.child.pid:
            self._find()

    def _reap(self, pid: int) -> None:
        try:
            found, status, used = os.wait4(pid, os.WNOHANG)
        except ChildProcessError:
            return  # its own parent, another of them, waits for it
        if found:
            self.spent.add(used)
        if found == self.child.pid:
            self.child.returncode = self.spent.exit_code = os.waitstatus_to_exitcode(status)

    def _find(self) -> None:
        """What the child left behind is waited for; what has ended by now is only counted."""
        for pid, alive in descendants(self._mark, self.child.pid).items():
            if alive:
                self._wait_for(pid)
            else:
                self._reap(pid)

    def _look(self) -> None:
        """Memory, the user's wish to stop, and stalls."""
        now = time.monotonic()
        if now - self._looked < self._every_s:
            return
        self._looked = now
        self.sampled_peak = max(self.sampled_peak, _peak_of(self.child.pid))
        if self.child.returncode is not None:
            self._find()
        if self._asked_to_end is None:
            self.stopped = self.should_stop()
            self.stalled = not self.stopped and now - self._last_advance > self.stall_s
            if self.stopped or self.stalled:
                self._asked_to_end = now
                self._signal_every(signal.SIGTERM if self.grace_s else signal.SIGKILL)
        elif now - self._asked_to_end > self.grace_s:
            self._signal_every(signal.SIGKILL)

    def _signal_every(self, number: signal.Signals) -> None:
        left = descendants(self._mark, self.child.pid)
        signal_all([*([] if self.child.returncode is not None else [self.child.pid]), *left], number)

    def end_at_once(self) -> None:
        """Kill all of them, and wait until they are gone."""
        self._signal_every(signal.SIGKILL)
        for pid in (self.child.pid, *descendants(self._mark, self.child.pid)):
            try:
                os.wait4(pid, 0)
            except ChildProcessError:
                continue
        self.child.returncode = -signal.SIGKILL

    def _read_the_rest(self) -> None:
        """What is left in the pipes; whatever else holds them open is not waited for."""
        for key in [k for k in self._events.get_map().values() if k.data in (OUT, ERR)]:
            while piece := _read(key.fd):
                self._hear(key.data, piece)
        self._note(self._line)

    def close(self) -> None:
        """Let go of the streams."""
        self._events.close()
        for handle in self._waited_for.values():
            os.close(handle)
        for stream in (self.child.stdout, self.child.stderr):
            if stream:
                stream.close()


def _read(handle: int) -> bytes:
    try:
        return os.read(handle, PIECE)
    except BlockingIOError:
        return b""


def _peak_of(pid: int) -> int:
    """Largest resident memory so far, in bytes; 0 when the process is gone."""
    try:
        with open(f"/proc/{pid}/status", "rb") as handle:
            for line in handle:
                if line.startswith(b"VmHWM:"):
                    return int(line.split()[1]) * 1024
    except (OSError, ValueError):
        pass
    return 0
