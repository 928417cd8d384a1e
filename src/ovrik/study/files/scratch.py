"""Folders that are only worked in, and what a kill left of such: each is held by a lock as long as somebody works in
it, and whoever makes the next one removes those that nobody holds."""

import contextlib
import fcntl
import os
import re
import secrets
import shutil
import stat
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

WORDS = "ovrik-{}-{}"


@contextmanager
def scratch_folder(purpose: str, within: Path | None = None) -> Iterator[Path]:
    """A folder of a name that nobody can guess, in the system's for such or in another; gone at the end. Raises
    OSError."""
    base = within or Path(tempfile.gettempdir())
    remove_left_of(base, WORDS.format(re.escape(purpose), "[0-9a-f]{16}"))
    while True:
        place = base / WORDS.format(purpose, secrets.token_hex(8))
        place.mkdir(mode=0o700)
        if (held := hold(place)) is not None:
            break
    try:
        yield place
    finally:
        shutil.rmtree(place, ignore_errors=True)
        os.close(held)


def hold(place: Path | str, folder: int | None = None) -> int | None:
    """Take a file or folder that was just made, by its path or within an open folder, as one's own until what is
    given is closed; None where somebody took it for left over meanwhile, and removed it. Raises OSError."""
    try:
        held = os.open(place, os.O_RDONLY | os.O_NOFOLLOW | os.O_CLOEXEC, dir_fd=folder)
    except FileNotFoundError:
        return None
    with contextlib.suppress(OSError):  # where nothing can be locked nothing is removed either
        fcntl.flock(held, fcntl.LOCK_EX)
    try:
        if os.path.samestat(os.fstat(held), os.stat(place, dir_fd=folder, follow_symlinks=False)):
            return held
    except FileNotFoundError:
        pass
    os.close(held)
    return None


def remove_left_of(folder: Path, pattern: str) -> None:
    """Remove what is called so in a folder, is this user's own and is held by nobody. Links and what they lead to are
    left alone."""
    wanted = re.compile(pattern)
    with contextlib.suppress(OSError), os.scandir(folder) as entries:
        for name in [e.name for e in entries if wanted.fullmatch(e.name)]:
            _remove(folder / name)


def _remove(place: Path) -> None:
    try:
        held = os.open(place, os.O_RDONLY | os.O_NOFOLLOW | os.O_NONBLOCK | os.O_CLOEXEC)
    except OSError:
        return
    try:
        about = os.fstat(held)
        if about.st_uid != os.getuid() or not (stat.S_ISDIR(about.st_mode) or stat.S_ISREG(about.st_mode)):
            return
        fcntl.flock(held, fcntl.LOCK_EX | fcntl.LOCK_NB)
        if stat.S_ISDIR(about.st_mode):
            shutil.rmtree(place, ignore_errors=True)
        else:
            place.unlink(missing_ok=True)
    except OSError:
        return  # somebody works in it
    finally:
        os.close(held)
