"""What a program that exports uses of processor and graphics, to date the beginning of work before its first byte."""

import itertools
import os
import threading
import time
from collections import deque
from collections.abc import Sequence
from pathlib import Path

from ovrik.machine.sensors.graphics_use import GraphicsUse

SAMPLE_S = 0.1
KEPT_S = 3600.0
TICKS = os.sysconf("SC_CLK_TCK")
PAUSE_S = 0.3
IDLE_CORES = 0.2
"""Under so many cores in use a program waits; a menu that is drawn uses less, an export more."""


Sample = tuple[float, float, float, float]
"""A moment on the monotonic clock; the processor and graphics seconds used up to it; and those for which its threads
were ready up to it and got no processor."""


class ProgramLoad:
    """Processor and graphics seconds of one program and what it starts, ten times a second."""

    def __init__(self, pid: int) -> None:
        self._pid = pid
        self._samples: deque[Sample] = deque(maxlen=int(KEPT_S / SAMPLE_S))
        self._graphics = GraphicsUse()
        self._ended = threading.Event()
        self._thread = threading.Thread(target=self._go, daemon=True)

    def start(self) -> None:
        """Begin."""
        self._thread.start()

    def stop(self) -> None:
        """End."""
        self._ended.set()
        self._thread.join(timeout=2)

    def _go(self) -> None:
        while not self._ended.wait(SAMPLE_S):
            try:
                family: list[int] = []
                used = _used(self._pid, family)
                waited = sum(map(_waited, family))
                self._samples.append((time.monotonic(), used, self._graphics.seconds(family), waited))
            except OSError:
                return

    @property
    def samples(self) -> list[Sample]:
        """What was seen, the oldest first."""
        return list(self._samples)


def _used(pid: int, family: list[int]) -> float:
    """Processor seconds of a process, of children that have ended, and of those that live, which are added to the
    family. Raises OSError."""
    family.append(pid)
    return _own(pid) + sum(_of_child(child, family) for child in _children(pid))


def _of_child(pid: int, family: list[int]) -> float:
    try:
        return _used(pid, family)
    except OSError:
        return 0.0  # it ended this moment: from now on its parent has its seconds


def _own(pid: int) -> float:
    # A name may hold spaces and brackets: the fields come after the last one.
    fields = Path(f"/proc/{pid}/stat").read_text().rpartition(")")[2].split()
    return sum(int(v) for v in fields[11:15]) / TICKS


def _waited(pid: int) -> float:
    """Seconds for which the threads that it has now were ready and got no processor; 0 where the kernel does not
    count them."""
    total = 0
    try:
        for task in Path(f"/proc/{pid}/task").iterdir():
            total += int((task / "schedstat").read_text().split()[1])
    except (OSError, IndexError, ValueError):
        pass  # what has ended waits no more
    return total / 1e9


def _children(pid: int) -> list[int]:
    found = []
    for task in Path(f"/proc/{pid}/task").iterdir():
        try:
            found += [int(v) for v in (task / "children").read_text().split()]
        except OSError:
            continue
    return found


def onset(samples: Sequence[Sample], first_byte_s: float) -> tuple[float, float] | None:
    """When the work that led up to the first byte began, and how far off that may be: the end of the last pause
    before it, of `PAUSE_S` or more, in which the program used less than `IDLE_CORES` of processor and graphics
    together, and waited for no more either: one that others keep from working does not pause. A shorter one is a wait
    for the disk. None when it was idle up to the first byte, or was at work for as long as it was watched."""
    began: tuple[float, float] | None = None
    idle_since: float | None = None
    paused = False
    together = [(at, processor + graphics, waited) for at, processor, graphics, waited in samples]
    for (a, used_a, waited_a), (b, used_b, waited_b) in itertools.pairwise(together):
        if a >= first_byte_s or b <= a:
            continue
        # What a thread that has ended waited for is gone: the sum may fall.
        if (used_b - used_a + max(waited_b - waited_a, 0.0)) / (b - a) < IDLE_CORES:
            idle_since = a if idle_since is None else idle_since
            if b - idle_since >= PAUSE_S:
                began = (b, b - a)
                paused = True
        else:
            idle_since, paused = None, False
    return None if began is None or paused else began


def loads_between(
    samples: Sequence[Sample], began_s: float, ended_s: float
) -> tuple[tuple[float, float, float], ...]:
    """What was in use during an export: seconds since its start, cores, and graphics engines, up to then."""
    return tuple(
        (b - began_s, (used_b - used_a) / (b - a), (drawn_b - drawn_a) / (b - a))
        for (a, used_a, drawn_a, _before), (b, used_b, drawn_b, _after) in itertools.pairwise(samples)
        if began_s <= a < b <= ended_s
    )
