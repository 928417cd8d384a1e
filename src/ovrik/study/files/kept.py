"""What Ovrik keeps between two starts, in files of its own: where it lies, and small lists that several processes and
threads change."""

import fcntl
import hashlib
import json
import os
from collections.abc import Callable, Iterator
from contextlib import contextmanager, suppress
from pathlib import Path
from typing import Any

import platformdirs

from ovrik.study.files.whole_file import write_whole

MOST_BYTES = 16 << 20


def cache_folder(*names: str) -> Path:
    """A folder of what can be made again."""
    return Path(platformdirs.user_cache_dir("ovrik")).joinpath(*names)


def data_folder(*names: str) -> Path:
    """A folder of what the user chose."""
    return Path(platformdirs.user_data_dir("ovrik")).joinpath(*names)


def read_json(place: Path, most_bytes: int = MOST_BYTES) -> Any:
    """What a file of JSON holds; None where it is not there, too large, or no JSON."""
    with suppress(OSError, ValueError):
        if place.stat().st_size <= most_bytes:
            return json.loads(place.read_text(encoding="utf-8"))
    return None


def change_json(place: Path, change: Callable[[Any], Any], most_bytes: int = MOST_BYTES) -> None:
    """Write what `change` makes of what a file of JSON holds, None where there is none; nobody else changes it
    meanwhile. Raises OSError."""
    with locked(place):
        made = change(read_json(place, most_bytes))
        write_whole(place, json.dumps(made, indent=1))


@contextmanager
def locked(place: Path) -> Iterator[None]:
    """While no other process or thread is within, for this file. Raises OSError."""
    name = hashlib.sha256(os.fsencode(place.absolute())).hexdigest()[:24]
    lock = cache_folder("locks", name)
    lock.parent.mkdir(parents=True, exist_ok=True)
    handle = os.open(lock, os.O_RDWR | os.O_CREAT | os.O_NOFOLLOW | os.O_CLOEXEC, 0o644)
    try:
        fcntl.flock(handle, fcntl.LOCK_EX)
        yield
    finally:
        os.close(handle)
