"""What is seen in a watched folder becomes exports: which file, from when to when."""

from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path

CREATED, GREW, MOVED, CLOSED, DELETED = "created", "grew", "moved", "closed", "deleted"
BEGUN_AGAIN_S = 1.5
"""A file that comes back this soon after it was deleted is still the same export; later it is another one."""


@dataclass(frozen=True)
class Sighting:
    """Something that happened to a file. Fields: `at_s` on the monotonic clock; `doubt_s`, how far off that may be;
    `kind`; `path`; `to`, where a moved file is now; `size` of the file then, bytes, None where nobody looked."""

    at_s: float
    doubt_s: float
    kind: str
    path: Path
    to: Path | None = None
    size: int | None = None


@dataclass
class Candidate:
    """A file that may be an export. Fields: `path` now; `names` it had, the first first; `first_s`, when it
    appeared or began to grow, and `first_doubt_s`; `last_s`, the last thing that happened to its content or name,
    and `last_doubt_s`; `open`, whether it was written to since it was last closed; `created`, whether it was made,
    not only written to; `gone_s`, when it was deleted, None while it is there; `begun_again`, how often it was
    deleted and made anew; `least`, the smallest size that was seen of it, None where none was; `earlier_s`, when a
    file of this name that was given up began, which this may be, None where there is none; `parts` that were joined
    into it."""

    path: Path
    names: list[Path]
    first_s: float
    first_doubt_s: float
    last_s: float
    last_doubt_s: float
    open: bool = True
    created: bool = True
    gone_s: float | None = None
    begun_again: int = 0
    least: int | None = None
    earlier_s: float | None = None
    parts: list["Candidate"] = field(default_factory=list)

    @property
    def began(self) -> tuple[float, float]:
        """When the first of it was written, parts included, and the doubt about that."""
        first = min([self, *self.parts], key=lambda c: c.first_s)
        return first.first_s, first.first_doubt_s


class Sightings:
    """Follows files through growth, renames, deletion and joining. Takes sightings in the order of their moments."""

    def __init__(self) -> None:
        self._found: dict[Path, Candidate] = {}
        self._gone: list[Candidate] = []

    def see(self, s: Sighting) -> None:
        """Take in one sighting."""
        if s.kind == MOVED and s.to is not None:
            self._moved(s, s.to)
        elif s.kind == DELETED:
            self._deleted(s)
        elif s.kind == CLOSED:
            found = self._found.get(s.path)
            if found:
                found.open = False
                found.last_s, found.last_doubt_s = s.at_s, s.doubt_s
        else:
            self._written(s)

    def _written(self, s: Sighting) -> None:
        found = self._found.get(s.path)
        if found is None:
            found = self._again(s) or Candidate(
                path=s.path,
                names=[s.path],
                first_s=s.at_s,
                first_doubt_s=s.doubt_s,
                last_s=s.at_s,
                last_doubt_s=s.doubt_s,
                created=s.kind == CREATED,
            )
            self._found[s.path] = found
        if s.size is not None:
            found.least = s.size if found.least is None else min(found.least, s.size)
        found.open = True
        found.last_s, found.last_doubt_s = s.at_s, s.doubt_s

    def _again(self, s: Sighting) -> Candidate | None:
        """The export whose file was deleted a moment ago, if this is it again."""
        for old in self._gone:
            if old.path == s.path and old.gone_s is not None and s.at_s - old.gone_s <= BEGUN_AGAIN_S:
                self._gone.remove(old)
                old.gone_s = None
                old.begun_again += 1
                return old
        return None

    def _deleted(self, s: Sighting) -> None:
        found = self._found.pop(s.path, None)
        if found:
            found.gone_s, found.open = s.at_s, False
            self._gone.append(found)

    def _moved(self, s: Sighting, to: Path) -> None:
        """A name is part of an export: one that is written under another name ends when it gets its own."""
        moved = {p: to / p.relative_to(s.path) for p in self._found if p == s.path or s.path in p.parents}
        for old, new in moved.items():
            found = self._found.pop(old)
            found.path = new
            found.names.append(new)
            found.last_s, found.last_doubt_s = s.at_s, s.doubt_s
            self._found[new] = found

    def forget(self, path: Path) -> None:
        """What was seen of a file is settled: it is no part of a later export, and what is written to it from now
        on is another one."""
        self._found.pop(path, None)

    def candidates(self, wanted: Callable[[Path], bool] = lambda _path: True) -> list[Candidate]:
        """Files that are there, whose path is wanted, in the order in which they began, each with the parts it was
        joined from. Of the others there may be thousands: they are gone through once for each that is wanted."""
        alive = sorted((c for c in self._found.values() if wanted(c.path)), key=lambda c: c.first_s)
        for one in alive:
            one.parts = [p for p in (*self._found.values(), *self._gone) if p is not one and joined(p, one)]
        parts = {id(p) for c in alive for p in c.parts}
        return [c for c in alive if id(c) not in parts]


def joined(part: Candidate, whole: Candidate) -> bool:
    """Whether a file is a part of another: begun before it, done before it was, and named after it or in a folder
    that is."""
    if part.first_s > whole.first_s or part.last_s > whole.last_s or part.open:
        return False
    stem = whole.path.stem
    relative = part.path.relative_to(whole.path.parent) if _under(part.path, whole.path.parent) else None
    return relative is not None and stem in str(relative) and part.path != whole.path


def _under(path: Path, folder: Path) -> bool:
    return folder in path.parents
