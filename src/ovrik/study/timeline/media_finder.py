"""Finding the clips that a timeline names."""

import os
from collections.abc import Iterable, Sequence
from fractions import Fraction
from pathlib import Path
from typing import Protocol
from urllib.parse import unquote, urlparse

from ovrik.errors import OvrikError
from ovrik.study.clip.footage import Footage

MOST_FILES = 200_000


def path_of_url(url: str, folder: Path) -> Path:
    """The file a timeline's media address means: a file URL or a path, taken from the timeline's folder."""
    said = urlparse(url)
    if said.scheme == "file":
        return folder / unquote(said.path)
    # A plain path may hold a per cent sign of its own: it is taken as it stands where a file is there. What can be no
    # name at all, as one that is too long, is none to `os.path`.
    plain = folder / url
    return plain if os.path.isfile(plain) else folder / unquote(url)


class Clips(Protocol):
    """Whoever can open clips."""

    def footage(self, path: Path) -> Footage:
        """What a clip is. Raises OvrikError when it can't be read."""

    def timecode(self, path: Path) -> str:
        """The timecode of its first frame as it is written in the file, or ""."""


class MediaFinder:
    """Finds clips by address or by name, and has each of them read once. Attribute: `stand_ins`, by the name that was
    looked for the file of another kind that has it, and is no more than likely the same."""

    def __init__(self, beside: Path, clips: Clips, folders: Sequence[Path] = ()) -> None:
        """`beside` is the timeline's own folder; `folders` are searched with all that is in them."""
        self.beside, self.clips, self._folders = beside, clips, folders
        self.stand_ins: dict[str, Path] = {}
        self._index: dict[str, Path] | None = None
        self._read: dict[Path, Footage] = {}

    def find(self, address: str, names: Iterable[str]) -> Path | None:
        """The file at the address, or else one with the same name, or with the name of the clip."""
        wanted = path_of_url(address, self.beside) if address else None
        if wanted and os.path.isfile(wanted):
            return wanted
        known = self._known()
        for name in (*([wanted.name] if wanted else []), *names):
            for key in (name.lower(), Path(name).stem.lower()):
                if key in known:
                    found = known[key]
                    if Path(name).suffix and found.name.lower() != name.lower():
                        self.stand_ins[name] = found
                    return found
        return None

    def stands_in(self, path: Path) -> bool:
        """Whether a file was found for another that is not there."""
        return path in self.stand_ins.values()

    def _known(self) -> dict[str, Path]:
        if self._index is None:
            self._index = {}
            for path in self._candidates():
                self._index.setdefault(path.name.lower(), path)
                self._index.setdefault(path.stem.lower(), path)
        return self._index

    def _candidates(self) -> Iterable[Path]:
        count = 0
        for folder in self._folders:
            for place, _folders, files in os.walk(folder):
                for name in sorted(files):
                    count += 1
                    if count > MOST_FILES:
                        raise OvrikError(
                            f"{folder} holds more than {MOST_FILES} files",
                            "Choose a folder nearer to the clips",
                        )
                    yield Path(place) / name
        yield from sorted(p for p in self.beside.iterdir() if p.is_file())

    def footage(self, path: Path) -> Footage:
        """What a clip is. Raises OvrikError when it can't be read."""
        if path not in self._read:
            self._read[path] = self.clips.footage(path.resolve())
        return self._read[path]


COMMON_RATES = (
    Fraction(24000, 1001),
    Fraction(24),
    Fraction(25),
    Fraction(30000, 1001),
    Fraction(30),
    Fraction(48),
    Fraction(50),
    Fraction(60000, 1001),
    Fraction(60),
)


def exact_rate(rate: float) -> Fraction:
    """The rate meant by a decimal number: 23.976 is 24000/1001."""
    nearest = min(COMMON_RATES, key=lambda r: abs(float(r) - rate))
    return nearest if abs(float(nearest) - rate) < 0.005 else Fraction(rate).limit_denominator(1001)
