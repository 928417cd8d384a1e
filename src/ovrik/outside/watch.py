"""A folder that is armed: exports of other programs are found in it, and timed."""

import os
import queue
import time
from collections.abc import Callable
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import Protocol

from ovrik.errors import OvrikError
from ovrik.outside.born import born_s
from ovrik.outside.folder import REPORT_DOUBT_S, FolderLooked, Reported, on_network
from ovrik.outside.program_load import loads_between
from ovrik.outside.sightings import Candidate, Sighting, Sightings
from ovrik.outside.starts import FIRST_BYTE, KEY_DOUBT_S, LEAST_LEAD_S, Begin, Starts
from ovrik.outside.writers import writers

SETTLE_S, OPEN_SETTLE_S = 1.0, 2.0
"""So long nothing may happen to a file before it is taken to be done; or one that was not seen to be closed, since it
was moved in, or is held open by another user. Its time ends with the last thing that did."""
GIVEN_UP_S, TOUCHED_S = 30.0, 30.0
"""After so long a file that is no whole export is said to be none; and so long after an export ended its file may be
touched up, its header written anew, and belong to it still."""
BORN_DOUBT_S = 0.02
CLOCK_STEP_S = 0.05
"""By more than so much between two looks the clock of the day does not go by itself: it was set."""
ASK_EVERY_S = 1.0
"""Who holds a file open, and whether it is whole, is asked no more often: both cost more than watching does."""
MEDIA = frozenset(
    [
        ".mp4",
        ".m4v",
        ".mov",
        ".mkv",
        ".webm",
        ".mxf",
        ".avi",
        ".ts",
        ".mts",
        ".m2ts",
        ".mpg",
        ".mpeg",
        ".wmv",
        ".flv",
        ".ogv",
        ".dv",
        ".gxf",
    ]
)
KEY = "the start key"


@dataclass(frozen=True)
class OutsideTime:
    """One export of another program.

    Fields: `path` of its file; `wall_s`, from start to end; `doubt_s`, how far off that may be either way;
    `lead_s`, how much longer than `wall_s` it may have taken besides, for work before the first byte that nobody
    saw; `began_by`, how its start was found; `began_s`, `ended_s` on the monotonic clock; `bytes`; `names` that the
    file had; `begun_again`, how often the program deleted it and began anew; `parts` that were joined into it;
    `load`, seconds since the start, and the cores and the graphics engines that the program used up to then, where it
    was seen; `program` and `executable`, name and file of what wrote it, "" unknown; `corrects`, whether it is one
    that was taken to be done already, and went on.
    """

    path: Path
    wall_s: float
    doubt_s: float
    lead_s: float
    began_by: str
    began_s: float
    ended_s: float
    bytes: int
    names: tuple[str, ...]
    begun_again: int
    parts: int
    program: str
    executable: str = ""
    load: tuple[tuple[float, float, float], ...] = ()
    corrects: bool = False

    @property
    def bounds_s(self) -> tuple[float, float]:
        """Between what its time lies, seconds."""
        low = max(self.wall_s - self.doubt_s, LEAST_S)
        return low, max(self.wall_s + self.lead_s + self.doubt_s, 1.001 * low)


LEAST_S = 0.01
"""No export is shorter."""


@dataclass(frozen=True)
class Unfinished:
    """A file that was written to and is no whole export. Fields: `path`; `reason`."""

    path: Path
    reason: str


class WatchSource(Protocol):
    """Where sightings come from."""

    def start(self) -> None:
        """Begin."""

    def stop(self) -> None:
        """End."""


