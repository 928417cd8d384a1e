"""Builds are found, asked once, and say what is wrong with them."""

import stat
from pathlib import Path

import pytest

from approving import allow_program
from ovrik.errors import OvrikError
from ovrik.machine.builds import build as builds
from ovrik.machine.builds.build import find_build, find_builds, locate
from ovrik.machine.workstation.facts import TABLE, read_machine
from ovrik.study.files.checksum import file_sha256


def script(path: Path, text: str) -> Path:
    path.write_text(f"#!/bin/sh\n{text}\n")
    path.chmod(path.stat().st_mode | stat.S_IXUSR)
    return path


def test_the_bundled_build() -> None:
    build = find_build("bundled")
    assert build.sha256 == file_sha256(Path(build.path))
    assert {"libx264", "libx265", "libsvtav1", "prores_ks"} <= set(build.encoders)
    assert {"libvmaf", "psnr", "ssim"} <= set(build.filters)
    assert build.short.startswith("bundled ")


def test_the_system_build() -> None:
    build = find_build("system")
    assert build.version
    assert build.sha256 != find_build("bundled").sha256
    assert "libx264" in build.encoders


def test_answers_are_cached_until_the_program_changes(tmp_path: Path) -> None:
    counter = tmp_path / "asked"
    program = script(tmp_path / "tool", f"echo x >> {counter}; echo tool version 1.0")
    assert find_build(allow_program(program)).version == "1.0"
    asked = counter.read_text().count("x")
    assert find_build(allow_program(program)).version == "1.0"
    assert counter.read_text().count("x") == asked
    script(program, f"echo x >> {counter}; echo tool version 2.0.1")
    assert find_build(allow_program(program)).version == "2.0.1"
    size = program.stat().st_size
    script(program, f"echo x >> {counter}; echo tool version 2.0.2")
    assert program.stat().st_size == size
    assert find_build(allow_program(program)).version == "2.0.2"


def test_a_damaged_cache_is_no_harm() -> None:
    find_build("bundled")
    builds._cache_file().write_text("{ not json")
    assert find_build("bundled").encoders


@pytest.mark.parametrize(
    ("text", "words"),
    [("echo hello", "does not answer like an encoding program"), ("exit 3", "does not answer like")],
)
def test_a_program_that_is_none(tmp_path: Path, text: str, words: str) -> None:
    with pytest.raises(OvrikError, match=words):
        find_build(allow_program(script(tmp_path / "tool", text)))


def test_a_program_for_another_system(tmp_path: Path) -> None:
    alien = tmp_path / "alien"
    alien.write_bytes(b"\x7fELF" + bytes(60))
    alien.chmod(0o755)
    with pytest.raises(OvrikError, match="won't start"):
        find_build(allow_program(alien))


def test_not_there_and_not_a_program(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    with pytest.raises(OvrikError, match="/nowhere/ffmpeg is not there"):
        locate("/nowhere/ffmpeg")
    plain = tmp_path / "plain"
    plain.write_text("x")
    with pytest.raises(OvrikError, match="is not a program"):
        locate(str(plain))
    monkeypatch.setenv("PATH", str(tmp_path))
    with pytest.raises(OvrikError, match="no ffmpeg on PATH"):
        locate("system")
    listed = find_builds(("/nowhere/ffmpeg",))
    assert [bool(b.problem) for b in listed if not b.simulated] == [False, True, True]


def test_machine_facts() -> None:
    machine = read_machine()
    assert machine["kernel"].startswith("Linux ")
    assert machine["memory"].endswith("GiB")
    assert "cores" in machine["cores"]
    assert set(machine.to_json()) == {row.key for row in TABLE}
    assert all(f.source and f.value for f in machine.facts)


def test_one_that_hangs_is_given_up(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(builds, "ASK_TIMEOUT_S", 0.5)
    with pytest.raises(OvrikError, match="does not answer"):
        find_build(allow_program(script(tmp_path / "sleeper", "sleep 60")))


def test_garbage_is_no_answer(tmp_path: Path) -> None:
    with pytest.raises(OvrikError, match="does not answer like"):
        find_build(allow_program(script(tmp_path / "noisy", "head -c 4000 /dev/urandom")))
