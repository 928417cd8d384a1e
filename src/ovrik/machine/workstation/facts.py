"""What this workstation is, each fact with the place where it was read."""

import os
import platform
import re
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import psutil

from ovrik.machine.devices.device_list import listed_devices
from ovrik.machine.sensors.driver import driver_devices

UNKNOWN = "unknown"
SYS, PROC = Path("/sys"), Path("/proc")


@dataclass(frozen=True)
class Fact:
    """Fields: `key`; `title`; `value` in words, "unknown" when it is not known; `source`, where it
    was read; `weight`, how likely a difference in it is to move a time, 0 to 100."""

    key: str
    title: str
    value: str
    source: str
    weight: int


@dataclass(frozen=True)
class MachineFacts:
    """A workstation's lasting facts: its fingerprint. Fields: `facts`, in order of the table."""

    facts: tuple[Fact, ...]

    def __getitem__(self, key: str) -> str:
        return next(f.value for f in self.facts if f.key == key)

    def to_json(self) -> dict[str, Any]:
        """Values by key."""
        return {f.key: f.value for f in self.facts}


def _text(path: Path) -> str:
    try:
        return path.read_text(errors="replace").strip()
    except OSError:
        return ""


def _cpu(field: str) -> str:
    for line in _text(PROC / "cpuinfo").splitlines():
        key, _, value = line.partition(":")
        if key.strip() == field:
            return value.strip()
    return ""


def processor_key() -> str:
    """What tells this machine's processor from another's."""
    return f"{_cpu('model name') or platform.processor()}, {_cores()}"


def _cores() -> str:
    threads = psutil.cpu_count(logical=True) or os.cpu_count() or 1
    return f"{psutil.cpu_count(logical=False) or threads} cores, {threads} threads"


def _maximum_clock() -> str:
    kilohertz = _text(SYS / "devices/system/cpu/cpu0/cpufreq/cpuinfo_max_freq")
    if kilohertz.isdigit():
        return f"{int(kilohertz) / 1e6:.2f} GHz"
    stated = _cpu("model name").rpartition("@ ")[2]
    return f"{stated} (stated in its name)" if stated.endswith("GHz") else ""


def _turbo() -> str:
    for path, on in (("intel_pstate/no_turbo", "0"), ("cpufreq/boost", "1")):
        value = _text(SYS / "devices/system/cpu" / path)
        if value:
            return "on" if value == on else "off"
    return ""


def _memory() -> str:
    return f"{psutil.virtual_memory().total / 2**30:.1f} GiB"


def _system() -> str:
    for line in _text(Path("/etc/os-release")).splitlines():
        if line.startswith("PRETTY_NAME="):
            return line.partition("=")[2].strip('"')
    return ""


def _virtual() -> str:
    flags = _cpu("flags").split()
    if not flags:
        return ""
    maker = _text(SYS / "class/dmi/id/sys_vendor")
    return f"yes{f' ({maker})' if maker else ''}" if "hypervisor" in flags else "no"


def _governor() -> str:
    return _text(SYS / "devices/system/cpu/cpu0/cpufreq/scaling_governor")


def power_source(folder: Path = SYS / "class/power_supply") -> str:
    """ "mains", "battery", or "" when the machine does not say."""
    try:
        supplies = list(folder.iterdir())
    except OSError:
        return ""
    kinds = [(_text(s / "type"), _text(s / "online"), _text(s / "status")) for s in supplies]
    if any(kind == "Mains" and online == "1" for kind, online, _ in kinds):
        return "mains"
    if any(kind == "Battery" and status == "Discharging" for kind, _, status in kinds):
        return "battery"
    return "mains" if kinds and any(kind == "Battery" for kind, _, _ in kinds) else ""


def _graphics() -> str:
    found = []
    for card in sorted((SYS / "class/drm").glob("card[0-9]")):
        uevent = dict(x.split("=", 1) for x in _text(card / "device/uevent").splitlines() if "=" in x)
        said = f"{uevent.get('DRIVER', 'no driver')} {uevent.get('PCI_ID', '')}".strip()
        found.append(f"{card.name}: {said}")
    return "; ".join([*found, *_nvml()[0]]) or "none"


def _graphics_driver() -> str:
    modules = {p.resolve().name for p in (SYS / "class/drm").glob("card[0-9]/device/driver/module")}
    versions = [f"{m} {_text(SYS / 'module' / m / 'version') or platform.release()}" for m in sorted(modules)]
    return "; ".join([*versions, *_nvml()[1]]) or "none"


def _nvml() -> tuple[list[str], list[str]]:
    """Names and driver version as the driver's own library reports them."""
    library, handles = driver_devices()
    if not handles:
        return [], []
    names = [str(library.nvmlDeviceGetName(handle)) for handle in handles]
    return names, [str(library.nvmlSystemGetDriverVersion())]


EXACT, SPEED, FREE = "exact", "speed", "free"
"""When two values are alike: only where they are equal; unless one is under half of the other; always, since free
space changes with every file."""


@dataclass(frozen=True)
class _Row:
    key: str
    title: str
    source: str
    weight: int
    read: Callable[[], str]
    alike: str = EXACT


