"""How long exports took on this machine in earlier studies: what a new plan's estimate begins with."""

import contextlib
import math
from collections.abc import Sequence
from dataclasses import asdict, dataclass
from pathlib import Path

from ovrik.study.files.kept import change_json, data_folder, read_json

MOST_KEPT = 400
MOST_BYTES = 1 << 18


@dataclass(frozen=True)
class TimeSeen:
    """The usual run of a contender. Fields: `study`, a checksum that tells it from others; `export`, a checksum of
    what was set and of the kind of film, and `film`, of the film itself and the excerpt; `frames` that were
    exported; `wall_s`, its usual time, and `first_s`, what of it came before the first frame."""

    study: str
    export: str
    film: str
    frames: int
    wall_s: float
    first_s: float


def times_file() -> Path:
    """Where it is kept."""
    return data_folder("times.json")


def times_seen() -> list[TimeSeen]:
    """What is on file, the oldest first; a damaged file counts as none."""
    try:
        found = [TimeSeen(**row) for row in read_json(times_file(), MOST_BYTES) or ()]
        return [t for t in found if _sound(t)]
    except (ValueError, TypeError):
        return []


def _sound(seen: TimeSeen) -> bool:
    return 0 < float(seen.wall_s) < math.inf and 0 <= float(seen.first_s) <= seen.wall_s and seen.frames >= 1


def remember_times(made: Sequence[TimeSeen]) -> None:
    """Keep what a study showed, in place of what it showed earlier of the same exports. A disk that can't be written
    is no trouble: the next estimate knows less."""
    if not made:
        return
    new = {(t.study, t.export, t.film) for t in made}
    kept = [t for t in times_seen() if (t.study, t.export, t.film) not in new]
    with contextlib.suppress(OSError):
        change_json(times_file(), lambda _known: [asdict(t) for t in (*kept, *made)[-MOST_KEPT:]])
