"""Processes that an export started and that left its process group: found by a mark in their environment and in
their limits."""

import contextlib
import os
import re
import resource
import signal
import threading
import time
import zlib
from collections.abc import Iterator
from pathlib import Path

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
    with _one_at_a_time:
        own = resource.getrlimit(LOCKS)
        mark_by_limit(os.getpid(), mark)
        try:
            yield
        finally:
            resource.setrlimit(LOCKS, own)


def _marks() -> dict[int, tuple[str, int]]:
    """Both marks of every marked process by its number, "" and 0 for one it lacks; this process and what is gone left
    out."""
    out = {}
    for entry in os.scandir("/proc"):
        if not entry.name.isdigit() or int(entry.name) == os.getpid():
            continue
        try:
            found = _named(Path(entry.path)), _limit(Path(entry.path))
        except OSError:
            continue  # another user's, or just gone
        if found != ("", 0):
            out[int(entry.name)] = found
    return out


def _named(process: Path) -> str:
    wanted = f"{MARK}=".encode()
    try:
        said = _environment(process)
    except ProcessLookupError:
        return ""  # ended, and not waited for: its limits still stand
    found = next((v for v in said.split(b"\0") if v.startswith(wanted)), wanted)
    return found[len(wanted) :].decode("ascii", "replace")


def _limit(process: Path) -> int:
    line = re.search(rb"^Max file locks +(\d+)", (process / "limits").read_bytes(), re.MULTILINE)
    return int(line[1]) if line else 0


def _environment(process: Path) -> bytes:
    """A process's environment. While it becomes another program it shows none for a moment, and is asked again."""
    said = (process / "environ").read_bytes()
    for _time in range(3):
        if said or int((process / "stat").read_text().rpartition(")")[2].split()[6]) & KERNEL_THREAD:
            break
        time.sleep(0.002)
        said = (process / "environ").read_bytes()
    return said


def strays(mark: str) -> list[int]:
    """Living processes that carry a mark."""
    wanted = number_of(mark)
    return [pid for pid, (said, number) in _marks().items() if said == mark or number == wanted]


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