@dataclass
class FileWatch:
    """Watches one folder until it is stopped.

    Fields: `folder`; `whole`, says why a file is no whole export, or "" (it may decode); `pid` of the program that
    exports, whose load dates the start of work, None when it can't be seen; `unfinished`, files that were given up,
    by path.
    """

    folder: Path
    whole: Callable[[Path], str]
    pid: int | None = None
    unfinished: dict[Path, Unfinished] = field(default_factory=dict)

    def start(self) -> None:
        """Arm the folder. Raises OvrikError when it is not there or can't be watched."""
        if not self.folder.is_dir():
            raise OvrikError(f"{self.folder} is no folder", "Choose the folder that the program exports into")
        self.folder = self.folder.resolve()
        self.armed_s = time.monotonic()
        self._clock_set_s, self._wall_ahead_s = self.armed_s, time.time() - self.armed_s
        self.key_s: float | None = None
        self._queue: queue.SimpleQueue[Sighting] = queue.SimpleQueue()
        self._seen = Sightings()
        self._done: dict[Path, OutsideTime] = {}
        self._refused: dict[Path, float] = {}  # the last thing that had happened to it
        self._given_up: dict[Path, tuple[Candidate, int]] = {}  # and its size then
        self._asked: dict[Path, float] = {}
        self._rewritten: set[Path] = set()
        self._programs: dict[Path, tuple[str, str]] = {}
        self._wrote: dict[Path, set[int]] = {}
        self._waits: list[
            float
        ] = []  # from the start key to where the program itself would have shown a start
        kind = FolderLooked if on_network(self.folder) else Reported
        self._source: WatchSource = kind(self.folder, self._queue.put)
        self._source.start()
        self._starts = Starts(self.pid) if self.pid is not None else None
        if self._starts:
            self._starts.start()

    def stop(self) -> None:
        """Disarm it."""
        self._source.stop()
        if self._starts:
            self._starts.stop()

    def press(self, at_s: float) -> None:
        """The start key: the export that ends next began at this moment on the monotonic clock."""
        self.key_s = at_s

    @property
    def writing(self) -> list[Candidate]:
        """Media files that may be exports and are not settled yet. Only what lies in the folder itself is one: what
        is written below it is a part."""
        return self._seen.candidates(lambda path: path.parent == self.folder and path.suffix.lower() in MEDIA)

    def look(self) -> list[OutsideTime]:
        """Take in what happened since the last look; gives the exports that are done now. Raises OvrikError when the
        folder has gone."""
        if not self.folder.is_dir():
            raise OvrikError(
                f"{self.folder} is no longer there; its drive may have been removed",
                "Reconnect it and arm it again",
            )
        self._note_the_clock()
        while not self._queue.empty():
            self._seen.see(self._queue.get())
        out = []
        for c in self.writing:
            self._size_seen(c)
            if self._settled(c):
                found = self._judged(c)
                if found:
                    out.append(found)
        return out

    def _name_program(self, c: Candidate, held: list[int]) -> None:
        for pid in held[:1]:
            try:
                name = Path(f"/proc/{pid}/comm").read_text().strip()
                self._programs[c.path] = (name, os.readlink(f"/proc/{pid}/exe"))
            except OSError:
                continue

    def _settled(self, c: Candidate) -> bool:
        """Whether nothing happens to it any more and nobody holds it open."""
        now = time.monotonic()
        still = now - c.last_s >= (OPEN_SETTLE_S if c.open else SETTLE_S)
        unknown = c.open and c.path not in self._programs
        if not (still or unknown) or now - self._asked.get(c.path, -ASK_EVERY_S) < ASK_EVERY_S:
            return False
        self._asked[c.path] = now
        held = writers(c.path)
        self._wrote.setdefault(c.path, set()).update(held)
        self._programs.setdefault(c.path, ("", ""))
        self._name_program(c, held)
        return still and not held

    def _judged(self, c: Candidate) -> OutsideTime | None:
        # To read it costs more than to watch it: it is not asked again while nothing happens to it.
        refused = c.path in self._refused and self._refused[c.path] == c.last_s
        why = "" if refused else self.whole(c.path)
        if not (refused or why):
            self.unfinished.pop(c.path, None)
            return self._finished(c)
        self._refused[c.path] = c.last_s
        # Some programs close a file and come back to finish its header: only after a while it is given up.
        if time.monotonic() - c.last_s > GIVEN_UP_S:
            self.unfinished[c.path] = Unfinished(c.path, why or self.whole(c.path))
            self._given_up[c.path] = c, c.path.stat().st_size
            self._seen.forget(c.path)
        return None

    def _finished(self, c: Candidate) -> OutsideTime | None:
        self._taken_up(c)
        before = self._done.get(c.path)
        cut = before is not None and c.least is not None and c.least < before.bytes
        anew = c.created or cut or c.path in self._rewritten
        self._rewritten.discard(c.path)
        found = self._timed(c) if before is None or anew else self._corrected(before, c)
        if found is not None:
            self._done[c.path] = found
        self._seen.forget(c.path)
        return found

    def _taken_up(self, c: Candidate) -> None:
        """One that was given up and to which something is written again may go on, or be begun anew: unless it was
        seen to be cut, its start lies between the two."""
        earlier, size = self._given_up.pop(c.path, (None, 0))
        if earlier is not None and not c.created and (c.least is None or c.least >= size):
            c.earlier_s = earlier.first_s

    def _corrected(self, before: OutsideTime, c: Candidate) -> OutsideTime | None:
        """An export that was done, and to which something was written again: it ended later. None where somebody else
        only touched it, long after."""
        size = c.path.stat().st_size
        if size <= before.bytes and c.first_s - before.ended_s > TOUCHED_S:
            return None
        longer = c.last_s - before.ended_s
        return replace(
            before,
            wall_s=before.wall_s + longer,
            doubt_s=before.doubt_s + max(c.last_doubt_s - REPORT_DOUBT_S, 0.0),
            ended_s=c.last_s,
            bytes=size,
            corrects=True,
        )

    def _size_seen(self, c: Candidate) -> None:
        """A file that is shorter than it was when it was done is written from its beginning."""
        try:
            size = c.path.stat().st_size
        except OSError:
            return
        before = self._done.get(c.path)
        if before is not None and size < before.bytes:
            self._rewritten.add(c.path)

    def _timed(self, c: Candidate) -> OutsideTime:
        began, doubt, lead, by = self._began(c)
        samples = self._starts.samples if self._starts else []
        found = OutsideTime(
            c.path,
            c.last_s - began,
            doubt + c.last_doubt_s,
            lead,
            by,
            began,
            c.last_s,
            c.path.stat().st_size,
            tuple(p.name for p in c.names),
            c.begun_again,
            len(c.parts),
            *next((p for n in (c.path, *c.names) if (p := self._programs.get(n, ("", "")))[0]), ("", "")),
        )
        return replace(found, load=loads_between(samples, began, c.last_s))

    def _note_the_clock(self) -> None:
        """When the clock of the day was last set, by the one that nobody sets."""
        now = time.monotonic()
        ahead = time.time() - now
        if abs(ahead - self._wall_ahead_s) > CLOCK_STEP_S:
            self._clock_set_s = now
        self._wall_ahead_s = ahead

    def _began(self, c: Candidate) -> tuple[float, float, float, str]:
        """When it began, the doubt about that, how much earlier it may have been, and how that was found."""
        first, doubt = c.began
        since = self._free_since(first)
        # A birth is told by the clock of the day: one from before that was set says nothing.
        told = c.created and len(c.names) == 1 and not c.parts and self._clock_set_s < since + BORN_DOUBT_S
        born = born_s(c.path) if told else None
        # Made elsewhere, and moved in; the kernel keeps that by its coarse clock.
        if born is not None and since - BORN_DOUBT_S < born < first - LEAST_LEAD_S:
            first, doubt = born, BORN_DOUBT_S
        if self.key_s is not None and self.key_s <= first + doubt:
            key, self.key_s = self.key_s, None
            if self._starts:
                self._starts.learn(key, self._begin_of(c, since, first, doubt))
            return key, KEY_DOUBT_S, 0.0, KEY
        if c.earlier_s is not None:
            return first, doubt, first - c.earlier_s, FIRST_BYTE
        if self._starts is None:
            return first, doubt, first - since, FIRST_BYTE
        return self._starts.found(self._begin_of(c, since, first, doubt))

    def _begin_of(self, c: Candidate, since: float, first: float, doubt: float) -> Begin:
        """What the folder knows of the start of an export: of others, those that may have been under way with it."""
        wrote = {pid for path in (c.path, *c.names) for pid in self._wrote.get(path, ())}
        done = [(d.began_s - d.lead_s, d.ended_s) for path, d in self._done.items() if path != c.path]
        earlier = [(o.first_s, o.last_s) for o in self.writing if o is not c and o.first_s < first]
        return Begin(since, first, doubt, c.last_s, frozenset(wrote), (*done, *earlier))

    def _free_since(self, first: float) -> float:
        """Since when an export may have begun whose first byte this was: exports may overlap, so that the end of
        another says nothing, but its start does, where it is known."""
        known = [d.began_s for d in self._done.values() if d.began_s < first and not d.lead_s]
        return max([self.armed_s, *known])