TABLE: tuple[_Row, ...] = (
    _Row("processor", "Processor", "/proc/cpuinfo", 100, lambda: _cpu("model name") or platform.processor()),
    _Row("cores", "Cores", "/proc/cpuinfo", 95, _cores),
    _Row("graphics", "Graphics cards", "/sys/class/drm, NVML", 90, _graphics),
    _Row(
        "vulkan_devices",
        "Vulkan devices",
        "the Vulkan loader, asked by a build",
        88,
        lambda: listed_devices("vulkan"),
    ),
    _Row(
        "opencl_devices",
        "OpenCL devices",
        "the OpenCL loader, asked by a build",
        87,
        lambda: listed_devices("opencl"),
    ),
    _Row("graphics_driver", "Graphics driver", "/sys/module, NVML", 85, _graphics_driver),
    _Row("power", "Power", "/sys/class/power_supply", 80, power_source),
    _Row("governor", "Governor", "cpu0/cpufreq", 75, _governor),
    _Row("turbo", "Turbo", "cpu/intel_pstate, cpu/cpufreq", 70, _turbo),
    _Row("maximum_clock", "Maximum clock", "cpu0/cpufreq", 65, _maximum_clock),
    _Row("memory", "Memory", "/proc/meminfo", 60, _memory),
    _Row("virtual", "Virtual machine", "/proc/cpuinfo, DMI", 55, _virtual),
    _Row("microcode", "Microcode", "/proc/cpuinfo", 40, lambda: _cpu("microcode")),
    _Row("kernel", "Kernel", "uname", 30, lambda: f"{platform.system()} {platform.release()}"),
    _Row("system", "System", "/etc/os-release", 20, _system),
)


@dataclass(frozen=True)
class StudyRow:
    """A fact that depends on the study too. Fields as of `Fact`, without a value; `alike`, when two values are."""

    key: str
    title: str
    source: str
    weight: int
    alike: str = EXACT


MOUNTS, MEASURED, STATVFS = "/proc/self/mounts", "measured: see Drives", "statvfs(3)"
STUDY_ROWS = (
    StudyRow("output_drive", "Drive of the outputs", MOUNTS, 50),
    StudyRow("output_speed", "Speed for the outputs", MEASURED, 49, SPEED),
    StudyRow("source_drive", "Drive of the footage", MOUNTS, 45),
    StudyRow("source_speed", "Speed for the footage", MEASURED, 44, SPEED),
    StudyRow("study_drive", "Drive of the study", MOUNTS, 15),
    StudyRow("study_speed", "Speed for the study", MEASURED, 14, SPEED),
    StudyRow("output_free", "Free for the outputs", STATVFS, 5, FREE),
    StudyRow("source_free", "Free beside the footage", STATVFS, 4, FREE),
    StudyRow("study_free", "Free for the study", STATVFS, 3, FREE),
)
FORMER_ROWS = (StudyRow("devices", "Vulkan and OpenCL devices", "trials of the builds", 0, FREE),)
"""Kept with runs by earlier versions, which knew a machine's devices only once accelerations had been tried."""


def read_machine() -> MachineFacts:
    """Read the lasting facts; what can't be read says "unknown"."""
    return MachineFacts(tuple(Fact(r.key, r.title, r.read() or UNKNOWN, r.source, r.weight) for r in TABLE))


def differences(one: Mapping[str, Any], other: Mapping[str, Any]) -> list[str]:
    """What differs between two fingerprints as kept with runs, in words, the weightiest first."""
    return [f"{c.title}: {c.one} against {c.other}" for c in compared(one, other) if c.differs]


@dataclass(frozen=True)
class Compared:
    """A fact of two fingerprints. Fields: `title`; `one`, `other`, its values, "unknown" where it was not
    recorded; `alike`, when the two are."""

    title: str
    one: str
    other: str
    alike: str = EXACT

    @property
    def differs(self) -> bool:
        """Whether both are known, and unlike: a fact that an older Ovrik did not record, or that nobody has looked
        for yet, is no difference of machines."""
        if UNKNOWN in (self.one, self.other) or self.alike == FREE:
            return False
        return self.one != self.other and not (self.alike == SPEED and _near(self.one, self.other))


NUMBER = re.compile(r"\d+(?:\.\d+)?")
FAR = 0.1
"""Of a speed: beside other work the same drive was measured at 120, 437 and 1,047 MB/s within minutes."""


def _near(one: str, other: str) -> bool:
    """Whether no speed in one is under a tenth of that in the other: short measurements vary."""
    pairs = list(zip(map(float, NUMBER.findall(one)), map(float, NUMBER.findall(other)), strict=False))
    return bool(pairs) and all(min(p) >= FAR * max(p) for p in pairs)


def compared(one: Mapping[str, Any], other: Mapping[str, Any]) -> list[Compared]:
    """Two fingerprints side by side: what differs first, in each part the weightiest first."""
    every: list[_Row | StudyRow] = [*TABLE, *STUDY_ROWS, *FORMER_ROWS]
    rows = sorted(every, key=lambda r: -r.weight)
    found = [
        Compared(r.title, str(one.get(r.key, UNKNOWN)), str(other.get(r.key, UNKNOWN)), r.alike)
        for r in rows
        if r.key in one or r.key in other
    ]
    return sorted(found, key=lambda c: not c.differs)


def lasting(facts: Mapping[str, Any]) -> dict[str, Any]:
    """Those of a fingerprint that are the same until the machine is another: no speeds and free space."""
    passing = {r.key for r in (*STUDY_ROWS, *FORMER_ROWS) if r.alike != EXACT}
    return {key: value for key, value in facts.items() if key not in passing}
