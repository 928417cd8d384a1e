"""What a process and all that it started use, read cheaply enough to be read while they are timed."""

import os
from dataclasses import dataclass

from ovrik.machine.sensors.load import TICKS

PAGE = os.sysconf("SC_PAGE_SIZE")


@dataclass(frozen=True)
class TreeUse:
    """Running totals of a tree of processes. Fields: `cpu_s`, processor seconds of them and of those that have ended;
    `memory`, bytes resident now; `read`, `written`, bytes that went to the disks' own layer, 0 where that may not be
    read; `pids`, those that are there; `stopped`, whether one of them is, by a signal or a debugger."""

    cpu_s: float
    memory: int
    read: int
    written: int
    pids: tuple[int, ...]
    stopped: bool = False


STOPPED = (b"T", b"t")
"""How the kernel writes that in /proc/PID/stat."""


def tree_of(pid: int) -> list[int]:
    """A process and its descendants, by the kernel's lists of children; empty when it is gone."""
    found, waiting = [], [pid]
    while waiting:
        now = waiting.pop()
        try:
            threads = os.listdir(f"/proc/{now}/task")
        except OSError:
            continue
        found.append(now)
        for thread in threads:
            waiting += map(int, _read(f"/proc/{now}/task/{thread}/children").split())
    return found


def tree_use(pid: int) -> TreeUse:
    """What a process and its descendants have used up to now."""
    cpu = memory = read = written = 0
    stopped = False
    pids = tree_of(pid)
    for one in pids:
        values = _read(f"/proc/{one}/stat").rpartition(b")")[2].split()
        if len(values) < 22:
            continue
        stopped |= values[0] in STOPPED
        # User and system time, and those of children that were waited for; resident pages.
        cpu += sum(map(int, values[11:15]))
        memory += int(values[21]) * PAGE
        moved = disk_bytes(one)
        read, written = read + moved[0], written + moved[1]
    return TreeUse(cpu / TICKS, memory, read, written, tuple(pids), stopped)


def disk_bytes(pid: int) -> tuple[int, int]:
    """Bytes that a process has read from disks and written to them; 0 where that may not be known."""
    moved = dict(line.split(b": ") for line in _read(f"/proc/{pid}/io").splitlines() if b": " in line)
    return int(moved.get(b"read_bytes", 0)), int(moved.get(b"write_bytes", 0))


def _read(path: str) -> bytes:
    try:
        with open(path, "rb") as handle:
            return handle.read()
    except OSError:
        return b""
