"""Processes beside a program that is watched: one that began to work when the program was spoken to may work for
it, and one that writes the export does."""

import os
import time
from collections.abc import Callable
from dataclasses import dataclass, replace
from pathlib import Path

LOOK_S = 1.0
"""They are looked at no more often: there may be hundreds."""
WORKS_CORES = 0.4
TICKS = os.sysconf("SC_CLK_TCK")
MOST_BURSTS = 1000
MOST_SCOPE = 4096
MOST_PARENTS, MOST_STAT = 16, 4096
KERNEL = 0x00200000
"""PF_KTHREAD among a process's flags: it is one of the kernel's own."""
SCOPES = Path("/sys/fs/cgroup")


@dataclass(frozen=True)
class Burst:
    """A while in which a process was at work that had been at rest before, or had not been there. Fields: `pid`;
    `earliest` and `latest`, between which it began; `ended`, when it was last seen at work; all on the monotonic
    clock; `parents`, numbers of those that started it, as far as they had been started themselves since the watch
    began, the nearest first, and `born`, when the last of these was, or it itself, None of one that was there."""

    pid: int
    earliest: float
    latest: float
    ended: float
    parents: tuple[int, ...] = ()
    born: float | None = None


@dataclass(frozen=True)
class _Seen:
    used: float
    burst: int | None  # its place in `bursts`, while it is at work


@dataclass(frozen=True)
class _Process:
    pid: int
    parent: int
    started: int  # in ticks since the machine's
    used: float


class Services:
    """Looks at all processes but those of `leave_out`, once in a while. `bursts`, those so far; one that was at work
    from the beginning has none."""

    def __init__(self, leave_out: Callable[[], set[int]]) -> None:
        self.bursts: list[Burst] = []
        self._leave_out, self._seen, self._at = leave_out, dict[tuple[int, int], _Seen](), 0.0
        self._kernels = set[str]()
        self._new = dict[int, tuple[int, float]]()  # parent and birth of those that came since

    def look(self) -> None:
        """Look, unless that was a moment ago."""
        now = time.monotonic()
        if now - self._at < LOOK_S:
            return
        first, since, away = not self._seen, now - self._at, self._leave_out()
        found = {}
        for one in _processes(self._kernels):
            if one.pid in away:
                continue
            key = one.pid, one.started
            before = self._seen.get(key)
            if before is None and not first:
                self._new[one.pid] = one.parent, _monotonic(one.started)
            found[key] = _Seen(one.used, None) if first else self._took(one, before, now, since)
        self._seen, self._at = found, now

    def _took(self, one: _Process, before: _Seen | None, now: float, since: float) -> _Seen:
        born = None if before else self._new[one.pid][1]
        least = WORKS_CORES * (since if born is None else min(since, max(now - born, 0.05)))
        if one.used - (before.used if before else 0.0) < least:
            return _Seen(one.used, None)
        if before and before.burst is not None:
            self.bursts[before.burst] = replace(self.bursts[before.burst], ended=now)
            return _Seen(one.used, before.burst)
        if len(self.bursts) >= MOST_BURSTS:
            return _Seen(one.used, None)
        earliest, latest = (now - since, now) if born is None else (born, born)
        self.bursts.append(Burst(one.pid, earliest, latest, now, *self._descent(one.pid)))
        return _Seen(one.used, len(self.bursts) - 1)

    def _descent(self, pid: int) -> tuple[tuple[int, ...], float | None]:
        parents, born = list[int](), None
        while pid in self._new and len(parents) < MOST_PARENTS:
            parent, born = self._new[pid]
            parents.append(parent)
            pid = parent
        return tuple(parents[:-1]), born


def _processes(kernels: set[str]) -> list[_Process]:
    """All but the kernel's own, which are noted by name and passed over from then on."""
    out = []
    for name in os.listdir("/proc"):
        if not name.isdigit() or name in kernels:
            continue
        try:
            handle = os.open(f"/proc/{name}/stat", os.O_RDONLY)
        except OSError:
            continue
        try:
            fields = os.read(handle, MOST_STAT).rpartition(b")")[2].split()
        except OSError:
            continue  # it has ended
        finally:
            os.close(handle)
        if int(fields[6]) & KERNEL:
            kernels.add(name)
            continue
        used = (int(fields[11]) + int(fields[12])) / TICKS
        out.append(_Process(int(name), int(fields[1]), int(fields[19]), used))
    return out


def _monotonic(started: int) -> float:
    """A process's start on the monotonic clock, which stands still while the machine sleeps."""
    return started / TICKS - (time.clock_gettime(time.CLOCK_BOOTTIME) - time.monotonic())


def scope_of(text: str) -> str:
    """The control group of a desktop's program, from what /proc says of it; "" for a process that shares its group
    with others' programs."""
    path = next((line[3:] for line in text.splitlines() if line.startswith("0::")), "")
    last = path.rpartition("/")[2]
    return path if last.startswith("app-") and last.endswith((".scope", ".service")) else ""


def members_list(pid: int, scopes: Path = SCOPES, proc: Path = Path("/proc")) -> Path | None:
    """Where the kernel lists the processes that the desktop started as one program with this one; None where it does
    not say so."""
    try:
        scope = scope_of((proc / str(pid) / "cgroup").read_text())
    except OSError:
        return None
    if not scope or ".." in scope.split("/"):
        return None
    return scopes / scope.lstrip("/") / "cgroup.procs"


def members(listed: Path | None) -> list[int]:
    """Those processes, itself included."""
    if listed is None:
        return []
    try:
        with listed.open() as file:
            return [int(line) for line in file.read(8 * MOST_SCOPE).split()]
    except (OSError, ValueError):
        return []
