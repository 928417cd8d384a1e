"""Which programs run on this machine, to choose the one that exports: those first of which something shows it."""

import os
from dataclasses import dataclass
from pathlib import Path

import psutil

from ovrik.errors import OvrikError
from ovrik.outside.windows import windows

MOST_FILES, MOST_SHOWN = 4096, 160
"""Of one process no more open files are looked at; and no more characters of its command are shown."""


@dataclass(frozen=True)
class Running:
    """A program that runs. Fields: `pid`; `name`; `title` of its first window, "" without one that can be seen;
    `here`, whether it has a file of the folder open, or the folder itself; `command` that it was started by, cut
    short."""

    pid: int
    name: str
    title: str = ""
    here: bool = False
    command: str = ""

    @property
    def likely(self) -> bool:
        """Whether anything says that it may be the one."""
        return self.here or bool(self.title)


def own_processes() -> set[int]:
    """Ovrik itself, and what it has started."""
    me = psutil.Process()
    return {me.pid, *(c.pid for c in me.children(recursive=True))}


def running(folder: Path | None = None, leave_out: set[int] | None = None) -> list[Running]:
    """This user's programs, without Ovrik's own: those first that are at work in the folder, then those with a
    window."""
    own = own_processes() if leave_out is None else leave_out
    user = os.getuid()
    titles = {w.pid: w.title for w in reversed(windows())}
    place = os.path.realpath(folder) if folder is not None and str(folder).strip() else ""
    out = []
    for p in psutil.process_iter(["name", "uids", "cmdline"]):
        if not (p.info["uids"] and p.info["uids"].real == user and p.info["name"]) or p.pid in own:
            continue
        if p.info["cmdline"]:  # threads of the kernel have none
            here = bool(place) and _at_work_in(p.pid, place)
            command = " ".join(p.info["cmdline"] or ())[:MOST_SHOWN]
            out.append(Running(p.pid, p.info["name"], titles.get(p.pid, ""), here, command))
    return sorted(out, key=lambda r: (not r.here, not r.title, r.name.lower(), r.pid))


def _at_work_in(pid: int, place: str) -> bool:
    try:
        for fd in os.listdir(f"/proc/{pid}/fd")[:MOST_FILES]:
            target = os.readlink(f"/proc/{pid}/fd/{fd}")
            if target == place or target.startswith(place + os.sep):
                return True
    except OSError:
        pass  # it has ended, or keeps that to itself
    return False


def pid_of(text: str) -> int | None:
    """A process by its number, or the newest one of a name; None for no text. Raises OvrikError when there is
    none."""
    if not text:
        return None
    if text.isdigit():
        if not psutil.pid_exists(int(text)):
            raise OvrikError(f"There is no process {text}", "Give the number or name of one that runs")
        return int(text)
    named = [p for p in psutil.process_iter(["name", "create_time"]) if p.info["name"] == text]
    if not named:
        raise OvrikError(f"No process is called {text}", "Start the program first, or leave --process out")
    return int(max(named, key=lambda p: p.info["create_time"]).pid)


def executable_of(pid: int) -> str:
    """The file of a process's program, "" where that is not told."""
    try:
        return os.readlink(f"/proc/{pid}/exe")
    except OSError:
        return ""
