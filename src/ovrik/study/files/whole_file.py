"""A file that is there whole or not at all, whoever else writes it at the same time, and whatever lies in its way."""

import errno
import os
import re
import secrets
from collections.abc import Iterator, Sequence
from contextlib import contextmanager, suppress
from pathlib import Path
from typing import IO

from ovrik.errors import OvrikError
from ovrik.study.files.scratch import hold, remove_left_of

NEW = os.O_CREAT | os.O_EXCL | os.O_NOFOLLOW | os.O_CLOEXEC
"""A file of one's own, made now: nothing that is there already, and no link, is written through."""

MAKING = r"\.[0-9a-f]{24}\.making"
"""What a file is called while it is made. One that a kill left is removed by whoever makes the next one there."""
BESIDE = re.compile(rf"({MAKING})-(journal|wal|shm)")


@contextmanager
def writing(place: Path, mode: int = 0o644) -> Iterator[IO[bytes]]:
    """A file to write to, of a random name in the folder, made now; at the end it is on the disk and takes the
    place's name. Where it does not come to that nothing is left, and what was there stays. Its folder is made where
    it is missing. Raises OSError."""
    place.parent.mkdir(parents=True, exist_ok=True)
    folder = os.open(place.parent, os.O_RDONLY | os.O_DIRECTORY | os.O_CLOEXEC)
    try:
        name, handle, held = _new(place.parent, folder, mode)
        try:
            with os.fdopen(handle, "w+b") as out:
                yield out
                out.flush()
                os.fsync(out.fileno())
            os.replace(name, place.name, src_dir_fd=folder, dst_dir_fd=folder)
        except BaseException:
            with suppress(FileNotFoundError):
                os.unlink(name, dir_fd=folder)
            raise
        finally:
            os.close(held)
    finally:
        os.close(folder)


@contextmanager
def made_beside(place: Path, tails: Sequence[str] = ()) -> Iterator[Path]:
    """The same for a writer that wants a name: an empty file of a name that nobody can guess. What it puts beside
    that, with one of these `tails`, goes with it. Raises OSError."""
    name, handle, held = _new(place.parent, None, 0o644)
    os.close(handle)
    making = place.with_name(name)
    try:
        yield making
        if place.is_dir() and not place.is_symlink():
            raise IsADirectoryError(errno.EISDIR, os.strerror(errno.EISDIR))
        if any(_holds_something(Path(f"{making}{tail}")) for tail in tails):
            # Its writer could not bring it over: on a full drive a database closes without a word.
            raise OSError(errno.ENOSPC, os.strerror(errno.ENOSPC))
        os.replace(making, place)
    finally:
        for tail in ("", *tails):
            with suppress(FileNotFoundError):
                os.unlink(f"{making}{tail}")
        os.close(held)


def _holds_something(log: Path) -> bool:
    try:
        return log.stat().st_size > 0
    except FileNotFoundError:
        return False


def _new(place: Path, folder: int | None, mode: int) -> tuple[str, int, int]:
    """A new file's name and handle, and what holds it until that is closed."""
    _remove_left(place)
    while True:
        name = f".{secrets.token_hex(12)}.making"
        handle = os.open(name if folder is not None else place / name, NEW | os.O_RDWR, mode, dir_fd=folder)
        if (held := hold(name if folder is not None else place / name, folder)) is not None:
            return name, handle, held
        os.close(handle)


def _remove_left(folder: Path) -> None:
    """What kills left of files that were being made here, and of what lay beside them."""
    remove_left_of(folder, MAKING)
    with suppress(OSError), os.scandir(folder) as entries:
        beside = [(e.path, found[1]) for e in entries if (found := BESIDE.fullmatch(e.name))]
        for path, of in beside:
            if not os.path.lexists(folder / of):
                os.unlink(path)


def write_whole(place: Path, contents: str | bytes, mode: int = 0o644) -> None:
    """Write a text, in UTF-8, or bytes, at once. Raises OSError."""
    with writing(place, mode) as handle:
        handle.write(contents.encode() if isinstance(contents, str) else contents)


def write_asked(path: Path, contents: str | bytes) -> int:
    """Write a file that the user asked for in place of what was there; gives its size in bytes. Raises OvrikError."""
    if path.is_dir():
        raise OvrikError(f"{path} is a folder", "Name a file")
    if not path.parent.is_dir():
        raise OvrikError(f"The folder {path.parent} is not there", "Create it first, or choose another")
    try:
        write_whole(path, contents)
        return path.stat().st_size
    except OSError as exc:
        raise OvrikError(
            f"{path} can't be written ({exc.strerror})", "Check the folder and free space, or choose another"
        ) from None
