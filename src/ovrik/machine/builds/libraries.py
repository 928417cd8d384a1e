"""What a program loads: its own file and the libraries that the loader finds for it, each by its contents."""

import hashlib
import os
from dataclasses import dataclass
from pathlib import Path

from ovrik.machine.processes.asking import ask
from ovrik.study.files.checksum import sha256_now

LIST_TIMEOUT_S = 10
LOADERS = ("/lib/", "/lib64/", "/usr/lib/", "/usr/lib64/")
"""Where a loader that is asked lies: a program can name any file as its own, which is not run for that."""
INTERPRETER = 3
"""The kind of an ELF segment that names the loader."""


@dataclass(frozen=True)
class Loaded:
    """One file that a program loads. Fields: `path`; `size` in bytes and `mtime_ns` when it was read; `sha256`."""

    path: str
    size: int
    mtime_ns: int
    sha256: str

    @property
    def as_it_was(self) -> bool:
        """Whether the file system reports no change."""
        try:
            now = Path(self.path).stat()
        except OSError:
            return False
        return (now.st_size, now.st_mtime_ns) == (self.size, self.mtime_ns)

    @property
    def same_content(self) -> bool:
        """Whether it holds what it held."""
        try:
            return sha256_now(Path(self.path)) == self.sha256
        except OSError:
            return False


def loads_of(program: Path) -> tuple[Loaded, ...]:
    """The program itself, then its libraries in order of their names; of what has no loader, or does not say, the
    program alone. Raises OSError when it is not there."""
    return tuple(_loaded(p) for p in (program, *sorted(_libraries(program))))


def _loaded(path: Path) -> Loaded:
    said = path.stat()
    return Loaded(str(path), said.st_size, said.st_mtime_ns, sha256_now(path))


def _libraries(program: Path) -> set[Path]:
    loader = _loader(program)
    if loader is None:
        return set()
    try:
        said = ask([str(loader), "--list", str(program)], LIST_TIMEOUT_S)
    except OSError:
        return set()
    rows = [line.split() for line in said.text.splitlines()]
    named = {words[2] if words[1:2] == ["=>"] else words[0] for words in rows if len(words) > 1}
    return {p for p in map(Path, named) if p.is_absolute() and p.is_file()}


def _loader(program: Path) -> Path | None:
    """The loader that an ELF program names, where it is one of the system's own."""
    with program.open("rb") as handle:
        head = handle.read(64)
        if head[:4] != b"\x7fELF" or len(head) < 64 or head[4] != 2 or head[5] != 1:
            return None
        start, size, count = (int.from_bytes(head[a:b], "little") for a, b in ((32, 40), (54, 56), (56, 58)))
        for n in range(min(count, 128)):
            handle.seek(start + n * size)
            segment = handle.read(size)
            if int.from_bytes(segment[:4], "little") == INTERPRETER:
                handle.seek(int.from_bytes(segment[8:16], "little"))
                name = handle.read(min(int.from_bytes(segment[32:40], "little"), 4096))
                # By its real place: neither "/lib/../elsewhere" nor a link from there is the system's.
                place = Path(os.path.realpath(name.rstrip(b"\0").decode("utf-8", "replace")))
                return place if str(place).startswith(LOADERS) and place.is_file() else None
    return None


def identity_of(sha256: str, loads: tuple[Loaded, ...]) -> str:
    """A checksum of a program and the libraries that it loads, wherever they lie; the program's own where it loads
    none."""
    libraries = sorted((Path(one.path).name, one.sha256) for one in loads[1:])
    if not libraries:
        return sha256
    return hashlib.sha256(repr((sha256, libraries)).encode()).hexdigest()
