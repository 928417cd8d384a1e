"""Builds that users add: programs, and versions out of wheels."""

import subprocess
import zipfile
from pathlib import Path

import pytest

from ovrik.cli import main
from ovrik.errors import OvrikError
from ovrik.machine import added
from ovrik.machine.added import add_program, add_wheel, added_builds, forget
from ovrik.machine.builds import architecture, find_build, find_builds, locate


@pytest.fixture(autouse=True)
def own_list(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("XDG_DATA_HOME", str(tmp_path / "data"))


def wheel(folder: Path, inside: str = "imageio_ffmpeg/binaries/ffmpeg-linux-x86_64-v7.7") -> Path:
    path = folder / "imageio_ffmpeg-7.7.0-py3-none-any.whl"
    with zipfile.ZipFile(path, "w") as box:
        box.writestr(inside, "#!/bin/sh\necho ffmpeg version 7.7\n")
    return path


def test_a_version_is_fetched_once_and_can_be_forgotten(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    fetched: list[str] = []

    def fetch(version: str, _folder: Path) -> Path:
        fetched.append(version)
        return wheel(tmp_path)

    monkeypatch.setattr(added, "_fetched", fetch)
    made = add_wheel("7.7.0")
    assert add_wheel("7.7.0") == made
    assert fetched == ["7.7.0"]
    assert find_build("wheel-7.7.0").version == "7.7"
    assert "wheel-7.7.0" in [b.key for b in find_builds()]
    forget("wheel-7.7.0")
    assert not Path(made.path).exists()
    with pytest.raises(OvrikError, match=r"ovrik build add --wheel 7\.7\.0"):
        locate("wheel-7.7.0")


def test_a_wheel_without_a_program(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(added, "_fetched", lambda _v, _f: wheel(tmp_path, "imageio_ffmpeg/readme.txt"))
    with pytest.raises(OvrikError, match="holds no program"):
        add_wheel("7.7.0")
    assert added_builds() == {}


@pytest.mark.parametrize("version", ["", "latest", "0.6.0; rm -rf /", "--index-url=x"])
def test_what_is_no_version_never_reaches_pip(version: str, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(added, "_fetched", lambda *_a: pytest.fail("pip was asked"))
    with pytest.raises(OvrikError, match="is not a version"):
        add_wheel(version)


def test_programs(tmp_path: Path) -> None:
    tool = tmp_path / "my tool"
    tool.write_text("#!/bin/sh\necho ffmpeg version 3.1\n")
    with pytest.raises(OvrikError, match="is not a program"):
        add_program(tool)
    tool.chmod(0o755)
    assert main(["build", "add", str(tool)]) == 0
    assert str(tool) in added_builds()
    assert main(["build", "forget", str(tool)]) == 0
    assert main(["build", "forget", "nobody"]) == 2
    assert main(["build", "add"]) == 2


def test_a_damaged_list_is_no_harm() -> None:
    added.data_folder().mkdir(parents=True)
    (added.data_folder() / "builds.json").write_text("[{]")
    assert added_builds() == {}


def test_architecture_is_read_from_the_file(tmp_path: Path) -> None:
    for code, name in ((0x3E, "x86_64"), (0xB7, "aarch64"), (0x1234, "machine 4660")):
        path = tmp_path / name
        path.write_bytes(b"\x7fELF\x02\x01" + bytes(12) + code.to_bytes(2, "little") + bytes(40))
        assert architecture(path) == name
    script = tmp_path / "script"
    script.write_text("#!/bin/sh\n")
    assert architecture(script) == ""
    bundled = find_build("bundled")
    assert bundled.architecture
    assert not bundled.translated


def test_a_version_that_does_not_exist(monkeypatch: pytest.MonkeyPatch) -> None:
    said = "ERROR: No matching distribution found for imageio-ffmpeg==99.99.99"
    asked: list[list[str]] = []

    def run(command: list[str], **_options: object) -> "subprocess.CompletedProcess[str]":
        asked.append(command)
        return subprocess.CompletedProcess(command, 1, "", f"WARNING: x\n{said}\n")

    monkeypatch.setattr(added.subprocess, "run", run)
    with pytest.raises(OvrikError, match=r"99\.99\.99 can't be fetched .*No matching distribution"):
        add_wheel("99.99.99")
    assert asked[0][-1] == "imageio-ffmpeg==99.99.99"
    assert added_builds() == {}
