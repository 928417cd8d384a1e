"""Processes that an export started and that left its process group: found by a mark in their environment and in
their limits."""

import contextlib
import ctypes
import os
import re
import resource
import signal
import threading
import time
import zlib
from collections.abc import Iterator
from typing import NamedTuple

import psutil

KERNEL_THREAD = 0x00200000
MARK = "OVRIK_EXPORT"
"""Name of the variable that every process of an export inherits, whatever session or group it goes to."""


def own_mark(pid: int | None = None) -> str:
    """What the marks of all runs of a process begin with, of this one unless another is asked for: its number
    and when it began. Raises psutil.Error when there is no such process."""
    own = psutil.Process(pid)
    return f"{own.pid}:{own.create_time():.2f}:"


def new_mark(number: int) -> str:
    """A mark of one run: this process, when it began, and a number of its own."""
    return f"{own_mark()}{number}"


LOCKS = 10
"""The kernel's RLIMIT_LOCKS. It has limited nothing since Linux 2.4.25, but whatever a process starts inherits it,
even what clears its environment: a mark that can't be lost by accident."""
RUN_BITS, START_BITS = 20, 20


def number_of(mark: str) -> int:
    """The same mark as a number: process, when it began, and run."""
    pid, start, run = mark.split(":")
    began = zlib.crc32(start.encode()) & ((1 << START_BITS) - 1)
    return (int(pid) << START_BITS | began) << RUN_BITS | int(run) & ((1 << RUN_BITS) - 1)


def mark_by_limit(pid: int, mark: str) -> None:
    """Mark a process, and all that it will start."""
    with contextlib.suppress(OSError, ValueError):
        resource.prlimit(pid, LOCKS, (number_of(mark), resource.RLIM_INFINITY))


_one_at_a_time = threading.Lock()


@contextlib.contextmanager
def marking(mark: str) -> Iterator[None]:
    """What is started within carries the mark from its first moment: one that is marked once it runs may have started
    something by then."""
    library = ctypes.CDLL(None)
    with _one_at_a_time:
        own, slack = resource.getrlimit(LOCKS), library.prctl(GET_SLACK, 0, 0, 0, 0)
        mark_by_limit(os.getpid(), mark)
        library.prctl(SET_SLACK, slack_of(mark), 0, 0, 0)
        try:
            yield
        finally:
            resource.setrlimit(LOCKS, own)
            library.prctl(SET_SLACK, slack, 0, 0, 0)


SET_SLACK, GET_SLACK = 29, 30
USUAL_SLACK, SLACKS = 50_000, 9_973
"""By how many nanoseconds the kernel may be late in waking a thread, as it usually is; a run's own is up to 10 µs
more, which nothing notices. Whatever a process starts inherits it, through all that clears environment and limits: a
third mark. It is no proof by itself: another Ovrik's may be the same."""


def slack_of(mark: str) -> int:
    """The same mark as a timer slack, nanoseconds."""
    return USUAL_SLACK + 1 + number_of(mark) % (1 << RUN_BITS) % SLACKS


def _marks() -> dict[int, tuple[str, int]]:
    """Both marks of every marked process by its number, "" and 0 for one it lacks; this process and what is gone left
    out."""
    out = {}
    for entry in os.scandir("/proc"):
        if not entry.name.isdigit() or int(entry.name) == os.getpid():
            continue
        try:
            state = _state(entry.path)
            if state is None or state.of_kernel:
                continue
            found = _named(entry.path), _limit(entry.path)
        except OSError:
            continue  # another user's, or just gone
        if found != ("", 0):
            out[int(entry.name)] = found
    return out


def _named(process: str) -> str:
    wanted = f"{MARK}=".encode()
    try:
        said = _environment(process)
    except ProcessLookupError:
        return ""  # ended, and not waited for: its limits still stand
    found = next((v for v in said.split(b"\0") if v.startswith(wanted)), wanted)
    return found[len(wanted) :].decode("ascii", "replace")


def _limit(process: str) -> int:
    line = re.search(rb"^Max file locks +(\d+)", _read(f"{process}/limits"), re.MULTILINE)
    return int(line[1]) if line else 0


def _environment(process: str) -> bytes:
    """A process's environment. While it becomes another program it shows none for a moment, and is asked again."""
    said = _read(f"{process}/environ")
    for _time in range(3):
        if said:
            break
        time.sleep(0.002)
        said = _read(f"{process}/environ")
    return said


def _read(path: str) -> bytes:
    """All of one of the kernel's files: there are hundreds to read at the end of every export."""
    with open(path, "rb", buffering=0) as handle:
        return handle.read()


def strays(mark: str) -> list[int]:
    """Processes that carry a mark."""
    return list(descendants(mark))


def descendants(mark: str, group: int = 0) -> dict[int, bool]:
    """Processes that carry a mark, or are of this process group, each with whether it is alive; one that has ended
    stays until it is waited for. Only this process's own are looked at where nothing but the timer slack says so."""
    wanted, slack, own = number_of(mark), slack_of(mark), os.getpid()
    states = {int(e.name): s for e in os.scandir("/proc") if e.name.isdigit() and (s := _state(e.path))}
    out = {}
    for pid, state in states.items():
        if pid in (own, group) or state.of_kernel:
            continue
        place = f"/proc/{pid}"
        try:
            mine = state.group == group or _limit(place) == wanted or _named(place) == mark
            mine = mine or (_slack(place) == slack and own in _line(pid, states))
        except OSError:
            continue  # another user's, or just gone
        if mine:
            out[pid] = state.code not in "ZX"
    return out


class _State(NamedTuple):
    """Of a process. Fields: `code` of its state; `parent`, `group`, numbers; `of_kernel`, whether it is a thread of
    the kernel's, which nobody starts."""

    code: str
    parent: int
    group: int
    of_kernel: bool


def _state(process: str) -> _State | None:
    try:
        found = _read(f"{process}/stat").rpartition(b")")[2].split()
        return _State(found[0].decode(), int(found[1]), int(found[2]), bool(int(found[6]) & KERNEL_THREAD))
    except (OSError, ValueError, IndexError):
        return None


def _line(pid: int, states: dict[int, _State]) -> Iterator[int]:
    """A process's parent, that one's, and so on."""
    for _generation in range(len(states)):
        if pid not in states:
            return
        pid = states[pid].parent
        yield pid


def _slack(process: str) -> int:
    try:
        return int(_read(f"{process}/timerslack_ns"))
    except (OSError, ValueError):
        return 0


def signal_all(pids: list[int], number: signal.Signals) -> None:
    """Send a signal to each that is still there."""
    for pid in pids:
        try:
            os.kill(pid, number)
        except (ProcessLookupError, PermissionError):
            continue


def end_left_behind() -> list[int]:
    """End what exports of an Ovrik that is gone left running: it would load the machine. Gives their numbers."""
    left = [pid for pid, found in _marks().items() if not _lives(*found)]
    signal_all(left, signal.SIGKILL)
    return left


def _lives(mark: str, number: int) -> bool:
    """Whether the Ovrik that made a mark is still at work."""
    pid = int(mark.partition(":")[0]) if mark.partition(":")[0].isdigit() else number >> RUN_BITS + START_BITS
    try:
        own = own_mark(pid)
    except psutil.Error:
        return False
    return mark.startswith(own) if mark else number >> RUN_BITS == number_of(f"{own}0") >> RUN_BITS
