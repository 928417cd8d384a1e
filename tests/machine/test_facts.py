"""Fingerprints and readiness: differences in words, and what could spoil a timing."""

import os
import subprocess
import sys
import types
from dataclasses import replace
from pathlib import Path

import pytest

from ovrik.errors import OvrikError
from ovrik.machine.workstation.drive import measure_drive, read_speed, slow
from ovrik.machine.workstation.facts import TABLE, compared, differences, lasting, power_source, read_machine
from ovrik.machine.workstation.readiness import (
    ReadinessReading,
    device_users,
    file_system_of,
    findings,
    take_reading,
)

READY = ReadinessReading((), "mains", "performance", 500 << 30, "ext4", 45.0, 0.0, 0.0)


@pytest.mark.parametrize("row", TABLE, ids=lambda row: row.key)
def test_one_fact_that_differs_is_reported(row: object) -> None:
    here = {**read_machine().to_json(), row.key: "this"}  # type: ignore[attr-defined]
    other = {**here, row.key: "something else"}  # type: ignore[attr-defined]
    said = differences(here, other)
    assert said == [f"{row.title}: {here[row.key]} against something else"]  # type: ignore[attr-defined]
    assert differences(here, dict(here)) == []


def test_the_weightiest_difference_comes_first_and_unrecorded_ones_are_none() -> None:
    here = read_machine().to_json()
    other = {**here, "system": "Other", "processor": "Other", "kernel": "Other"}
    assert [w.split(":")[0] for w in differences(here, other)] == ["Processor", "Kernel", "System"]
    assert differences(here, {"processor": here["processor"]}) == []


def test_what_nobody_has_looked_for_yet_is_no_difference() -> None:
    here = {**read_machine().to_json(), "vulkan_devices": "unknown"}
    assert differences(here, {**here, "vulkan_devices": "llvmpipe"}) == []
    assert differences({**here, "vulkan_devices": "llvmpipe"}, here) == []
    side_by_side = compared(here, {**here, "vulkan_devices": "llvmpipe", "kernel": "Other"})
    assert [c.differs for c in side_by_side] == [True] + [False] * (len(side_by_side) - 1)
    assert (side_by_side[0].title, side_by_side[0].other) == ("Kernel", "Other")
    assert next(c for c in side_by_side if "Vulkan" in c.title).other == "llvmpipe"


def test_speeds_differ_when_one_is_under_a_tenth_and_free_space_never() -> None:
    one = {"output_speed": "writes 500 MB/s, reads 900 MB/s", "output_free": "70.0 GB"}
    near = {"output_speed": "writes 52 MB/s, reads 8900 MB/s", "output_free": "2.0 GB"}
    assert differences(one, near) == []
    slower = {**near, "output_speed": "writes 48 MB/s, reads 900 MB/s"}
    assert [w.split(":")[0] for w in differences(one, slower)] == ["Speed for the outputs"]
    assert lasting({**one, "kernel": "x"}) == {"kernel": "x"}


@pytest.mark.parametrize(
    ("supplies", "said"),
    [
        ({}, ""),
        ({"AC": {"type": "Mains", "online": "1"}}, "mains"),
        (
            {"AC": {"type": "Mains", "online": "0"}, "BAT0": {"type": "Battery", "status": "Discharging"}},
            "battery",
        ),
        ({"BAT0": {"type": "Battery", "status": "Full"}}, "mains"),
    ],
)
def test_power(tmp_path: Path, supplies: dict[str, dict[str, str]], said: str) -> None:
    for name, values in supplies.items():
        (tmp_path / name).mkdir()
        for key, value in values.items():
            (tmp_path / name / key).write_text(value + "\n")
    assert power_source(tmp_path) == said
    assert power_source(tmp_path / "none") == ""


def test_a_ready_machine() -> None:
    assert findings(READY) == []


@pytest.mark.parametrize(
    ("change", "words"),
    [
        ({"busy": (("recorder", 0.62),)}, "recorder takes 62 % of a core"),
        ({"on_device": ("render farm",)}, "render farm is using the graphics device"),
        ({"power": "battery"}, "running on battery"),
        ({"governor": "powersave"}, "governor is powersave"),
        ({"hottest_c": 96.0}, "hot: 96 °C"),
        ({"swap_bytes_s": 8e6}, "swapped: 8 MB/s"),
        ({"free_bytes": 300_000_000}, "Only 0.3 GB are free"),
        ({"file_system": "nfs4"}, "network drive (nfs4)"),
        ({"steal_share": 0.2}, "host used 20 % of the processor"),
    ],
)
def test_each_finding_names_effect_and_remedy(change: dict[str, object], words: str) -> None:
    found = findings(replace(READY, **change))  # type: ignore[arg-type]
    assert len(found) == 1
    assert words in found[0].what
    assert found[0].effect
    assert found[0].remedy


def test_a_real_hog_is_named(tmp_path: Path) -> None:
    hog = subprocess.Popen([sys.executable, "-S", "-c", "while True: pass"])
    try:
        reading = take_reading(tmp_path, 0.6)
    finally:
        hog.kill()
        hog.wait()
    assert any("python" in name and share > 0.2 for name, share in reading.busy)
    assert any("takes" in f.what for f in findings(reading))


def test_drive(tmp_path: Path) -> None:
    drive = measure_drive(tmp_path, 8 << 20)
    assert drive.write_mb_s > 0
    assert drive.read_mb_s > 0
    assert drive.file_system == file_system_of(tmp_path)
    assert list(tmp_path.iterdir()) == []
    with pytest.raises(OvrikError, match="can't be written"):
        measure_drive(tmp_path / "none")


def test_a_link_under_a_name_that_can_be_guessed_is_not_written_through(tmp_path: Path) -> None:
    kept = tmp_path / "kept.txt"
    kept.write_text("mine")
    folder = tmp_path / "sent"
    folder.mkdir()
    link = folder / f".ovrik-drive-{os.getpid()}"
    link.symlink_to(kept)
    measure_drive(folder, 4 << 20)
    assert kept.read_text() == "mine"
    assert list(folder.iterdir()) == [link]


def test_a_slow_drive_and_a_read_speed(tmp_path: Path) -> None:
    drive = measure_drive(tmp_path, 8 << 20)
    assert slow(replace(drive, write_mb_s=12.0))[0].what.endswith("writes 12 MB/s")
    assert slow(replace(drive, write_mb_s=900.0)) == []
    (tmp_path / "film").write_bytes(bytes(6 << 20))
    assert read_speed(tmp_path / "film") > 0


def test_who_uses_the_graphics_device(monkeypatch: pytest.MonkeyPatch) -> None:
    """The driver's library is played by a module of its own name."""
    own = subprocess.Popen(["sleep", "20"])
    load = {"gpu": 80}
    fake = types.SimpleNamespace(
        NVMLError=RuntimeError,
        nvmlInit=lambda: None,
        nvmlDeviceGetCount=lambda: 1,
        nvmlDeviceGetHandleByIndex=lambda n: n,
        nvmlDeviceGetUtilizationRates=lambda _h: types.SimpleNamespace(**load),
        nvmlDeviceGetComputeRunningProcesses=lambda _h: [types.SimpleNamespace(pid=own.pid)],
        nvmlDeviceGetGraphicsRunningProcesses=lambda _h: [],
    )
    monkeypatch.setitem(sys.modules, "pynvml", fake)
    try:
        assert device_users() == ("sleep",)
        load["gpu"] = 1
        assert device_users() == ()
    finally:
        own.kill()
        own.wait()
