"""Builds that users add: programs, and versions out of wheels."""

import sys
import time
import zipfile
from pathlib import Path

import psutil
import pytest

from ovrik.cli import main
from ovrik.errors import OvrikError, Stopped
from ovrik.machine.builds import added, adding
from ovrik.machine.builds import build as builds
from ovrik.machine.builds.added import added_builds, forget
from ovrik.machine.builds.adding import add_program, add_wheel
from ovrik.machine.builds.approvals import approve, approved, build_claim
from ovrik.machine.builds.architecture import architecture, translated
from ovrik.machine.builds.build import Build, find_build, find_builds, locate
from ovrik.machine.builds.fetching import fetch_wheel, pip_command
from ovrik.report.words.rows import build_rows
from ovrik.study.files.checksum import file_sha256


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

    def fetch(version: str, *_rest: object) -> Path:
        fetched.append(version)
        return wheel(tmp_path)

    monkeypatch.setattr(adding, "fetch_wheel", fetch)
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
    monkeypatch.setattr(adding, "fetch_wheel", lambda *_a: wheel(tmp_path, "imageio_ffmpeg/readme.txt"))
    with pytest.raises(OvrikError, match="holds no program"):
        add_wheel("7.7.0")
    assert added_builds() == {}


@pytest.mark.parametrize("version", ["", "latest", "0.6.0; rm -rf /", "--index-url=x"])
def test_what_is_no_version_never_reaches_pip(version: str, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(adding, "fetch_wheel", lambda *_a: pytest.fail("pip was asked"))
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


PIP = """#!{python}
import sys, time, os
folder, mode = sys.argv[1:]
print("  Downloading thing-7.7.0-py3-none-any.whl (3.0 MB)", flush=True)
if mode == "none":
    print("WARNING: x\\nERROR: No matching distribution found", file=sys.stderr); sys.exit(1)
part = os.path.join(os.environ["TMPDIR"], "part")
with open(part, "wb") as out:
    for _ in range(3):
        out.write(bytes(1000000)); out.flush(); time.sleep(0.3)
if mode == "hang":
    time.sleep(600)
os.rename(part, os.path.join(folder, "thing.whl"))
"""


def played_pip(folder: Path, mode: str) -> list[str]:
    program = folder / "pip"
    program.write_text(PIP.format(python=sys.executable))
    place = folder / "here"
    place.mkdir()
    return [sys.executable, str(program), str(place), mode]


def test_a_version_that_does_not_exist(tmp_path: Path) -> None:
    command = played_pip(tmp_path, "none")
    with pytest.raises(OvrikError, match=r"99\.99\.99 can't be fetched .*No matching distribution"):
        fetch_wheel("99.99.99", tmp_path / "here", command=command)
    assert pip_command("99.99.99", tmp_path)[-1] == "imageio-ffmpeg==99.99.99"


def test_fetching_shows_how_far_it_is(tmp_path: Path) -> None:
    seen: list[tuple[float, str]] = []
    made = fetch_wheel(
        "7.7.0",
        tmp_path / "here",
        lambda share, words: seen.append((share, words)),
        command=played_pip(tmp_path, "good"),
    )
    assert made.name == "thing.whl"
    shares = [s for s, _w in seen]
    assert shares == sorted(shares)
    assert any(0.3 < s < 0.7 for s in shares)
    assert "2.0 of 3.0 MB" in {w for _s, w in seen}


def test_fetching_stops_at_once_and_leaves_nothing(tmp_path: Path) -> None:
    began = time.monotonic()
    with pytest.raises(Stopped):
        fetch_wheel(
            "7.7.0",
            tmp_path / "here",
            should_stop=lambda: time.monotonic() - began > 1.5,
            command=played_pip(tmp_path, "hang"),
        )
    assert time.monotonic() - began < 20, "else it would wait for ever"
    assert not [p for p in psutil.process_iter(["cmdline"]) if str(tmp_path) in str(p.info["cmdline"])]


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("#!/bin/sh\necho hello\n", "does not answer like"),
        ("#!/bin/sh\nsleep 317 & sleep 317\n", "does not answer within 1 s"),
        ("#!/bin/sh\nyes\n", "does not answer within 1 s"),
        ("\x7fELF\x02\x01" + "\0" * 12 + "\xb7\0" + "\0" * 40, "won't start .* made for aarch64"),
    ],
)
def test_what_is_no_build_is_not_kept_and_leaves_nothing(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch, text: str, words: str
) -> None:
    monkeypatch.setattr(builds, "ASK_TIMEOUT_S", 1)
    monkeypatch.setattr("platform.machine", lambda: "x86_64")
    tool = tmp_path / "tool"
    tool.write_bytes(text.encode("latin-1"))
    tool.chmod(0o755)
    before = {p.pid for p in psutil.process_iter()}
    with pytest.raises(OvrikError, match=words):
        add_program(tool)
    assert added_builds() == {}
    assert not approved(build_claim(tool))
    mine = ("yes", "tool")  # other tests sleep as well
    new = [
        p
        for p in psutil.process_iter(["name", "cmdline"])
        if p.pid not in before and (p.info["name"] in mine or "317" in (p.info["cmdline"] or ()))
    ]
    _gone, alive = psutil.wait_procs(new, timeout=1)
    assert not [p.name() for p in alive if p.status() != psutil.STATUS_ZOMBIE]


def test_what_gives_no_answer_is_asked_once_and_again_when_wanted(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(builds, "ASK_TIMEOUT_S", 1)
    counter, ready = tmp_path / "asked", tmp_path / "ready"
    tool = tmp_path / "tool"
    tool.write_text(
        f"#!/bin/sh\necho x >> {counter}\necho starting up >&2\n"
        f"[ -e {ready} ] && echo tool version 5.5 && exit\nsleep 300\n"
    )
    tool.chmod(0o755)
    approve(build_claim(tool))
    key = str(tool)

    def found(afresh: bool = False) -> Build:
        return next(b for b in find_builds((key,), afresh) if b.key == key)

    first = found()
    assert "does not answer" in first.problem
    assert "starting up" in first.log
    assert first.sha256 == file_sha256(tool)
    assert found() == first
    assert counter.read_text().count("x") == 1
    ready.touch()
    assert found().problem
    assert found(afresh=True).version == "5.5"
    assert not found().problem


def test_foreign_and_native_processors() -> None:
    assert translated("aarch64", "x86_64")
    assert not translated("i686", "x86_64")
    assert not translated("x86_64", "AMD64")
    assert translated("x86_64", "aarch64")
    assert not translated("armv7l", "aarch64")
    assert not translated("", "x86_64")


def test_a_build_that_does_not_start_says_what_it_is_made_for(tmp_path: Path) -> None:
    tool = tmp_path / "tool"
    tool.write_bytes(b"\x7fELF\x02\x01" + bytes(12) + (0xF3).to_bytes(2, "little") + bytes(44))
    tool.chmod(0o755)
    approve(build_claim(tool))
    found = next(b for b in find_builds((str(tool),)) if b.key == str(tool))
    assert found.problem
    rows = dict(build_rows(found))
    assert rows["Made for"] == "riscv64, would run translated here, if at all"
    assert rows["SHA-256"] == file_sha256(tool)
