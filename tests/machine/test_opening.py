"""Every device of a path is found, named and asked for by its number; what a build said is kept whole."""

import stat
import sys
from pathlib import Path

import pytest

from ovrik.export.command.export import device_arguments
from ovrik.machine.builds.build import Build, find_build
from ovrik.machine.devices import opening, probing, trials
from ovrik.machine.devices.device_list import listed_devices
from ovrik.machine.devices.known_trials import device_numbers
from ovrik.machine.devices.opening import Opened, open_devices
from ovrik.machine.devices.paths import PATHS
from ovrik.machine.devices.probing import probe_builds
from ovrik.machine.devices.trial import FAILS, UNTRIED, WORKS
from ovrik.machine.devices.trials import try_build
from ovrik.machine.processes.asking import Replied, ask

OPENCL = next(p for p in PATHS if p.key == "opencl")
TWO = """#!{python} -S
import sys
wanted = sys.argv[sys.argv.index("-init_hw_device") + 1] if "-init_hw_device" in sys.argv else ""
print("[OpenCL @ 0x1] 0.0: Foundry / Ladle", file=sys.stderr)
print("[OpenCL @ 0x1] 1.0: Portable Computing Language / cpu", file=sys.stderr)
if wanted.startswith("opencl=") and ":" not in wanted:
    print("[OpenCL @ 0x1] More than one matching device found.", file=sys.stderr)
    sys.exit(1)
if wanted.endswith(":0.0"):
    print("[OpenCL @ 0x1] this one is broken", file=sys.stderr)
    sys.exit(1)
raw = [open(a, "rb").read() for a in sys.argv if a.endswith(".yuv")]
sys.stdout.buffer.write(raw[0] if raw else b"")
"""


@pytest.fixture
def two(tmp_path: Path) -> Build:
    """A build that sees two devices, of which the first can't be opened."""
    program = tmp_path / "two"
    program.write_text(TWO.format(python=sys.executable))
    program.chmod(program.stat().st_mode | stat.S_IXUSR)
    return Build("two", str(program), "1", "two", (), ("avgblur_opencl",), devices=("opencl",))


def test_each_is_opened_by_its_number_and_one_that_works_is_used(two: Build) -> None:
    found = open_devices(two.path, OPENCL)
    assert [(o.number, o.name, o.works, o.processor) for o in found] == [
        ("1.0", "Portable Computing Language / cpu", True, True),
        ("0.0", "Foundry / Ladle", False, False),
    ]
    trials = [t for t in try_build(two, {}) if t.path == "opencl"]
    assert [(t.number, t.answer) for t in trials if t.place == "device"] == [("1.0", WORKS), ("0.0", FAILS)]
    assert {(t.number, t.answer) for t in trials if t.place == "treatment"} == {("1.0", WORKS)}


def test_an_export_asks_for_the_one_that_works(two: Build) -> None:
    probing._keep(two, try_build(two, {}))
    assert device_numbers(two) == (("opencl", "1.0"),)
    assert device_arguments(("opencl",), device_numbers(two)) == ["-init_hw_device", "opencl=opencl:1.0"]
    assert device_arguments(("opencl",)) == ["-init_hw_device", "opencl=opencl"]


def test_the_lists_of_devices_are_facts() -> None:
    build = find_build("bundled")
    for path in (p for p in PATHS if p.key in ("opencl", "vulkan")):
        names = [o.name for o in open_devices(build.path, path) if o.works]
        said = listed_devices(path.key)
        assert all(name in said for name in names)
        assert names or said == "none"


def test_without_a_device_nothing_is_said_to_have_been_tried() -> None:
    found = [t for t in probe_builds([find_build("bundled")]) if t.path in ("vaapi", "qsv")]
    opened = {t.path: t for t in found if t.place == "device"}
    for trial in found:
        if trial.place != "device" and opened[trial.path].answer == FAILS:
            assert (trial.answer, trial.reason) == (UNTRIED, opened[trial.path].reason)
    treated = {(t.path, t.what) for t in found if t.place == "treatment"}
    assert {(p, w) for p in ("vaapi", "qsv") for w in ("scale", "deinterlace", "denoise")} <= treated


def test_a_log_is_kept_whole_and_the_time_out_s_too(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    program = tmp_path / "slow"
    lines = "".join(f"echo line {n} >&2\n" for n in range(60))
    program.write_text(f"#!/bin/sh\n{lines}sleep 60\n")
    program.chmod(program.stat().st_mode | stat.S_IXUSR)
    monkeypatch.setattr(opening, "TIMEOUT_S", 1)
    build = Build("slow", str(program), "1", "slow", (), (), devices=("opencl",))
    trial = next(t for t in try_build(build, {}) if (t.path, t.place) == ("opencl", "device"))
    assert trial.reason == "it gave no answer within 1 s"
    assert trial.log == tuple(f"line {n}" for n in range(60))


def test_an_endless_log_keeps_its_beginning_and_its_end(tmp_path: Path) -> None:
    made = ask([sys.executable, "-c", "import sys; [print(n, file=sys.stderr) for n in range(200000)]"], 20)
    assert made.code == 0
    assert made.log.startswith("0\n1\n")
    assert made.log.endswith("199999\n")
    assert "bytes left out" in made.log
    assert len(made.log) < 300_000


def test_a_child_that_holds_the_pipe_does_not_delay_the_answer() -> None:
    made = ask(["/bin/sh", "-c", "sleep 30 & echo here"], 10)
    assert (made.code, made.out) == (0, b"here\n")


@pytest.mark.parametrize(
    ("name", "tried"), [("llvmpipe (LLVM 15, 256 bits)", False), ("Foundry Ladle 4", True)]
)
def test_encoders_of_a_device_that_is_the_processor_are_not_tried(
    monkeypatch: pytest.MonkeyPatch, name: str, tried: bool
) -> None:
    """Treatments are, on either."""
    run: list[list[str]] = []
    monkeypatch.setattr(trials, "open_devices", lambda *_a: [Opened("0", name, Replied(0, b"", ""))])
    monkeypatch.setattr(trials, "run_trial", lambda words: run.append(list(words)) or Replied(1, b"", "no"))
    build = Build("b", "/b/ffmpeg", "1", "b", ("h264_vulkan",), ("hflip_vulkan",), devices=("vulkan",))
    found = [t for t in try_build(build, {}) if t.path == "vulkan"]
    encodes = [t for t in found if t.place == "encode"]
    assert encodes
    assert {t.answer for t in encodes} == {FAILS if tried else UNTRIED}
    assert any("h264_vulkan" in words for words in run) == tried
    assert {t.answer for t in found if t.place == "treatment"} == {FAILS}
    assert all("processor itself" in t.reason for t in encodes) == (not tried)
