"""What the machine is doing, read cheaply enough to be read while something is timed."""

import os
import time
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import psutil

TICKS = os.sysconf("SC_CLK_TCK")
CULPRIT_SHARE = 0.05
"""Share of one core from which on a process is worth naming."""


@dataclass(frozen=True)
class Counters:
    """Running totals at a moment. Fields: `at`, monotonic seconds; `busy` and `stolen`, seconds by core;
    `read`, `written` bytes of all disks; `disk_busy`, seconds of each disk; `asleep`, seconds that the machine was
    suspended since it started; `joules` that the processors used, None where that is not reported."""

    at: float
    busy: tuple[float, ...]
    stolen: float
    read: int
    written: int
    asleep: float
    disk_busy: tuple[float, ...] = ()
    joules: float | None = None


def counters() -> Counters:
    """Read them all."""
    cores = psutil.cpu_times(percpu=True)
    # Partitions are counted in the disks that they lie on.
    found = psutil.disk_io_counters(perdisk=True, nowrap=False)
    disks = [d for name, d in found.items() if os.path.exists(f"/sys/block/{name}")]
    asleep = time.clock_gettime(time.CLOCK_BOOTTIME) - time.clock_gettime(time.CLOCK_MONOTONIC)
    return Counters(
        at=time.monotonic(),
        busy=tuple(c.user + c.nice + c.system + c.irq + c.softirq for c in cores),
        stolen=sum(getattr(c, "steal", 0.0) for c in cores),
        read=sum(d.read_bytes for d in disks),
        written=sum(d.write_bytes for d in disks),
        asleep=asleep,
        disk_busy=tuple(getattr(d, "busy_time", 0) / 1000 for d in disks),
        joules=processor_joules(),
    )


def clock_mhz() -> float | None:
    """The processor's present clock, mean over cores; None where the kernel does not report it."""
    found = psutil.cpu_freq()
    return float(found.current) if found and found.current else None


def hottest_c() -> float | None:
    """The warmest sensor in °C; None where there is none."""
    found: dict[str, list[Any]] = getattr(psutil, "sensors_temperatures", dict)()
    values = [t.current for sensors in found.values() for t in sensors if t.current]
    return max(values) if values else None


def fastest_fan_rpm() -> float | None:
    """The fastest fan; None where none reports one."""
    found: dict[str, list[Any]] = getattr(psutil, "sensors_fans", dict)()
    values = [f.current for fans in found.values() for f in fans if f.current]
    return float(max(values)) if values else None


POWERCAP = Path("/sys/class/powercap")


def processor_joules(root: Path = POWERCAP) -> float | None:
    """Energy that all processor packages used since some moment, in joules; None where the kernel does not report it.

    It runs over from time to time: a difference that is below zero is no reading.
    """
    total, found = 0.0, False
    for meter in root.glob("*-rapl:?/energy_uj"):
        try:
            total += int(meter.read_text()) / 1e6
        except (OSError, ValueError):
            continue
        found = True
    return total if found else None


def group_of(pid: int) -> int:
    """The process group of a process, 0 when it is gone."""
    try:
        return os.getpgid(pid)
    except ProcessLookupError:
        return 0


def drop_from_cache(path: Path) -> bool:
    """Ask the kernel to forget a file's pages; what is not written yet is written first. False when it can't."""
    try:
        with path.open("rb") as handle:
            os.fsync(handle.fileno())
            os.posix_fadvise(handle.fileno(), 0, 0, os.POSIX_FADV_DONTNEED)
    except OSError:
        return False
    return True


def read_into_cache(path: Path, piece: int = 8 << 20) -> bool:
    """Read a file from end to end, so that it lies in memory. False when it can't be read."""
    buffer = bytearray(piece)
    try:
        with path.open("rb", buffering=0) as handle:
            while handle.readinto(buffer):
                pass
    except OSError:
        return False
    return True
