"""A filter on system calls around a process and what it starts: no socket, no ring that could open one, no key of the
user's. Numbers from the kernel's <linux/seccomp.h>, <linux/filter.h>, <linux/audit.h> and its tables of calls."""

import ctypes
import errno
import os
import platform
import struct
from dataclasses import dataclass

SET_SECCOMP, FILTER_MODE = 22, 2
LOAD, EQUAL, AT_LEAST, RETURN = 0x20, 0x15, 0x35, 0x06
ALLOW, REFUSE = 0x7FFF0000, 0x00050000 | errno.EACCES
NUMBER_AT, MACHINE_AT = 0, 4
"""Where the call's number and the machine's kind stand in what a filter is shown."""
OTHER_TABLE = 0x40000000
"""Numbers from here on are of a second table of calls, on one kind of machine."""


@dataclass(frozen=True)
class Calls:
    """Of one kind of machine. Fields: `audit`, its number; `refused`, calls that are; `tables`, whether it has a
    second table of calls."""

    audit: int
    refused: tuple[int, ...]
    tables: bool = False


RING = 425
MACHINES = {
    "x86_64": Calls(0xC000003E, (41, 248, 249, 250, RING), True),
    "aarch64": Calls(0xC00000B7, (198, 217, 218, 219, RING)),
}
"""By kind of machine: socket, add_key, request_key, keyctl, io_uring_setup."""


def can_filter() -> bool:
    """Whether the calls of this kind of machine are known."""
    return platform.machine() in MACHINES


def program(calls: Calls) -> bytes:
    """The filter, eight bytes an instruction: a call of another kind of machine is refused, and any of the list."""
    more = [(AT_LEAST, OTHER_TABLE)] if calls.tables else []
    tests = [*more, *((EQUAL, number) for number in calls.refused)]
    lines = [
        struct.pack("HBBI", LOAD, 0, 0, MACHINE_AT),
        struct.pack("HBBI", EQUAL, 1, 0, calls.audit),
        struct.pack("HBBI", RETURN, 0, 0, REFUSE),
        struct.pack("HBBI", LOAD, 0, 0, NUMBER_AT),
    ]
    # Each test that is met jumps over those left, and over the leave that comes next, to the refusal.
    lines += [struct.pack("HBBI", kind, len(tests) - n, 0, value) for n, (kind, value) in enumerate(tests)]
    lines += [struct.pack("HBBI", RETURN, 0, 0, ALLOW), struct.pack("HBBI", RETURN, 0, 0, REFUSE)]
    return b"".join(lines)


def refuse_sockets(library: ctypes.CDLL) -> None:
    """Put it around this thread, which has given up new rights already, and what it starts. Raises OSError."""
    calls = MACHINES.get(platform.machine())
    if calls is None:
        return
    lines = ctypes.create_string_buffer(code := program(calls), len(code))
    whole = struct.pack("HxxxxxxP", len(code) // 8, ctypes.addressof(lines))
    if library.prctl(SET_SECCOMP, FILTER_MODE, ctypes.create_string_buffer(whole, len(whole)), 0, 0):
        raise OSError(ctypes.get_errno(), os.strerror(ctypes.get_errno()))
