"""When a file was made: what is moved into a folder was begun elsewhere."""

import ctypes
import os
import time
from pathlib import Path

AT_FDCWD, BTIME = -100, 0x800
STATX_BYTES, MASK_AT, BTIME_AT = 256, 0, 80
"""Size of the kernel's struct statx, and where in it what is known and the moment of birth stand (linux/stat.h)."""


def born_s(path: Path) -> float | None:
    """When its file was made, on the monotonic clock; None where its drive does not keep that, or it has gone."""
    library = ctypes.CDLL(None, use_errno=True)
    if not hasattr(library, "statx"):
        return None
    into = ctypes.create_string_buffer(STATX_BYTES)
    if library.statx(AT_FDCWD, os.fsencode(path), 0, BTIME, into):
        return None
    known = int.from_bytes(into.raw[MASK_AT : MASK_AT + 4], "little")
    if not known & BTIME:
        return None
    seconds = int.from_bytes(into.raw[BTIME_AT : BTIME_AT + 8], "little", signed=True)
    nanoseconds = int.from_bytes(into.raw[BTIME_AT + 8 : BTIME_AT + 12], "little")
    return time.monotonic() - (time.time() - seconds - nanoseconds * 1e-9)
