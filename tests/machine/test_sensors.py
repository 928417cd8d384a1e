"""A graphics driver's readings, through a library that stands for its own: none is at hand."""

import subprocess
import sys
import time
import types
from pathlib import Path

import pytest

from ovrik.export.run.trace import TraceWatcher
from ovrik.machine.sensors.load import processor_joules
from ovrik.machine.sensors.readings import DriverSensors

SM_POWER, HW_SLOW, HEAT = 4, 8, 32


class RefusedError(Exception):
    """What the library raises for what a device does not tell."""


def library(reasons: int, other: int) -> types.SimpleNamespace:
    """One device on 4 lanes of generation 3, with 3.2 GB/s coming in; `other` uses 60 % of it."""

    def refuse(*_a: object) -> float:
        raise RefusedError

    values = {
        "nvmlInit": lambda: None,
        "nvmlDeviceGetCount": lambda: 1,
        "nvmlDeviceGetHandleByIndex": lambda n: n,
        "nvmlDeviceGetName": lambda _h: "Test device",
        "NVMLError": RefusedError,
        "nvmlDeviceGetUtilizationRates": lambda _h: types.SimpleNamespace(gpu=71),
        "nvmlDeviceGetEncoderUtilization": lambda _h: [98, 0],
        "nvmlDeviceGetDecoderUtilization": refuse,
        "nvmlDeviceGetMemoryInfo": refuse,
        "nvmlDeviceGetClockInfo": lambda _h, _k: 1700,
        "nvmlDeviceGetTemperature": lambda _h, _k: 83,
        "nvmlDeviceGetFanSpeed": refuse,
        "nvmlDeviceGetPowerUsage": lambda _h: 51_000,
        "nvmlDeviceGetCurrPcieLinkWidth": lambda _h: 4,
        "nvmlDeviceGetCurrPcieLinkGeneration": lambda _h: 3,
        "nvmlDeviceGetPcieThroughput": lambda _h, way: 3_200_000 if way else 10_000,
        "nvmlClocksThrottleReasonSwPowerCap": SM_POWER,
        "nvmlClocksThrottleReasonHwSlowdown": HW_SLOW,
        "nvmlClocksThrottleReasonSwThermalSlowdown": HEAT,
        "nvmlDeviceGetCurrentClocksThrottleReasons": lambda _h: reasons,
        "nvmlDeviceGetProcessUtilization": lambda _h, _since: [
            types.SimpleNamespace(pid=other, smUtil=60, encUtil=5, decUtil=0)
        ],
    }
    return types.SimpleNamespace(**values)


def test_link_and_held_back_clocks_are_read(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setitem(sys.modules, "pynvml", library(HEAT | 1, 0))
    found = {v.name: v.value for v in DriverSensors().read()}
    assert found["link load"] == pytest.approx(100 * 3200 / (4 * 985))
    assert found["held back"] == 100
    assert found["encoder load"] == 98
    assert "fan" not in found, "what is not told is left out"
    monkeypatch.setitem(sys.modules, "pynvml", library(1, 0))
    assert {v.name: v.value for v in DriverSensors().read()}["held back"] == 0


def test_another_process_on_the_device_is_named(monkeypatch: pytest.MonkeyPatch) -> None:
    other = subprocess.Popen([sys.executable, "-c", "import time; time.sleep(30)"], start_new_session=True)
    try:
        time.sleep(0.1)
        monkeypatch.setitem(sys.modules, "pynvml", library(0, other.pid))
        watcher = TraceWatcher([DriverSensors()])
        watcher.begin(0)
        trace = watcher.end()
        assert list(watcher.device_users.values()) == [0.6]
        assert "python" in next(iter(watcher.device_users))
        own = TraceWatcher([DriverSensors()])
        own.begin(other.pid)
        own.end()
        assert own.device_users == {}, "the export itself is no disturbance"
        assert trace.joules() is None
    finally:
        other.kill()
        other.wait()


def test_energy_of_the_processors_is_summed_over_packages(tmp_path: Path) -> None:
    assert processor_joules(tmp_path) is None
    for package, microjoules in ((0, 2_500_000), (1, 1_000_000)):
        folder = tmp_path / f"intel-rapl:{package}"
        folder.mkdir()
        (folder / "energy_uj").write_text(f"{microjoules}\n")
    assert processor_joules(tmp_path) == pytest.approx(3.5)
