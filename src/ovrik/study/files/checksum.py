"""Checksums that say whether a file is still the same one."""

import hashlib
from collections.abc import Callable
from pathlib import Path

from ovrik.study.files.regular_file import open_regular, regular

BLOCK = 1 << 20
SAMPLES = 16


def file_sha256(path: Path) -> str:
    """SHA-256 of a whole file, in hex."""
    with open_regular(path) as handle:
        return hashlib.file_digest(handle, "sha256").hexdigest()


Mark = tuple[int, int, int, int]
_SAMPLED: dict[str, tuple[Mark, str]] = {}
_WHOLE: dict[str, tuple[Mark, str]] = {}


def mark_of(path: Path) -> Mark:
    """What a file system says of a file's contents without reading them: size, change times, identity. Raises
    OSError when the file is not there."""
    said = path.stat()
    return said.st_size, said.st_mtime_ns, said.st_ctime_ns, said.st_ino


def checksum_now(path: Path) -> str:
    """The footage checksum, read again only when the file system reports a change. Raises OSError, and OvrikError
    for what is no regular file."""
    return _now(regular(path), _SAMPLED, footage_checksum)


def sha256_now(path: Path) -> str:
    """SHA-256 of a whole file, read again only when the file system reports a change. Raises OSError."""
    return _now(path, _WHOLE, file_sha256)


def _now(path: Path, kept: dict[str, tuple[Mark, str]], read: Callable[[Path], str]) -> str:
    mark, known = mark_of(path), kept.get(str(path))
    if known is None or known[0] != mark:
        known = kept[str(path)] = mark, read(path)
    return known[1]


def footage_checksum(path: Path) -> str:
    """SHA-256 over the size and 16 evenly spaced blocks of 1 MiB, as "sampled-sha256:HEX".

    A film of hundreds of gigabytes can't be read whole just to open it; a change of its length,
    head, tail or any sampled block shows. Files up to 16 MiB are covered completely.
    """
    size = path.stat().st_size
    digest = hashlib.sha256(str(size).encode())
    last = max(size - BLOCK, 0)
    if size <= BLOCK * SAMPLES:
        with open_regular(path) as handle:
            digest.update(handle.read(BLOCK * SAMPLES + 1))
        return f"sampled-sha256:{digest.hexdigest()}"
    with open_regular(path) as handle:
        for index in range(SAMPLES):
            handle.seek(last * index // (SAMPLES - 1))
            digest.update(handle.read(BLOCK))
    return f"sampled-sha256:{digest.hexdigest()}"
