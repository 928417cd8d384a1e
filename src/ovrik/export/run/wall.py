"""A second wall around an encoder, where the kernel offers Landlock: it reads its inputs and what the system holds,
writes into its outputs and temporary folders, opens no socket and speaks to no other program."""

import ctypes
import os
import re
import struct
import threading
from collections.abc import Callable, Iterable
from dataclasses import dataclass
from functools import cache
from pathlib import Path
from typing import TypeVar

from ovrik.export.run.no_sockets import can_filter, refuse_sockets

# Numbers from the kernel's <linux/landlock.h> and <linux/prctl.h>; the system calls have the same numbers everywhere.
CREATE, ADD, RESTRICT, VERSION, BENEATH, NO_NEW_PRIVILEGES = 444, 445, 446, 1, 1, 38
EXECUTE, WRITE, READ, READ_DIR = 1, 2, 4, 8
MAKE_AND_REMOVE = sum(1 << n for n in range(4, 13))
REFER, TRUNCATE = 1 << 13, 1 << 14
NETWORK = 3
SCOPES = 3
"""Abstract sockets of others, and signals to them."""
DROP_FROM_ALL, LOOKS_INTO_OTHERS = 24, (19, 21, 38)
"""What a superuser's program could read others' memory and environment by: SYS_PTRACE, SYS_ADMIN, PERFMON."""
SYSTEM = (
    "/usr",
    "/lib",
    "/lib32",
    "/lib64",
    "/bin",
    "/sbin",
    "/etc",
    "/opt",
    "/proc",
    "/sys",
    "/nix",
    "/gnu",
)
DEVICES = ("/dev/null", "/dev/zero", "/dev/full", "/dev/random", "/dev/urandom", "/dev/tty")
SETTINGS = re.compile(
    r"PATH|HOME|USER|LOGNAME|SHELL|TERM|TZ|TMPDIR|LANG|LANGUAGE|LC_\w+|LD_LIBRARY_PATH|LD_PRELOAD|GLIBC_TUNABLES"
    r"|(OMP|GOMP|KMP|MKL|OPENBLAS|MALLOC|NUMA|SVT|X264|X265|FFREPORT|FFMPEG|AV_LOG|DAV1D|OVRIK)(_\w+)?"
)
"""What of the environment an encoder may be told: what makes it faster, slower or say more. Others' keys are there
too."""

Made = TypeVar("Made")


@dataclass(frozen=True)
class Wall:
    """Fields: `reads`, files and folders that may be read, beside the system's own; `writes`, folders in which files
    may be made, changed and removed."""

    reads: tuple[Path, ...]
    writes: tuple[Path, ...]


@cache
def _library() -> ctypes.CDLL:
    return ctypes.CDLL(None, use_errno=True)


@cache
def level() -> int:
    """The version of Landlock that the kernel offers, 0 where it offers none."""
    return max(int(_library().syscall(CREATE, None, ctypes.c_size_t(0), VERSION)), 0)


def wall_words() -> str:
    """What there is, for the workstation panel."""
    if not level():
        return "none: the kernel offers no Landlock"
    network = (
        "opens no socket" if can_filter() else "has no TCP" if level() >= 4 else "but may use the network"
    )
    others = " and signals no other program" if level() >= 6 else ""
    return (
        f"Landlock {level()}: a software export reads its inputs, writes its outputs, {network}{others}; it may read "
        "what the system keeps in /usr, /etc, /opt, /proc and /sys"
    )


def environment(wall: "Wall | None") -> dict[str, str]:
    """What a program is told of this process's environment: all, or behind a wall what has to do with its work."""
    return {k: v for k, v in os.environ.items() if wall is None or SETTINGS.fullmatch(k)}


def behind(wall: Wall, start: Callable[[], Made]) -> tuple[Made, Callable[[], None]]:
    """Call `start` behind a wall; gives what it gave, and what is to be called when its children have ended.

    The wall stands around one thread and the processes that it starts, so that this process stays free. The thread
    lives on: a child that is to die with its parent would die with it. Raises OSError when no wall can be put up, and
    whatever `start` raises.
    """
    made: list[Made] = []
    failed: list[BaseException] = []
    ready, over = threading.Event(), threading.Event()
    rules = _rules(wall)

    def go() -> None:
        try:
            _restrict(rules)
            made.append(start())
        except BaseException as exc:
            failed.append(exc)
        finally:
            os.close(rules)
            ready.set()
        over.wait()

    threading.Thread(target=go, name="wall", daemon=True).start()
    ready.wait()
    if failed:
        over.set()
        raise failed[0]
    return made[0], over.set


def _call(number: int, *arguments: object) -> int:
    found = int(_library().syscall(number, *arguments))
    if found < 0:
        raise OSError(ctypes.get_errno(), os.strerror(ctypes.get_errno()))
    return found


def _rules(wall: Wall) -> int:
    """A ruleset; gives its file descriptor."""
    version = level()
    files = EXECUTE | WRITE | READ | READ_DIR | MAKE_AND_REMOVE
    files |= (REFER if version >= 2 else 0) | (TRUNCATE if version >= 3 else 0)
    handled = struct.pack("QQQ", files, NETWORK, SCOPES)
    size = 24 if version >= 6 else 16 if version >= 4 else 8
    rules = _call(CREATE, handled, ctypes.c_size_t(size), 0)
    looking = EXECUTE | READ | READ_DIR
    _allow(rules, map(Path, SYSTEM), looking)
    _allow(rules, map(Path, DEVICES), READ | WRITE | (files & TRUNCATE))
    _allow(rules, wall.reads, looking)
    _allow(rules, wall.writes, files)
    return rules


def _allow(rules: int, places: Iterable[Path], access: int) -> None:
    for place in places:
        try:
            handle = os.open(place, os.O_PATH | os.O_CLOEXEC)
        except OSError:
            continue  # what is not there needs no rule
        try:
            # A rule on a file may not speak of folders.
            own = access if place.is_dir() else access & (EXECUTE | WRITE | READ | TRUNCATE)
            _call(ADD, rules, BENEATH, struct.pack("=Qi", own, handle), 0)
        finally:
            os.close(handle)


def _restrict(rules: int) -> None:
    for capability in LOOKS_INTO_OTHERS:  # only a superuser's programs have them, and only they can drop them
        _library().prctl(DROP_FROM_ALL, capability, 0, 0, 0)
    _library().prctl(NO_NEW_PRIVILEGES, 1, 0, 0, 0)
    _call(RESTRICT, rules, 0)
    refuse_sockets(_library())
