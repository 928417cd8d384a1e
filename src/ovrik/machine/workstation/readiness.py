"""Is the workstation fit for timing? Read before anything is timed."""

import shutil
import time
from dataclasses import dataclass
from pathlib import Path

import psutil

from ovrik.machine.sensors.driver import driver_devices
from ovrik.machine.workstation.facts import _governor, power_source

BUSY_SHARE = 0.10
HOT_C = 85.0
LOW_FREE_BYTES = 2 << 30
SWAPPING_BYTES_S = 1 << 20
SAVING_GOVERNORS = ("powersave", "conservative")
NETWORK_FILE_SYSTEMS = ("nfs", "nfs4", "cifs", "smb3", "sshfs", "fuse.sshfs", "9p", "davfs", "afs")
SAMPLE_S = 1.0


@dataclass(frozen=True)
class ReadinessReading:
    """The state of the machine over about a second.

    Fields: `busy`, processes but this one and the share of one core each took; `power` and
    `governor` as in the facts; `free_bytes` where outputs go, and that folder's `file_system`;
    `hottest_c` in °C or None; `swap_bytes_s`, traffic to and from swap; `steal_share`, the share of
    processor time that the host of a virtual machine took; `on_device`, processes that hold a busy
    graphics device.
    """

    busy: tuple[tuple[str, float], ...]
    power: str
    governor: str
    free_bytes: int
    file_system: str
    hottest_c: float | None
    swap_bytes_s: float
    steal_share: float
    on_device: tuple[str, ...] = ()


@dataclass(frozen=True)
class Finding:
    """Fields: `what` is the case; `effect` it could have; `remedy`, what to do about it."""

    what: str
    effect: str
    remedy: str


def take_reading(outputs: Path, seconds: float = SAMPLE_S) -> ReadinessReading:
    """Look at the machine for about a second."""
    own = {psutil.Process().pid}
    before = process_seconds()
    swap, cpu, began = psutil.swap_memory(), psutil.cpu_times(), time.monotonic()
    time.sleep(seconds)
    span = time.monotonic() - began
    after, later_swap, later_cpu = process_seconds(), psutil.swap_memory(), psutil.cpu_times()
    busy = [
        (name, (spent - before[pid][1]) / span)
        for pid, (name, spent) in after.items()
        if pid in before and pid not in own
    ]
    traffic = later_swap.sin - swap.sin + later_swap.sout - swap.sout
    stolen = getattr(later_cpu, "steal", 0.0) - getattr(cpu, "steal", 0.0)
    folder = outputs if outputs.exists() else next(p for p in outputs.parents if p.exists())
    return ReadinessReading(
        busy=tuple(sorted(busy, key=lambda b: -b[1])[:8]),
        power=power_source(),
        governor=_governor(),
        free_bytes=shutil.disk_usage(folder).free,
        file_system=file_system_of(folder),
        hottest_c=_hottest(),
        swap_bytes_s=traffic / span,
        steal_share=stolen / span / (psutil.cpu_count() or 1),
        on_device=device_users(),
    )


def process_seconds() -> dict[int, tuple[str, float]]:
    """Name and processor seconds so far of every process."""
    out = {}
    for process in psutil.process_iter(["name", "cpu_times"]):
        times = process.info["cpu_times"]
        if times:
            out[process.pid] = (process.info["name"] or "?", times.user + times.system)
    return out


def device_users() -> tuple[str, ...]:
    """Names of other processes on a graphics device that is busy, as its driver reports."""
    library, handles = driver_devices()
    pids: list[int] = []
    for handle in handles:
        try:
            if library.nvmlDeviceGetUtilizationRates(handle).gpu < 100 * BUSY_SHARE:
                continue
            for ask in (
                library.nvmlDeviceGetComputeRunningProcesses,
                library.nvmlDeviceGetGraphicsRunningProcesses,
            ):
                pids += [process.pid for process in ask(handle)]
        except library.NVMLError:
            continue  # this device does not report who uses it
    names = (psutil.Process(pid).name() for pid in dict.fromkeys(pids) if psutil.pid_exists(pid))
    return tuple(dict.fromkeys(names))


def file_system_of(folder: Path) -> str:
    """Type of the file system that a folder lies on; "" if it is not known."""
    place = folder.resolve()
    best = ("", "")
    for part in psutil.disk_partitions(all=True):
        inside = place == Path(part.mountpoint) or Path(part.mountpoint) in place.parents
        if inside and len(part.mountpoint) >= len(best[0]):
            best = (part.mountpoint, part.fstype)
    return best[1]


def _hottest() -> float | None:
    try:
        found = psutil.sensors_temperatures()
    except (AttributeError, OSError):
        return None
    values = [t.current for sensors in found.values() for t in sensors if t.current]
    return max(values) if values else None


def findings(reading: ReadinessReading) -> list[Finding]:
    """What could spoil a timing, the gravest first; empty when the machine is ready."""
    out = []
    for name, share in reading.busy:
        if share >= BUSY_SHARE:
            out.append(
                Finding(
                    f"{name} takes {100 * share:.0f} % of a core",
                    "Runs that share the processor with it are slower",
                    f"Close {name} or wait until it is done",
                )
            )
    for name in reading.on_device:
        out.append(
            Finding(
                f"{name} is using the graphics device",
                "Runs that ask for the device share it",
                f"Close {name}",
            )
        )
    if reading.power == "battery":
        out.append(
            Finding(
                "The machine is running on battery",
                "Clocks are limited and vary with the charge",
                "Plug it in",
            )
        )
    if reading.governor in SAVING_GOVERNORS:
        out.append(
            Finding(
                f"The processor's governor is {reading.governor}",
                "Short runs end before the clock has risen",
                "Choose the performance governor",
            )
        )
    if reading.hottest_c is not None and reading.hottest_c >= HOT_C:
        out.append(
            Finding(
                f"The machine is hot: {reading.hottest_c:.0f} °C",
                "It may throttle during a run",
                "Let it cool before timing",
            )
        )
    if reading.swap_bytes_s >= SWAPPING_BYTES_S:
        out.append(
            Finding(
                f"Memory is being swapped: {reading.swap_bytes_s / 1e6:.0f} MB/s",
                "Everything waits for the disk",
                "Close programs that use a lot of memory",
            )
        )
    if reading.steal_share >= 0.02:
        out.append(
            Finding(
                f"The virtual machine's host used {100 * reading.steal_share:.0f} % of the processor",
                "Times vary with what other machines are doing",
                "Time on the host, or repeat more often",
            )
        )
    if reading.free_bytes < LOW_FREE_BYTES:
        out.append(
            Finding(
                f"Only {reading.free_bytes / 1e9:.1f} GB are free for outputs",
                "A run fails when the disk is full",
                "Free some space",
            )
        )
    if reading.file_system in NETWORK_FILE_SYSTEMS:
        out.append(
            Finding(
                f"Outputs go to a network drive ({reading.file_system})",
                "The network is timed along with the encoder",
                "Keep the study on a local drive",
            )
        )
    return out
