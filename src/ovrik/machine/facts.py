"""What this workstation is, each fact with the place where it was read."""

import os
import platform
from dataclasses import asdict, dataclass
from pathlib import Path
from typing import Any

import psutil

UNKNOWN = "unknown"


@dataclass(frozen=True)
class MachineFacts:
    """Fields: `processor` model; `cores` physical and `threads` logical; `memory_bytes`;
    `kernel`; `system`, the distribution's own name; `virtual`, True inside a virtual machine, None
    if that can't be told; `governor` of processor 0; `power`, "mains", "battery" or "unknown"."""

    processor: str
    cores: int
    threads: int
    memory_bytes: int
    kernel: str
    system: str
    virtual: bool | None
    governor: str
    power: str

    def to_json(self) -> dict[str, Any]:
        """Plain values for JSON."""
        return asdict(self)


SOURCES = {
    "processor": "/proc/cpuinfo", "cores": "psutil", "threads": "psutil",
    "memory_bytes": "/proc/meminfo", "kernel": "uname", "system": "/etc/os-release",
    "virtual": "/proc/cpuinfo", "governor": "/sys/devices/system/cpu/cpu0/cpufreq",
    "power": "/sys/class/power_supply",
}  # fmt: skip


def read_machine() -> MachineFacts:
    """Read the facts; what can't be read says "unknown"."""
    info = _text(Path("/proc/cpuinfo"))
    threads = psutil.cpu_count(logical=True) or os.cpu_count() or 1
    return MachineFacts(
        processor=_field(info, "model name") or platform.processor() or UNKNOWN,
        cores=psutil.cpu_count(logical=False) or threads,
        threads=threads,
        memory_bytes=psutil.virtual_memory().total,
        kernel=f"{platform.system()} {platform.release()}",
        system=platform.freedesktop_os_release().get("PRETTY_NAME", UNKNOWN)
        if Path("/etc/os-release").exists()
        else UNKNOWN,
        virtual=("hypervisor" in _field(info, "flags").split()) if info else None,
        governor=_text(Path("/sys/devices/system/cpu/cpu0/cpufreq/scaling_governor")) or UNKNOWN,
        power=_power(),
    )


def _text(path: Path) -> str:
    try:
        return path.read_text().strip()
    except OSError:
        return ""


def _field(info: str, name: str) -> str:
    for line in info.splitlines():
        key, _, value = line.partition(":")
        if key.strip() == name:
            return value.strip()
    return ""


def _power() -> str:
    battery = psutil.sensors_battery() if hasattr(psutil, "sensors_battery") else None
    if battery is None or battery.power_plugged is None:
        return UNKNOWN
    return "mains" if battery.power_plugged else "battery"
