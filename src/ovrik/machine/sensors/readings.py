"""Sensors: one reading of everything that can be read, from the system and the drivers."""

import time
from dataclasses import dataclass
from typing import Any, Protocol

import psutil

from ovrik.machine.sensors.driver import driver_devices

USERS_US = 5_000_000
"""How far back use by processes is looked at, microseconds."""


@dataclass(frozen=True)
class SensorValue:
    """Fields: `name`; `value` in `unit`; `source`, where it was read."""

    name: str
    value: float
    unit: str
    source: str


class Sensors(Protocol):
    """Anything that can be read for sensor values."""

    def read(self) -> list[SensorValue]:
        """The present values; empty where nothing says."""


class SystemSensors:
    """Temperatures, fans and the processor's clock, as the kernel gives them."""

    def read(self) -> list[SensorValue]:
        """The present values."""
        out = []
        clock = psutil.cpu_freq()
        if clock and clock.current:
            out.append(SensorValue("processor clock", float(clock.current), "MHz", "cpufreq"))
        for ask, unit in ((_temperatures, "°C"), (_fans, "rpm")):
            out += [SensorValue(name, value, unit, "hwmon") for name, value in ask()]
        return out


def _temperatures() -> list[tuple[str, float]]:
    found: dict[str, Any] = getattr(psutil, "sensors_temperatures", dict)()
    return [(f"{chip} {t.label}".strip(), float(t.current)) for chip, ts in found.items() for t in ts]


def _fans() -> list[tuple[str, float]]:
    found: dict[str, Any] = getattr(psutil, "sensors_fans", dict)()
    return [(f"{chip} {f.label}".strip(), float(f.current)) for chip, fs in found.items() for f in fs]


class DriverSensors:
    """Load of each unit, memory, clock, temperature, fan and watts by a graphics driver's library."""

    READ = (
        ("graphics load", "%", lambda n, h: n.nvmlDeviceGetUtilizationRates(h).gpu),
        ("encoder load", "%", lambda n, h: n.nvmlDeviceGetEncoderUtilization(h)[0]),
        ("decoder load", "%", lambda n, h: n.nvmlDeviceGetDecoderUtilization(h)[0]),
        ("memory used", "MiB", lambda n, h: n.nvmlDeviceGetMemoryInfo(h).used / 2**20),
        ("clock", "MHz", lambda n, h: n.nvmlDeviceGetClockInfo(h, 0)),
        ("temperature", "°C", lambda n, h: n.nvmlDeviceGetTemperature(h, 0)),
        ("fan", "%", lambda n, h: n.nvmlDeviceGetFanSpeed(h)),
        ("power", "W", lambda n, h: n.nvmlDeviceGetPowerUsage(h) / 1000),
        ("link load", "%", lambda n, h: _link_load(n, h)),
        ("held back", "%", lambda n, h: 100.0 * _held_back(n, h)),
    )

    def users(self) -> dict[int, float]:
        """Share of a device, 0 to 1, by process that used one just now; empty where that is not reported."""
        library, handles = driver_devices()
        out: dict[int, float] = {}
        for handle in handles:
            try:
                found = library.nvmlDeviceGetProcessUtilization(handle, time.time_ns() // 1000 - USERS_US)
            except library.NVMLError:
                continue
            for user in found:
                share = max(user.smUtil, user.encUtil, user.decUtil) / 100
                out[user.pid] = max(out.get(user.pid, 0.0), share)
        return out

    def read(self) -> list[SensorValue]:
        """The present values; a value that a device does not give is left out."""
        library, handles = driver_devices()
        out = []
        for number, handle in enumerate(handles, 1):
            name = str(library.nvmlDeviceGetName(handle))
            for title, unit, ask in self.READ:
                # Of several devices each keeps its own readings: which of them works is the driver's choice.
                title = f"{title} of device {number}" if len(handles) > 1 else title
                try:
                    out.append(SensorValue(title, float(ask(library, handle)), unit, name))
                except library.NVMLError:
                    continue
        return out


def _held_back(library: Any, handle: Any) -> bool:
    """Whether heat or power holds the device's clock down at this moment."""
    held = (
        library.nvmlClocksThrottleReasonSwPowerCap
        | library.nvmlClocksThrottleReasonHwSlowdown
        | library.nvmlClocksThrottleReasonSwThermalSlowdown
    )
    return bool(library.nvmlDeviceGetCurrentClocksThrottleReasons(handle) & held)


LANE_MB_S = {1: 250, 2: 500, 3: 985, 4: 1969, 5: 3938, 6: 7877}
"""What one lane carries each way, by generation (PCI Express Base Specification, after its line code)."""


def _link_load(library: Any, handle: Any) -> float:
    """The fuller direction of the link to a device, in per cent of what its present width and speed carry."""
    lanes = library.nvmlDeviceGetCurrPcieLinkWidth(handle)
    each = LANE_MB_S.get(library.nvmlDeviceGetCurrPcieLinkGeneration(handle), LANE_MB_S[5])
    kilobytes = max(library.nvmlDeviceGetPcieThroughput(handle, way) for way in (0, 1))
    return float(100 * kilobytes / 1000 / (lanes * each))
