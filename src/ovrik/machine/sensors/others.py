"""Who else is at work while something is timed: by processor time and by what goes to the disks, short ones too.

Processes are gone through every few seconds; in between only those that have just begun are looked at, so that one
that lives for a second is known by its name and by nearly all that it used.
"""

import os
import time
from collections import defaultdict
from collections.abc import Callable
from dataclasses import dataclass, field

from ovrik.machine.sensors.load import CULPRIT_SHARE, TICKS
from ovrik.machine.sensors.process_tree import disk_bytes

THOROUGH_EVERY_S = 5.0
YOUNG_S = 10.0
LEAST_DISK_MB_S = 5.0


@dataclass
class _Known:
    """A process as it was last seen. Fields: `name`; `cpu_s`, `moved` bytes, of the first and of the last look; `at`,
    when it was first seen; `ours`, whether it belongs to the export."""

    name: str
    first_cpu_s: float
    cpu_s: float
    first_moved: int
    moved: int
    at: float
    ours: bool


@dataclass
class Others:
    """Follows all processes but this one and the export's own.

    Fields: `ours`, says whether a process belongs to the export; `cpu_s`, processor seconds by name; `moved`, bytes
    read and written by name, of those whose counts may be read.
    """

    ours: Callable[[int], bool]
    _known: dict[int, _Known] = field(default_factory=dict)
    _gone: list[_Known] = field(default_factory=list)
    _began: float = 0.0
    _thorough: float = 0.0

    def begin(self) -> None:
        """From now on."""
        self._began = time.monotonic()
        self._look(thorough=True, first=True)

    def look(self) -> None:
        """Called twice a second or so."""
        self._look(time.monotonic() - self._thorough > THOROUGH_EVERY_S)

    def end(self) -> tuple[list[tuple[str, float]], list[tuple[str, float]]]:
        """Processor seconds, and MB/s of the disks, by name since `begin`, of those that are worth naming, the
        greediest first."""
        self._look(thorough=True)
        span = max(time.monotonic() - self._began, 1e-6)
        cpu, moved = defaultdict[str, float](float), defaultdict[str, float](float)
        for p in (*self._gone, *self._known.values()):
            if not p.ours:
                cpu[p.name] += p.cpu_s - p.first_cpu_s
                moved[p.name] += (p.moved - p.first_moved) / span / 1e6
        busy = [(n, s) for n, s in cpu.items() if s > CULPRIT_SHARE * span]
        disks = [(n, v) for n, v in moved.items() if v > LEAST_DISK_MB_S]
        return sorted(busy, key=lambda x: -x[1]), sorted(disks, key=lambda x: -x[1])

    def _look(self, thorough: bool, first: bool = False) -> None:
        now, own = time.monotonic(), os.getpid()
        there = {int(n) for n in os.listdir("/proc") if n.isdigit()} - {own}
        for pid in self._known.keys() - there:
            self._gone.append(self._known.pop(pid))
        for pid in there:
            known = self._known.get(pid)
            if known is None or thorough or now - known.at < YOUNG_S:
                self._read(pid, known, now, first)
        if thorough:
            self._thorough = now

    def _read(self, pid: int, known: _Known | None, now: float, first: bool) -> None:
        said = _stat(pid)
        if said is None:
            return
        name, cpu_s = said
        if known is not None and cpu_s < known.cpu_s:  # another process has the number now
            self._gone.append(known)
            known = None
        moved = sum(disk_bytes(pid))
        if known is None:
            # What was there before counts from now; what began meanwhile counts whole.
            at = now if not first else float("-inf")
            before = (cpu_s, moved) if first else (0.0, 0)
            self._known[pid] = _Known(
                name=name,
                first_cpu_s=before[0],
                cpu_s=cpu_s,
                first_moved=before[1],
                moved=moved,
                at=at,
                ours=self.ours(pid),
            )
            return
        known.name, known.cpu_s, known.moved = name, cpu_s, max(moved, known.moved)
        known.ours = known.ours or self.ours(pid)


def name_of(pid: int) -> str:
    """The name of a process, its number where it is gone."""
    said = _stat(pid)
    return said[0] if said else str(pid)


def _stat(pid: int) -> tuple[str, float] | None:
    try:
        with open(f"/proc/{pid}/stat", "rb") as handle:
            said = handle.read()
    except OSError:
        return None  # it has just ended
    # The name stands in brackets and may hold anything; user and system time are the 12th and 13th after it.
    name, _, rest = said.partition(b"(")[2].rpartition(b")")
    values = rest.split()
    return name.decode(errors="replace"), (int(values[11]) + int(values[12])) / TICKS
