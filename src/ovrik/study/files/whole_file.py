"""A file that is there whole or not at all, whoever else writes it at the same time, and whatever lies in its way."""

import errno
import os
import secrets
from collections.abc import Iterator, Sequence
from contextlib import contextmanager, suppress
from pathlib import Path
from typing import IO

from ovrik.errors import OvrikError

NEW = os.O_CREAT | os.O_EXCL | os.O_NOFOLLOW | os.O_CLOEXEC
"""A file of one's own, made now: nothing that is there already, and no link, is written through."""


@contextmanager
def writing(place: Path, mode: int = 0o644) -> Iterator[IO[bytes]]:
    """A file to write to, of a random name in the folder, made now; at the end it is on the disk and takes the
    place's name. Where it does not come to that nothing is left, and what was there stays. Its folder is made where
    it is missing. Raises OSError."""
    place.parent.mkdir(parents=True, exist_ok=True)
    folder = os.open(place.parent, os.O_RDONLY | os.O_DIRECTORY | os.O_CLOEXEC)
    name = f".{place.name[:180]}.{secrets.token_hex(8)}"
    try:
        with os.fdopen(os.open(name, NEW | os.O_RDWR, mode, dir_fd=folder), "w+b") as handle:
            yield handle
            handle.flush()
            os.fsync(handle.fileno())
        os.replace(name, place.name, src_dir_fd=folder, dst_dir_fd=folder)
    except BaseException:
        with suppress(FileNotFoundError):
            os.unlink(name, dir_fd=folder)
        raise
    finally:
        os.close(folder)


@contextmanager
def made_beside(place: Path, tails: Sequence[str] = ()) -> Iterator[Path]:
    """The same for a writer that wants a name: an empty file of a name that nobody can guess. What it puts beside
    that, with one of these `tails`, goes with it. Raises OSError."""
    making = place.with_name(f".{secrets.token_hex(12)}.making")
    os.close(os.open(making, NEW | os.O_RDWR, 0o644))
    try:
        yield making
        if place.is_dir() and not place.is_symlink():
            raise IsADirectoryError(errno.EISDIR, os.strerror(errno.EISDIR))
        os.replace(making, place)
    finally:
        for tail in ("", *tails):
            with suppress(FileNotFoundError):
                os.unlink(f"{making}{tail}")


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
