"""Run one program in a process group of its own, and measure the whole group."""

import ctypes
import itertools
import os
import resource
import selectors
import shutil
import signal
import subprocess
import time
from collections import deque
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from pathlib import Path
from typing import IO

from ovrik.errors import OvrikError
from ovrik.export.wall import Wall, behind, level
from ovrik.machine.guard import stand_guard
from ovrik.machine.strays import MARK, marking, new_mark, number_of, own_mark, signal_all, strays

LOG_LINES = 40
_NUMBERS = itertools.count()
GRACE_S = 3.0
WATCH_EVERY_S = 0.2
PR_SET_CHILD_SUBREAPER = 36


@dataclass(frozen=True)
class Usage:
    """What a process group took.

    Fields: `wall_s`, monotonic seconds from start to the exit of the group's last process;
    `user_s`, `system_s`, processor seconds of all of them; `peak_bytes`, the largest resident
    memory of any one of them; `read_bytes`, `written_bytes`, what reached the disk's block layer;
    `exit_code` of the program (negative: the signal that ended it); `log`, its last lines;
    `stopped`, True when it was ended on request; `stalled`, True when ended for not getting on;
    `own_cpu_s`, processor seconds that Ovrik itself used meanwhile.
    """

    wall_s: float
    user_s: float
    system_s: float
    peak_bytes: int
    read_bytes: int
    written_bytes: int
    exit_code: int
    log: tuple[str, ...]
    stopped: bool
    stalled: bool
    own_cpu_s: float


@dataclass(frozen=True)
class Start:
    """How an export begins. Fields: `nice`, 0 to 19; `cores` it may use, empty for all."""

    nice: int = 0
    cores: tuple[int, ...] = ()

    def prefix(self) -> list[str]:
        """What stands before the argument list."""
        niced = ["nice", "-n", str(self.nice)] if self.nice else []
        return [*niced, *(["taskset", "-c", ",".join(map(str, self.cores))] if self.cores else [])]


def together(one: Usage, then: Usage) -> Usage:
    """What two programs run one after the other took."""
    sums = {
        name: getattr(one, name) + getattr(then, name)
        for name in ("wall_s", "user_s", "system_s", "read_bytes", "written_bytes", "own_cpu_s")
    }
    peak = max(one.peak_bytes, then.peak_bytes)
    return replace(then, **sums, peak_bytes=peak, log=(*one.log, *then.log)[-LOG_LINES:])


def measure(
    arguments: Sequence[str],
    on_output: Callable[[bytes, float], bool] = lambda _piece, _at: True,
    should_stop: Callable[[], bool] = lambda: False,
    stall_s: float = 120.0,
    cwd: Path | None = None,
    on_start: Callable[[int], None] = lambda _group: None,
    start: Start = Start(),
    wall: Wall | None = None,
) -> Usage:
    """Run an argument list to the exit of its whole process group, and of whatever it started that left the group.

    `on_output` gets each piece of standard output with the seconds since start, and says whether it
    shows work getting on. `should_stop` is asked five times a second; the group then gets SIGTERM,
    and SIGKILL after 3 s. A program that does not get on for `stall_s` seconds is ended likewise.
    `on_start` gets the number of the process group; `start` says with what rights it begins; `wall`, what it may
    read and write, where the kernel can see to that.
    Raises OvrikError when the program can't be started.
    """
    _adopt_orphans()
    own_before = time.process_time()
    floor = _memory_floor()
    whole = [*_leash(arguments[0]), *start.prefix(), *arguments]
    mark = new_mark(next(_NUMBERS))
    stand_guard(MARK, own_mark(), number_of(f"{own_mark()}0"))
    began = time.monotonic()

    def begin() -> "subprocess.Popen[bytes]":
        nonlocal began
        with marking(mark):
            began = time.monotonic()
            return subprocess.Popen(
                whole,
                stdin=subprocess.DEVNULL,
                stdout=subprocess.PIPE,
                stderr=subprocess.PIPE,
                start_new_session=True,
                cwd=cwd,
                env={**os.environ, MARK: mark},
            )

    def let_go() -> None:
        return

    try:
        if wall is not None and level():
            child, let_go = behind(wall, begin)
        else:
            child = begin()
    except OSError as exc:
        raise OvrikError(f"{arguments[0]} won't start ({exc.strerror})", "Check the build") from None
    on_start(child.pid)
    watch = _Watch(child, began, on_output, should_stop, stall_s, mark)
    try:
        watch.until_exit()
    except BaseException:
        _signal(child.pid, signal.SIGKILL)
        signal_all(strays(mark), signal.SIGKILL)
        _reap(child.pid)
        child.returncode = -signal.SIGKILL
        raise
    finally:
        watch.close()
        let_go()
    spent = watch.spent
    # A child's peak as the kernel keeps it is never below the parent's at the fork; above that it
    # is exact, below it the sampled peak is the better number.
    peak = spent.peak_bytes if spent.peak_bytes > floor else watch.sampled_peak
    return Usage(
        wall_s=watch.ended - began,
        user_s=spent.user_s,
        system_s=spent.system_s,
        peak_bytes=peak,
        read_bytes=spent.read_bytes,
        written_bytes=spent.written_bytes,
        exit_code=spent.exit_code,
        log=tuple(watch.log),
        stopped=watch.stopped,
        stalled=watch.stalled,
        own_cpu_s=time.process_time() - own_before,
    )


