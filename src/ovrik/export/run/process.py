"""Run one program in a process group of its own, and measure the whole group."""

import ctypes
import itertools
import resource
import shutil
import subprocess
import time
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from pathlib import Path

from ovrik.errors import Ask, OvrikError
from ovrik.export.run.until_gone import GRACE_S, LOG_LINES, ProcessWatch
from ovrik.export.run.wall import Wall, behind, environment, level
from ovrik.machine.processes.guard import stand_guard
from ovrik.machine.processes.strays import MARK, marking, new_mark, number_of, own_mark

_NUMBERS = itertools.count()
PR_SET_CHILD_SUBREAPER = 36


@dataclass(frozen=True)
class Usage:
    """What a process group took.

    Fields: `wall_s`, monotonic seconds from start to the exit of the group's last process;
    `user_s`, `system_s`, processor seconds of all of them; `peak_bytes`, the largest resident
    memory of any one of them; `read_bytes`, `written_bytes`, what reached the disk's block layer;
    `exit_code` of the program (negative: the signal that ended it); `log`, its last lines;
    `stopped`, True when it was ended on request; `stalled`, True when ended for not getting on;
    `own_cpu_s`, processor seconds that Ovrik itself used meanwhile.
    """

    wall_s: float
    user_s: float
    system_s: float
    peak_bytes: int
    read_bytes: int
    written_bytes: int
    exit_code: int
    log: tuple[str, ...]
    stopped: bool
    stalled: bool
    own_cpu_s: float


@dataclass(frozen=True)
class Start:
    """How an export begins. Fields: `nice`, 0 to 19; `cores` it may use, empty for all."""

    nice: int = 0
    cores: tuple[int, ...] = ()

    def prefix(self) -> list[str]:
        """What stands before the argument list."""
        niced = ["nice", "-n", str(self.nice)] if self.nice else []
        return [*niced, *(["taskset", "-c", ",".join(map(str, self.cores))] if self.cores else [])]


def usage_together(one: Usage, then: Usage) -> Usage:
    """What two programs run one after the other took."""
    sums = {
        name: getattr(one, name) + getattr(then, name)
        for name in ("wall_s", "user_s", "system_s", "read_bytes", "written_bytes", "own_cpu_s")
    }
    peak = max(one.peak_bytes, then.peak_bytes)
    return replace(then, **sums, peak_bytes=peak, log=(*one.log, *then.log)[-LOG_LINES:])


def measure(
    arguments: Sequence[str],
    on_output: Callable[[bytes, float], bool] = lambda _piece, _at: True,
    should_stop: Ask = lambda: False,
    stall_s: float = 120.0,
    cwd: Path | None = None,
    on_start: Callable[[int], None] = lambda _group: None,
    start: Start = Start(),
    wall: Wall | None = None,
    inherits: Sequence[int] = (),
    grace_s: float = GRACE_S,
) -> Usage:
    """Run an argument list to the exit of its whole process group, and of whatever it started that left the group.

    `on_output` gets each piece of standard output with the seconds since start, and says whether it
    shows work getting on. `should_stop` is asked five times a second; the group then gets SIGTERM,
    and SIGKILL after `grace_s`, at once where that is 0: then nothing that it leaves is wanted. A
    program that does not get on for `stall_s` seconds is ended likewise. `on_start` gets the number of
    the process group; `start` says with what rights it begins; `wall`, what it may read and write,
    where the kernel can see to that; `inherits`, the open files that it takes over.
    Raises OvrikError when the program can't be started.
    """
    _adopt_orphans()
    own_before = time.process_time()
    floor = _memory_floor()
    whole = [*_leash(arguments[0]), *start.prefix(), *arguments]
    mark = new_mark(next(_NUMBERS))
    stand_guard(MARK, own_mark(), number_of(f"{own_mark()}0"))
    began = time.monotonic()
    behind_it = wall if level() else None

    def begin() -> "subprocess.Popen[bytes]":
        nonlocal began
        with marking(mark):
            began = time.monotonic()
            return subprocess.Popen(
                whole,
                stdin=subprocess.DEVNULL,
                stdout=subprocess.PIPE,
                stderr=subprocess.PIPE,
                start_new_session=True,
                cwd=cwd,
                pass_fds=tuple(inherits),
                env={**environment(behind_it), MARK: mark},
            )

    def let_go() -> None:
        return

    try:
        if behind_it is not None:
            child, let_go = behind(behind_it, begin)
        else:
            child = begin()
    except OSError as exc:
        raise OvrikError(f"{arguments[0]} won't start ({exc.strerror})", "Check the build") from None
    on_start(child.pid)
    watch = ProcessWatch(child, began, on_output, should_stop, stall_s, mark, grace_s)
    try:
        watch.until_gone()
    except BaseException:
        watch.end_at_once()
        raise
    finally:
        watch.close()
        let_go()
    spent = watch.spent
    # A child's peak as the kernel keeps it is never below the parent's at the fork; above that it
    # is exact, below it the sampled peak is the better number.
    peak = spent.peak_bytes if spent.peak_bytes > floor else watch.sampled_peak
    return Usage(
        wall_s=watch.ended - began,
        user_s=spent.user_s,
        system_s=spent.system_s,
        peak_bytes=peak,
        read_bytes=spent.read_bytes,
        written_bytes=spent.written_bytes,
        exit_code=spent.exit_code,
        log=tuple(watch.log),
        stopped=watch.stopped,
        stalled=watch.stalled,
        own_cpu_s=time.process_time() - own_before,
    )


LEASH = "setpriv"
"""Starts a program so that it is killed when this process is: an encoder that outlived Ovrik would
load the machine while the study is gone on with."""


def _leash(program: str) -> list[str]:
    """What stands before the argument list; nothing where the program could not be started anyway,
    so that the reason is the program's own."""
    tool = shutil.which(LEASH)
    if tool is None or not startable(program):
        return []
    return [tool, "--pdeathsig", "KILL", "--"]


def startable(program: str) -> bool:
    """Whether a program is there, may be run, and is of a kind that the kernel starts."""
    place = shutil.which(program)
    if place is None:
        return False
    with open(place, "rb") as handle:
        head = handle.read(64)
    return head.startswith(b"#!") or (head[:4] == b"\x7fELF" and len(head) == 64 and any(head[24:32]))


def _memory_floor() -> int:
    """The peak, in bytes, that a child inherits from this process when it is forked."""
    try:
        # Forgets this process's own past peak, so that the floor is what it holds now.
        Path("/proc/self/clear_refs").write_text("5")
    except OSError:
        return resource.getrusage(resource.RUSAGE_SELF).ru_maxrss * 1024
    pages = int(Path("/proc/self/statm").read_text().split()[1])
    return round(pages * resource.getpagesize() * 1.05)


def _adopt_orphans() -> None:
    """Make orphaned grandchildren ours, so that a forking program is measured to its end."""
    ctypes.CDLL(None, use_errno=True).prctl(PR_SET_CHILD_SUBREAPER, 1, 0, 0, 0)
