"""One timed run of one contender, from a clean start to a finished file or a clear failure."""

import errno
import os
import shutil
import time
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from pathlib import Path

import psutil

from ovrik.errors import Ask, OvrikError
from ovrik.export.run.process import Start, Usage, measure, usage_together
from ovrik.export.run.progress import Progress, ProgressReader, Reader
from ovrik.export.run.trace import Trace, TraceWatcher
from ovrik.export.run.wall import Wall
from ovrik.machine.sensors.readings import Sensors
from ovrik.study.facts.passes import PassTimes

FULL_DISK = ("no space left on device", "disk quota exceeded")
LOW_DISK_BYTES = 1 << 20


@dataclass(frozen=True)
class RunResult:
    """What one run gave; never edited afterwards.

    Fields: `state`, "done", "failed" or "stopped"; `reason`, why it failed, in plain words;
    `usage` (None when the program did not start); `passes`, each by the clock; `frames` reported written;
    `output_bytes`; `other_cpu_s`, processor seconds used on the machine by anything but the export
    and Ovrik; `stolen_s`, processor seconds the host of a virtual machine took away; `trace`, series of what
    went on; `others`, processes that were at work meanwhile with their processor seconds, the greediest first;
    `asleep_s`, how long the machine was suspended; `disk_bytes` that all disks moved; `device_users`, other processes
    on the device that was asked for with the largest share of it seen, 0 to 1; `disk_users`, other processes with the
    MB/s that they moved on the disks, the greediest first, of those whose counts may be read; `halted_s`, how long
    one of its own processes was stopped.
    """

    state: str
    reason: str
    usage: Usage | None = None
    passes: tuple[PassTimes, ...] = ()
    frames: int = 0
    output_bytes: int = 0
    other_cpu_s: float = 0.0
    stolen_s: float = 0.0
    trace: Trace | None = None
    others: tuple[tuple[str, float], ...] = ()
    asleep_s: float = 0.0
    disk_bytes: int = 0
    device_users: tuple[tuple[str, float], ...] = ()
    disk_users: tuple[tuple[str, float], ...] = ()
    halted_s: float = 0.0

    @property
    def first_frame_s(self) -> float | None:
        """When the first frame of all was reported (to 0.1 s), seconds from the start, None where none was."""
        return self.passes[0].first_s if self.passes else None

    @property
    def last_frame_s(self) -> float | None:
        """When the last frame of the last pass was reported, likewise."""
        if not self.passes or self.passes[-1].last_s is None:
            return None
        return sum(p.wall_s for p in self.passes[:-1]) + self.passes[-1].last_s

    @property
    def start_up_s(self) -> float | None:
        """What was spent before frames came, in all passes together; None where one reported none."""
        found = [p.first_s for p in self.passes if p.first_s is not None]
        return sum(found) if found and len(found) == len(self.passes) else None


def timed_run(
    commands: Sequence[Sequence[str]],
    partial: Path,
    output: Path,
    on_progress: Callable[[Progress], None] = lambda _p: None,
    should_stop: Ask = lambda: False,
    stall_s: float = 120.0,
    reader: Reader | None = None,
    start: Start = Start(),  # noqa: B008 (a frozen value)
    sensors: Sequence[Sensors] = (),
    writes: bool = True,
    fault: Callable[[Path], str] = lambda _made: "",
    on_row: Callable[[dict[str, float]], None] = lambda _row: None,
    sync: bool = True,
    wall: Wall | None = None,
) -> RunResult:
    """Run an export that writes `partial`; on success it becomes `output`, else it is removed.

    `commands` are its passes, run one after another; their times add up. `reader` makes sense of the standard output;
    None for the builds' own progress stream. With `writes` False it only has to end well. `fault` says what is wrong
    with a file that was written by a run that ended well, or "". `on_row` is given each row of the series as it is
    read, in a thread of its own. With `sync` all that waits to be written is on the disks before it begins. `wall`
    says what it may read and write (see `export.wall`).

    A run that can't even start is a failed run, not an exception.
    """
    partial.unlink(missing_ok=True)
    if sync:
        os.sync()
    before, clock = psutil.cpu_times(), time.monotonic()
    usage: Usage | None = None
    seen: list[_Marks] = []
    passes: list[PassTimes] = []
    watcher = TraceWatcher(sensors, lambda: seen[-1].frame if seen else 0, on_row)
    try:
        marks = None
        for arguments in commands:
            marks = _Marks(
                on_progress, reader or ProgressReader(), len(commands), marks, usage.wall_s if usage else 0.0
            )
            seen.append(marks)
            one = measure(
                arguments,
                marks.take,
                should_stop,
                stall_s,
                start=start,
                wall=wall,
                on_start=watcher.begin if usage is None else watcher.go_on,
            )
            passes.append(PassTimes(one.wall_s, marks.first_s, marks.last_s))
            usage = one if usage is None else usage_together(usage, one)
            if one.exit_code or one.stopped or one.stalled:
                break
    except OvrikError as exc:
        return RunResult("failed", str(exc))
    finally:
        watcher.stop()
    assert usage is not None
    assert marks is not None
    trace = watcher.end()
    other, stolen = _other_load(before, psutil.cpu_times(), usage, time.monotonic() - clock)
    size = partial.stat().st_size if partial.exists() else 0
    state, reason = _state(usage, size if writes else 1, partial)
    if state == "done" and writes and (wrong := fault(partial)):
        state, reason = "failed", f"it ended without an error, but {wrong}"
    if state == "done" and writes:
        partial.replace(output)
    else:
        partial.unlink(missing_ok=True)
    return RunResult(
        state=state,
        reason=reason,
        usage=usage,
        passes=tuple(passes),
        frames=marks.frame,
        output_bytes=size if state == "done" else 0,
        other_cpu_s=other,
        stolen_s=stolen,
        trace=trace,
        others=tuple(sorted(watcher.seen.items(), key=lambda s: -s[1])),
        asleep_s=watcher.last.asleep - watcher.first.asleep,
        disk_bytes=watcher.disk_bytes,
        device_users=tuple(watcher.device_users.items()),
        disk_users=tuple(sorted(watcher.seen_disks.items(), key=lambda s: -s[1])),
        halted_s=watcher.stopped_s,
    )