@dataclass
class _Spent:
    user_s: float = 0.0
    system_s: float = 0.0
    peak_bytes: int = 0
    read_bytes: int = 0
    written_bytes: int = 0
    exit_code: int = 0


class _Watch:
    """Reads a child's two streams until every process of its group is gone."""

    def __init__(
        self,
        child: "subprocess.Popen[bytes]",
        began: float,
        on_output: Callable[[bytes, float], bool],
        should_stop: Callable[[], bool],
        stall_s: float,
        mark: str,
    ) -> None:
        self._mark = mark
        self.child, self.began, self.on_output = child, began, on_output
        self.should_stop, self.stall_s = should_stop, stall_s
        self.log: deque[str] = deque(maxlen=LOG_LINES)
        self.sampled_peak = 0
        self.stopped = self.stalled = False
        self.ended = began
        self.spent = _Spent()
        self._last_advance = began
        self._asked_to_end: float | None = None
        self._err_rest = b""
        self._streams = selectors.DefaultSelector()
        self._pidfd = os.pidfd_open(child.pid)
        self._exited = False

    def until_exit(self) -> None:
        """Returns when the group is gone and both streams are read to their end."""
        assert self.child.stdout
        assert self.child.stderr
        for stream, kind in ((self.child.stdout, "out"), (self.child.stderr, "err")):
            os.set_blocking(stream.fileno(), False)
            self._streams.register(stream, selectors.EVENT_READ, kind)
        self._streams.register(self._pidfd, selectors.EVENT_READ, "exit")
        while not self._exited:
            for key, _ in self._streams.select(WATCH_EVERY_S):
                self._take(key)
            if not self._exited:
                self._look()
        self._group_exit()
        self._strays_exit()
        self._drain()

    def _take(self, key: selectors.SelectorKey) -> None:
        if key.data == "exit":
            self._exited = True
            return
        piece = key.fileobj.read()  # type: ignore[union-attr]
        if not piece:
            self._streams.unregister(key.fileobj)
            return
        if key.data == "out":
            now = time.monotonic()
            if self.on_output(piece, now - self.began):
                self._last_advance = now
        else:
            self._keep_log(piece)

    def _keep_log(self, piece: bytes) -> None:
        *lines, self._err_rest = (self._err_rest + piece.replace(b"\r", b"\n")).split(b"\n")
        self.log.extend(text for line in lines if (text := line.decode("utf-8", "replace").strip()))

    def _look(self) -> None:
        """Memory, the user's wish to stop, and stalls; at most a few times a second."""
        now = time.monotonic()
        self.sampled_peak = max(self.sampled_peak, _peak_of(self.child.pid))
        if self._asked_to_end is None:
            self.stopped = self.should_stop()
            self.stalled = not self.stopped and now - self._last_advance > self.stall_s
            if self.stopped or self.stalled:
                self._asked_to_end = now
                self._signal_every(signal.SIGTERM)
        elif now - self._asked_to_end > GRACE_S:
            self._signal_every(signal.SIGKILL)

    def _signal_every(self, number: signal.Signals) -> None:
        _signal(self.child.pid, number)
        signal_all(strays(self._mark), number)

    def _group_exit(self) -> None:
        """Wait for every process of the group; a forked rest counts until it is gone."""
        group = self.child.pid
        while True:
            try:
                pid, status, used = os.wait4(-group, 0 if self._exited_clean() else os.WNOHANG)
            except ChildProcessError:
                break
            if pid == 0:
                time.sleep(0.001)
                self._look()
                continue
            self.ended = time.monotonic()
            self._add(used)
            if pid == group:
                self.spent.exit_code = os.waitstatus_to_exitcode(status)
                self.child.returncode = self.spent.exit_code

    def _strays_exit(self) -> None:
        """Wait for what left the group, as for what stayed in it."""
        left = set(strays(self._mark))
        while left:
            gone = {pid for pid in left if self._stray_gone(pid)}
            self.ended = time.monotonic()
            # One that has ended is only a number until it is waited for, and carries no mark any more.
            left = (left - gone) | set(strays(self._mark))
            if left:
                time.sleep(0.005)
                self._look()

    def _stray_gone(self, pid: int) -> bool:
        try:
            found, _status, used = os.wait4(pid, os.WNOHANG)
        except ChildProcessError:
            return not Path(f"/proc/{pid}").exists()  # its own parent, another stray, waits for it
        if found:
            self._add(used)
        return bool(found)

    def _exited_clean(self) -> bool:
        return self.child.returncode is None

    def _add(self, used: "resource.struct_rusage") -> None:
        s = self.spent
        s.user_s += used.ru_utime
        s.system_s += used.ru_stime
        s.peak_bytes = max(s.peak_bytes, used.ru_maxrss * 1024)
        s.read_bytes += used.ru_inblock * 512
        s.written_bytes += used.ru_oublock * 512

    def _drain(self) -> None:
        streams: list[IO[bytes] | None] = [self.child.stdout, self.child.stderr]
        for stream, take in zip(streams, (self._drain_out, self._keep_log), strict=True):
            piece = stream.read() if stream and not stream.closed else None
            if piece:
                take(piece)
        if self._err_rest.strip():
            self.log.append(self._err_rest.decode("utf-8", "replace").strip())

    def _drain_out(self, piece: bytes) -> None:
        self.on_output(piece, self.ended - self.began)

    def close(self) -> None:
        """Let go of the streams."""
        self._streams.close()
        os.close(self._pidfd)
        for stream in (self.child.stdout, self.child.stderr):
            if stream:
                stream.close()


