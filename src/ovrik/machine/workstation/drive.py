"""How fast the drive under a folder reads and writes; a short look, not a benchmark."""

import errno
import os
import shutil
import tempfile
import time
from dataclasses import dataclass
from pathlib import Path

from ovrik.errors import OvrikError
from ovrik.machine.workstation.readiness import Finding, file_system_of

SIZE = 48 << 20
BLOCK = 4 << 20


@dataclass(frozen=True)
class DriveFacts:
    """Fields: `folder`; `file_system` type; `free_bytes`; `write_mb_s`, `read_mb_s` in 10^6 bytes a
    second, written through to the drive and read back past the cache, None where that was not measured."""

    folder: str
    file_system: str
    free_bytes: int
    write_mb_s: float | None
    read_mb_s: float | None

    @property
    def speed(self) -> str:
        """Its speed in words, "" where none was measured."""
        said = (("writes", self.write_mb_s), ("reads", self.read_mb_s))
        return ", ".join(f"{verb} {speed:.0f} MB/s" for verb, speed in said if speed is not None)

    @property
    def free(self) -> str:
        """Its free space in words."""
        return f"{self.free_bytes / 1e9:.1f} GB"


SLOW_WRITE_MB_S = 60.0


def slow(drive: DriveFacts) -> list[Finding]:
    """A drive that could be what is timed."""
    if drive.write_mb_s is None or drive.write_mb_s >= SLOW_WRITE_MB_S:
        return []
    return [
        Finding(
            f"The drive under {drive.folder} writes {drive.write_mb_s:.0f} MB/s",
            "Exports at high bit rates wait for it",
            "Keep the study on a faster drive",
        )
    ]


def read_only(clip: Path) -> DriveFacts:
    """The drive under a clip; nothing is written there. Raises OSError."""
    if not clip.is_file():  # a pipe would never answer
        raise OSError(errno.ENOENT, "it is no regular file" if clip.exists() else "it is not there")
    free = shutil.disk_usage(clip.parent).free
    return DriveFacts(str(clip.parent), file_system_of(clip.parent), free, None, read_speed(clip))


def read_speed(path: Path, size: int = SIZE) -> float:
    """How fast a file's first bytes are read past the cache, in 10^6 bytes a second. Raises OSError."""
    handle = os.open(path, os.O_RDONLY)
    try:
        os.posix_fadvise(handle, 0, size, os.POSIX_FADV_DONTNEED)
        began, total = time.monotonic(), 0
        while total < size and (piece := os.read(handle, BLOCK)):
            total += len(piece)
        return total / 1e6 / max(time.monotonic() - began, 1e-6)
    finally:
        os.close(handle)


def measure_drive(folder: Path, size: int = SIZE) -> DriveFacts:
    """Write and read back a file of `size` bytes, then remove it. Raises OvrikError."""
    block = os.urandom(BLOCK)
    try:
        # A name of its own, made anew: whoever sent the folder could have laid a link under one that can be guessed.
        handle, name = tempfile.mkstemp(prefix=".ovrik-drive-", dir=folder)
        os.unlink(name)  # a kill leaves nothing
        began = time.monotonic()
        try:
            for _ in range(size // BLOCK):
                os.write(handle, block)
            os.fsync(handle)
            written = time.monotonic() - began
            os.posix_fadvise(handle, 0, 0, os.POSIX_FADV_DONTNEED)
            os.lseek(handle, 0, os.SEEK_SET)
            began = time.monotonic()
            while os.read(handle, BLOCK):
                pass
        finally:
            os.close(handle)
        read = time.monotonic() - began
    except OSError as exc:
        raise OvrikError(
            f"{folder} can't be written ({exc.strerror})", "Check it and its free space"
        ) from None
    free, speeds = shutil.disk_usage(folder).free, (size / 1e6 / written, size / 1e6 / max(read, 1e-6))
    return DriveFacts(str(folder), file_system_of(folder), free, *speeds)
