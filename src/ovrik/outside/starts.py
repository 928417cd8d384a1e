"""When an export began, by all that was seen of its program before its first byte."""

import itertools
from dataclasses import dataclass

from ovrik.outside.program_load import CHAIN_S, ProgramLoad, Sample, earliest_start, onset, stirred
from ovrik.outside.windows import WindowTitles, progress_shown

FIRST_BYTE, LOAD = "the first byte", "the program's load"
WORKER, WINDOW = "the process that wrote it", "the progress in its window"
SHOWN_BEFORE = "what it was woken for in a trial with the start key"
LEAST_LEAD_S = 0.15
"""A start that lies less before the first byte is the same moment."""
NEAR_S, NEAR_SHARE = 0.25, 0.05
"""How far from where an earlier export's start key had it a program may be woken: a hand's doubt and a sample, and a
share of the time between."""
KEY_DOUBT_S, TITLE_DOUBT_S, BIRTH_DOUBT_S = 0.1, 0.1, 0.02
"""How far a hand may be off, a window's title, and a process's birth."""
Found = tuple[float, float, float, str]
"""A start, the doubt about it, how much earlier it may have been, and how it was found."""


@dataclass(frozen=True)
class Begin:
    """What the folder says of an export's start, on the monotonic clock. Fields: `since` when it may have begun;
    `first`, its first byte, and the `doubt` about that; `last`, its last one; `wrote`, processes that held it open;
    `others`, from when to when other exports were under way."""

    since: float
    first: float
    doubt: float
    last: float
    wrote: frozenset[int]
    others: tuple[tuple[float, float], ...] = ()

    def anothers(self, at: float) -> bool:
        """Whether what the program did then may have been for another export."""
        return any(began - NEAR_S <= at <= ended for began, ended in self.others)


class Starts:
    """What a program that was named did, and what its earlier exports with the start key showed."""

    def __init__(self, pid: int) -> None:
        self._load, self._titles = ProgramLoad(pid), WindowTitles()
        self._waits: list[
            float
        ] = []  # from the start key to where the program itself would have shown a start

    def start(self) -> None:
        """Begin to look."""
        self._load.start()
        self._titles.start()

    def stop(self) -> None:
        """End."""
        self._load.stop()
        self._titles.stop()

    @property
    def samples(self) -> list[Sample]:
        """The program's load."""
        return self._load.samples

    def learn(self, key_s: float, begin: Begin) -> None:
        """An export whose start is known shows how long the program waits before it is seen at work."""
        self._waits.append(self._latest(begin)[0] - key_s)

    def found(self, begin: Begin) -> Found:
        """When an export began."""
        # What another export began with may be what this one did, too.
        samples = [s for s in self._load.samples if s.at >= begin.since - NEAR_S]
        latest, wide, by = self._latest(begin)
        bursts = [b for b in self._load.bursts if b.latest >= begin.since - NEAR_S]
        earliest = earliest_start(samples, latest, bursts, begin.others)
        if latest - earliest >= LEAST_LEAD_S + wide:
            woken = self._woken_as_before(samples, latest, begin)
            return (*woken, 0.0, SHOWN_BEFORE) if woken else (latest, wide, latest - earliest, by)
        # It woke, and was at work at once: what is known of the start is when that was.
        return latest, max(wide, latest - earliest), 0.0, by

    def _woken_as_before(
        self, samples: list[Sample], latest: float, begin: Begin
    ) -> tuple[float, float] | None:
        """When the program was woken as long before it was seen at work as in an export whose start a key told, and
        the doubt about that; None where it was not, more than once, or for another export."""
        moved = stirred(samples, latest)
        begun = [now for before, now in itertools.pairwise([(0.0, 0.0), *moved]) if before[1] < now[0]]
        for waited in reversed(self._waits):
            if waited < LEAST_LEAD_S:
                return None if begin.anothers(latest) else (latest, KEY_DOUBT_S)
            near = NEAR_S + NEAR_SHARE * waited
            found = [(at, to) for at, to in begun if at - near <= latest - waited <= to + near]
            if not found or found[-1][1] - found[0][0] > 2 * near or begin.anothers(found[0][0]):
                continue
            return (found[0][0] + found[-1][1]) / 2, max((found[-1][1] - found[0][0]) / 2, BIRTH_DOUBT_S)
        return None

    def _latest(self, begin: Begin) -> tuple[float, float, str]:
        """By when it was certainly under way, the doubt about that, and how it was found: the earliest of all that
        says so."""
        since, first = begin.since, begin.first
        found = list[tuple[float, float, str]]()
        worked = onset([s for s in self._load.samples if s.at >= since], first)
        if worked:
            found.append((*worked, LOAD))
        found += [
            (b.latest, BIRTH_DOUBT_S, WORKER)
            for b in self._load.bursts
            if b.pid in begin.wrote and since <= b.earliest and b.ended + CHAIN_S >= first
        ]
        shown = progress_shown(self._titles.seen, self._load.family.__contains__, since, first, begin.last)
        if shown is not None:
            found.append((shown, TITLE_DOUBT_S, WINDOW))
        own = [f for f in found if first - f[0] >= LEAST_LEAD_S and not begin.anothers(f[0])]
        return min(own, default=(first, begin.doubt, FIRST_BYTE))
