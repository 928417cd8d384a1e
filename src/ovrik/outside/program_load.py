"""What a program that exports uses of processor and graphics, to date the beginning of work before its first byte."""

import itertools
import os
import threading
import time
from collections import deque
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path

from ovrik.machine.sensors.graphics_use import GraphicsUse
from ovrik.outside.services import Burst, Services, members, members_list

SAMPLE_S = 0.1
KEPT_S = 3600.0
TICKS = os.sysconf("SC_CLK_TCK")
PAUSE_S = 0.5
IDLE_CORES = 0.2
"""Under so many cores in use a program waits; a menu that is drawn uses less, an export more."""


CHAIN_S = 5.0
"""Whatever a program does this soon before other work may belong to it: it may wait for a disk, a licence, a device,
or for another program that works for it."""
OVER_S = 1.0
"""So long after an export a program may still clear up."""
ASKED_S = 1.0
"""Another process begins this soon after it was asked."""
WOKEN_S, OVER_USUAL, USUAL = 0.0002, 3.0, 0.9
"""A program that was at rest has been spoken to when within a sample it ran for so long, and so many times as long as
it does at rest in this share of the samples: a cursor that blinks or a clock wakes it too."""


@dataclass(frozen=True)
class Sample:
    """What a program had used up to a moment. Fields, seconds: `at`, on the monotonic clock; `used`, of processors by
    itself and all that it started, to a hundredth; `drawn`, of graphics; `waited`, for which its threads were ready
    and got no processor; `ran`, for which the threads that it has now had one, to a nanosecond."""

    at: float
    used: float
    drawn: float = 0.0
    waited: float = 0.0
    ran: float = 0.0


class ProgramLoad:
    """Processor and graphics seconds of one program and what it starts, or the desktop started with it, ten times a
    second; and, less often, what works beside it. `family`, numbers of its processes at the last look."""

    def __init__(self, pid: int) -> None:
        self._pid = pid
        self.family: set[int] = {pid}
        self._samples: deque[Sample] = deque(maxlen=int(KEPT_S / SAMPLE_S))
        self._graphics = GraphicsUse()
        self._listed = members_list(pid)
        self._services = Services(lambda: self.family | {os.getpid()})
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
            self._services.look()
            try:
                family: list[int] = []
                used = _used(self._pid, family)
                used += sum(_of_child(pid, family) for pid in members(self._listed) if pid not in family)
                ran, waited = (sum(each) for each in zip(*map(_scheduled, family), strict=True))
                self._samples.append(
                    Sample(time.monotonic(), used, self._graphics.seconds(family), waited, ran)
                )
            except OSError:
                continue  # it has ended; what it started may go on
            self.family = set(family)

    @property
    def bursts(self) -> list[Burst]:
        """When others began to work, and how long they did."""
        return list(self._services.bursts)

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


def _scheduled(pid: int) -> tuple[float, float]:
    """Seconds for which the threads that it has now ran, and were ready and got no processor; 0 where the kernel does
    not count them."""
    ran = waited = 0
    try:
        for task in Path(f"/proc/{pid}/task").iterdir():
            fields = (task / "schedstat").read_text().split()
            ran, waited = ran + int(fields[0]), waited + int(fields[1])
    except (OSError, IndexError, ValueError):
        pass  # what has ended waits no more
    return ran / 1e9, waited / 1e9


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
    for a, b in itertools.pairwise(samples):
        if a.at >= first_byte_s or b.at <= a.at:
            continue
        if not _works(a, b):
            idle_since = a.at if idle_since is None else idle_since
            if b.at - idle_since >= PAUSE_S:
                began = (b.at, b.at - a.at)
                paused = True
        else:
            idle_since, paused = None, False
    return None if began is None or paused else began


def _works(a: Sample, b: Sample) -> bool:
    # What a thread that has ended waited for is gone: the sum may fall.
    busy = b.used - a.used + b.drawn - a.drawn + max(b.waited - a.waited, 0.0)
    return busy / (b.at - a.at) >= IDLE_CORES


def earliest_start(
    samples: Sequence[Sample],
    latest_s: float,
    bursts: Sequence[Burst] = (),
    others: Sequence[tuple[float, float]] = (),
) -> float:
    """How early the work may have begun that was certainly under way at `latest_s`: it goes back as long as the
    program worked, or was spoken to, no more than `CHAIN_S` before; and over what another process did that began
    when the program was spoken to. While `others` were exported, from when to when, it worked for those: only where
    it did not rest after that it may have been at this one too."""
    moved = stirred(samples, latest_s)
    asked = _asked(bursts, moved)
    earliest = latest_s
    while True:
        earliest = _back(moved, earliest, others)
        further = min(
            (b.earliest for b in asked if b.ended + _gap(b.ended, others) >= earliest), default=earliest
        )
        if further >= earliest:
            return earliest
        earliest = further


def stirred(samples: Sequence[Sample], before_s: float) -> list[tuple[float, float]]:
    """Samples before a moment, from when to when, in which the program worked or was spoken to."""
    pairs = [(a, b) for a, b in itertools.pairwise(samples) if a.at < before_s and b.at > a.at]
    at_rest = sorted(max(b.ran - a.ran, 0.0) for a, b in pairs if not _works(a, b))
    woken = max(WOKEN_S, OVER_USUAL * at_rest[int(USUAL * (len(at_rest) - 1))]) if at_rest else WOKEN_S
    return [(a.at, b.at) for a, b in pairs if _works(a, b) or b.ran - a.ran >= woken]


def _asked(bursts: Sequence[Burst], moved: Sequence[tuple[float, float]]) -> list[Burst]:
    """Those that began, or of which the first one was started that started them, when the program was spoken to; and
    those that began while one that was asked was at work, which may have asked in turn."""
    spoken, left, out = list(moved), list(bursts), list[Burst]()
    while found := [b for b in left if _began_in(b, spoken)]:
        out += found
        left = [b for b in left if b not in found]
        spoken = [(b.earliest, b.ended) for b in found]
    return out


def _began_in(burst: Burst, spoken: Sequence[tuple[float, float]]) -> bool:
    began = (burst.earliest, burst.latest) if burst.born is None else (burst.born, burst.born)
    return any(began[0] - ASKED_S <= to and at <= began[1] for at, to in spoken)


def _back(
    moved: Sequence[tuple[float, float]], earliest: float, others: Sequence[tuple[float, float]]
) -> float:
    """As far back as there is no gap that is too long."""
    for at, to in reversed(moved):
        if at >= earliest:
            continue
        if earliest - to > _gap(to, others):
            break
        earliest = at
    return earliest


def _gap(at: float, others: Sequence[tuple[float, float]]) -> float:
    """How long after a moment the program may go on with the same."""
    anothers = any(began - SAMPLE_S <= at <= ended + OVER_S for began, ended in others)
    return OVER_S if anothers else CHAIN_S


def loads_between(
    samples: Sequence[Sample], began_s: float, ended_s: float
) -> tuple[tuple[float, float, float], ...]:
    """What was in use during an export: seconds since its start, cores, and graphics engines, up to then."""
    return tuple(
        (b.at - began_s, (b.used - a.used) / (b.at - a.at), (b.drawn - a.drawn) / (b.at - a.at))
        for a, b in itertools.pairwise(samples)
        if began_s <= a.at < b.at <= ended_s
    )