class _Marks:
    """When the first and the last frame of a pass came, by its own clock, from the progress stream."""

    def __init__(
        self,
        on_progress: Callable[[Progress], None],
        reader: Reader,
        passes: int = 1,
        before: "_Marks | None" = None,
        spent_s: float = 0.0,
    ) -> None:
        self._passes, self._spent = passes, spent_s
        self._done: int = before._done + before.frame if before else 0
        self.first_s: float | None = None
        self.last_s: float | None = None
        self.frame: int = 0
        self._written = 0
        self._reader = reader
        self._on_progress = on_progress

    def take(self, piece: bytes, at_s: float) -> bool:
        """Read a piece of the stream; True when frames or bytes were added."""
        advanced = False
        for report in self._reader.feed(piece, at_s):
            if report.frame > self.frame:
                self.first_s = at_s if self.first_s is None else self.first_s
                self.last_s = at_s
            advanced |= report.frame > self.frame or report.bytes > self._written or report.ended
            self.frame = max(self.frame, report.frame)
            self._written = max(self._written, report.bytes)
            self._on_progress(self._of_all_passes(report))
        return advanced

    def _of_all_passes(self, report: Progress) -> Progress:
        """The same report with its frames counted as a share of all passes."""
        frame = round((self._done + report.frame) / self._passes)
        return replace(report, frame=frame, at_s=report.at_s + self._spent)


def _state(usage: Usage, size: int, partial: Path) -> tuple[str, str]:
    if usage.stopped:
        return "stopped", "stopped on request"
    if usage.stalled:
        return "failed", "it stalled: no frame was written for a long time"
    if usage.exit_code < 0:
        return "failed", f"ended by signal {-usage.exit_code}"
    if usage.exit_code:
        return "failed", _failure(usage, partial)
    if size == 0:
        return "failed", "it ended without an error but wrote nothing"
    return "done", ""


def _failure(usage: Usage, partial: Path) -> str:
    text = "\n".join(usage.log).lower()
    if any(phrase in text for phrase in FULL_DISK) or _free(partial.parent) < LOW_DISK_BYTES:
        return f"the disk is full: {os.strerror(errno.ENOSPC)} in {partial.parent}"
    informative = [line for line in usage.log if _is_informative(line.lower())]
    first = informative[0] if informative else usage.log[-1] if usage.log else "no message"
    return f"the encoder ended with exit code {usage.exit_code}: {first}"


SAYS_WHY = (
    "error",
    "invalid",
    "unknown",
    "unable",
    "cannot",
    "can't",
    "could not",
    "failed",
    "unrecognized",
    "not found",
    "no such",
)
AFTERMATH = (
    "conversion failed",
    "terminating thread",
    "nothing was written",
    "task finished",
    "could not open encoder before eof",
    "error sending frames",
    "error while filtering",
    "error while opening encoder",
    "error opening output file",
)


def _is_informative(line: str) -> bool:
    """Whether a log line names the fault rather than its aftermath."""
    return any(word in line for word in SAYS_WHY) and not any(word in line for word in AFTERMATH)


def _free(folder: Path) -> int:
    try:
        return shutil.disk_usage(folder).free
    except OSError:
        return 0


def _other_load(before: object, after: object, usage: Usage, span_s: float) -> tuple[float, float]:
    """Processor seconds of everything else, and stolen ones, between two readings."""
    names = ("user", "nice", "system", "irq", "softirq")
    busy = sum(getattr(after, n, 0.0) - getattr(before, n, 0.0) for n in names)
    stolen = getattr(after, "steal", 0.0) - getattr(before, "steal", 0.0)
    own = usage.user_s + usage.system_s + usage.own_cpu_s
    # Kernel ticks are 10 ms wide: less than a tick a second is nothing that was measured.
    other = busy - own
    return (other if other > 0.01 * span_s else 0.0), max(stolen, 0.0)
