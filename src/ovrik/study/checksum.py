"""Checksums that say whether a file is still the same one."""

import hashlib
from pathlib import Path

BLOCK = 1 << 20
SAMPLES = 16


def file_sha256(path: Path) -> str:
    """SHA-256 of a whole file, in hex."""
    with path.open("rb") as handle:
        return hashlib.file_digest(handle, "sha256").hexdigest()


def footage_checksum(path: Path) -> str:
    """SHA-256 over the size and 16 evenly spaced blocks of 1 MiB, as "sampled-sha256:HEX".

    A film of hundreds of gigabytes can't be read whole just to open it; a change of its length,
    head, tail or any sampled block shows. Files up to 16 MiB are covered completely.
    """
    size = path.stat().st_size
    digest = hashlib.sha256(str(size).encode())
    last = max(size - BLOCK, 0)
    if size <= BLOCK * SAMPLES:
        digest.update(path.read_bytes())
        return f"sampled-sha256:{digest.hexdigest()}"
    with path.open("rb") as handle:
        for index in range(SAMPLES):
            handle.seek(last * index // (SAMPLES - 1))
            digest.update(handle.read(BLOCK))
    return f"sampled-sha256:{digest.hexdigest()}"
