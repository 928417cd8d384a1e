"""Ends what exports leave at work when this process is killed at a moment at which they are not yet on the leash.

A program that stands by, asleep, until the pipe from this process closes. Standard library only, since it runs alone.
"""

import os
import re
import signal
import subprocess
import sys
import time
from functools import cache
from pathlib import Path

LOOKS, BETWEEN_S = 6, 0.1
"""A process that is just being started carries no mark yet: it is looked for again."""


@cache
def stand_guard(variable: str, mark: str, number: int) -> "subprocess.Popen[bytes] | None":
    """Start the guard once for this process; `mark` is what begins the value of `variable` in all that it exports,
    `number` the lowest of its marks by limit (see `strays`).

    None where it can't be started: exports go on without, on their leash alone.
    """
    heard, _held = os.pipe()  # what is held closes when this process is gone, however it ends
    try:
        return subprocess.Popen(
            [sys.executable, "-I", "-S", __file__, variable, mark, str(number)],
            stdin=heard,
            start_new_session=True,
            stdout=subprocess.DEVNULL,
            stderr=subprocess.DEVNULL,
            cwd="/",
        )
    except OSError:
        return None
    finally:
        os.close(heard)


RUN_BITS = 20
LIMIT = re.compile(rb"^Max file locks +(\d+)", re.MULTILINE)


def _end_marked(start: bytes, number: int) -> None:
    for entry in os.scandir("/proc"):
        if not entry.name.isdigit():
            continue
        try:
            limit = LIMIT.search(Path(entry.path, "limits").read_bytes())
            if (limit and int(limit[1]) >> RUN_BITS == number >> RUN_BITS) or start in b"\0" + Path(
                entry.path, "environ"
            ).read_bytes():
                os.kill(int(entry.name), signal.SIGKILL)
        except OSError:
            continue  # another user's, or just gone


def _watch(variable: str, mark: str, number: str) -> None:
    sys.stdin.buffer.read()
    for _ in range(LOOKS):
        _end_marked(f"\0{variable}={mark}".encode(), int(number))
        time.sleep(BETWEEN_S)


if __name__ == "__main__":
    _watch(*sys.argv[1:])
