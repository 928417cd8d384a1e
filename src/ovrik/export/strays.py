"""Processes that an export started and that left its process group: found by a mark in their environment."""

import os
import signal
import time
from pathlib import Path

import psutil

KERNEL_THREAD = 0x00200000
MARK = "OVRIK_EXPORT"
"""Name of the variable that every process of an export inherits, whatever session or group it goes to."""


def own_mark() -> str:
    """What the marks of all runs of this process begin with: its number and when it began."""
    own = psutil.Process()
    return f"{own.pid}:{own.create_time():.2f}:"


def new_mark(number: int) -> str:
    """A mark of one run: this process, when it began, and a number of its own."""
    return f"{own_mark()}{number}"


def _marks() -> dict[int, str]:
    """The mark of every marked process by its number, this process and what is gone left out."""
    out = {}
    wanted = f"{MARK}=".encode()
    for entry in os.scandir("/proc"):
        if not entry.name.isdigit() or int(entry.name) == os.getpid():
            continue
        try:
            said = _environment(Path(entry.path))
        except OSError:
            continue  # another user's, or just gone
        if wanted in said:
            found = next((v for v in said.split(b"\0") if v.startswith(wanted)), b"")
            out[int(entry.name)] = found[len(wanted) :].decode("ascii", "replace")
    return out


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
    return [pid for pid, said in _marks().items() if said == mark]


def signal_all(pids: list[int], number: signal.Signals) -> None:
    """Send a signal to each that is still there."""
    for pid in pids:
        try:
            os.kill(pid, number)
        except (ProcessLookupError, PermissionError):
            continue


def end_left_behind() -> list[int]:
    """End what exports of an Ovrik that is gone left running: it would load the machine. Gives their numbers."""
    left = [pid for pid, said in _marks().items() if not _lives(said)]
    signal_all(left, signal.SIGKILL)
    return left


def _lives(mark: str) -> bool:
    """Whether the Ovrik that made a mark is still at work."""
    pid, _, rest = mark.partition(":")
    try:
        return f"{psutil.Process(int(pid)).create_time():.2f}" == rest.rpartition(":")[0]
    except (psutil.Error, ValueError):
        return False