LEASH = "setpriv"
"""Starts a program so that it is killed when this process is: an encoder that outlived Ovrik would
load the machine while the study is gone on with."""


def _leash(program: str) -> list[str]:
    """What stands before the argument list; nothing where the program could not be started anyway,
    so that the reason is the program's own."""
    tool = shutil.which(LEASH)
    if tool is None or not startable(program):
        return []
    return [tool, "--pdeathsig", "KILL", "--"]


def startable(program: str) -> bool:
    """Whether a program is there, may be run, and is of a kind that the kernel starts."""
    place = shutil.which(program)
    if place is None:
        return False
    with open(place, "rb") as handle:
        head = handle.read(64)
    return head.startswith(b"#!") or (head[:4] == b"\x7fELF" and len(head) == 64 and any(head[24:32]))


def _memory_floor() -> int:
    """The peak, in bytes, that a child inherits from this process when it is forked."""
    try:
        # Forgets this process's own past peak, so that the floor is what it holds now.
        Path("/proc/self/clear_refs").write_text("5")
    except OSError:
        return resource.getrusage(resource.RUSAGE_SELF).ru_maxrss * 1024
    pages = int(Path("/proc/self/statm").read_text().split()[1])
    return round(pages * resource.getpagesize() * 1.05)


def _adopt_orphans() -> None:
    """Make orphaned grandchildren ours, so that a forking program is measured to its end."""
    ctypes.CDLL(None, use_errno=True).prctl(PR_SET_CHILD_SUBREAPER, 1, 0, 0, 0)


def _signal(group: int, number: signal.Signals) -> None:
    try:
        os.killpg(group, number)
    except ProcessLookupError:
        return


def _reap(group: int) -> None:
    try:
        while True:
            os.wait4(-group, 0)
    except ChildProcessError:
        return


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
