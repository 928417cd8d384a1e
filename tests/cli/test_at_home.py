"""At home on a Linux desktop: menu entry, icon, file type, completion."""

import os
import shlex
import subprocess
import sys
from pathlib import Path
from xml.etree import ElementTree

import pytest

from ovrik.cli import main, parser
from ovrik.cli.at_home import PLACES, desktop_quoted
from ovrik.demo.scenario import DATA

QUIET = {"QT_QPA_PLATFORM": "offscreen"}


@pytest.fixture
def home(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Path:
    monkeypatch.setenv("XDG_DATA_HOME", str(tmp_path / "its data"))
    return tmp_path / "its data"


def test_it_is_put_in_the_menu_and_taken_out(home: Path) -> None:
    assert main(["desktop", "install"]) == 0
    for place in PLACES.values():
        assert (home / place).stat().st_size > 100
    entry = home / PLACES["ovrik.desktop"]
    subprocess.run(["desktop-file-validate", str(entry)], check=True)
    if (home / "mime/globs2").exists():
        assert "application/x-ovrik-study:*.ovrik" in (home / "mime/globs2").read_text()
    assert main(["desktop", "install"]) == 0
    assert main(["desktop", "remove"]) == 0
    assert not any((home / place).exists() for place in PLACES.values())
    assert main(["desktop", "remove"]) == 0


def test_a_program_in_a_folder_with_a_space(
    home: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    program = tmp_path / "my programs" / "ovrik"
    monkeypatch.setattr("ovrik.cli.at_home.own_program", lambda: program)
    main(["desktop", "install"])
    entry = home / PLACES["ovrik.desktop"]
    [line] = [x for x in entry.read_text().splitlines() if x.startswith("Exec=")]
    assert shlex.split(line.removeprefix("Exec=")) == [str(program), "open", "%f"]
    subprocess.run(["desktop-file-validate", str(entry)], check=True)


def test_the_entry_and_the_description_of_the_program_are_valid(home: Path) -> None:
    main(["desktop", "install"])
    found = home / PLACES["org.ovrik.Ovrik.metainfo.xml"]
    said = subprocess.run(
        ["appstreamcli", "validate", "--no-net", str(found)], capture_output=True, text=True, check=False
    )
    assert said.returncode == 0, said.stdout
    ElementTree.parse(home / PLACES["ovrik.svg"])


def test_a_folder_that_can_not_be_written(home: Path, capsys: pytest.CaptureFixture[str]) -> None:
    home.write_text("a file")
    assert main(["desktop", "install"]) == 2
    assert "can't be written" in capsys.readouterr().err


def test_the_entrys_own_command_opens_a_study(home: Path, tmp_path: Path) -> None:
    main(["desktop", "install"])
    entry = (home / PLACES["ovrik.desktop"]).read_text()
    [line] = [x for x in entry.splitlines() if x.startswith("Exec=")]
    command = shlex.split(line.removeprefix("Exec="))
    assert command[1:] == ["open", "%f"]
    command[2] = str(tmp_path / "not there.ovrik")
    done = subprocess.run(
        command, env={**os.environ, **QUIET}, capture_output=True, text=True, timeout=60, check=False
    )
    assert done.returncode == 2
    assert "not there" in done.stderr


@pytest.mark.parametrize(
    "program", ["/usr/bin/ovrik", "/a b/ov'rik", '/a"b/$HOME/`x`/ovrik', "/100%/ovrik", "/a\\b/o"]
)
def test_a_path_with_odd_signs_is_quoted_as_the_standard_wants(program: str) -> None:
    """Read back by the steps of the Desktop Entry Specification: the value's escapes, then the quoting."""
    value = desktop_quoted(program).replace("\\\\", "\\")
    if value.startswith('"'):
        inside, out, at = value[1:-1], "", 0
        while at < len(inside):
            at += inside[at] == "\\"
            out += inside[at]
            at += 1
        value = out
    assert value.replace("%%", "%") == program


def test_the_magic_is_where_a_study_has_it() -> None:
    assert (DATA / "casting-day.ovrik").read_bytes()[68:72] == b"OVRK"


@pytest.mark.parametrize("shell", ["bash", "zsh", "tcsh"])
def test_completion_knows_every_verb(shell: str, capsys: pytest.CaptureFixture[str]) -> None:
    assert main(["completion", shell]) == 0
    script = capsys.readouterr().out
    verbs = next(
        a for a in parser()._actions if a.dest == "==SUPPRESS==" or (hasattr(a, "choices") and a.choices)
    )
    assert len(verbs.choices) > 20
    for verb in verbs.choices:
        assert verb in script


def test_completion_completes(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    main(["completion", "bash"])
    (tmp_path / "c").write_text(capsys.readouterr().out)
    words = 'source c; COMP_WORDS=(ovrik verd); COMP_CWORD=1; _shtab_ovrik; printf "%s\\n" "${COMPREPLY[@]}"'
    said = subprocess.run(["bash", "-c", words], cwd=tmp_path, capture_output=True, text=True, check=False)
    assert said.stdout.split() == ["verdict"]


def test_python_dash_m_is_the_same_command() -> None:
    said = subprocess.run(
        [sys.executable, "-P", "-m", "ovrik", "--version"], capture_output=True, text=True, check=True
    )
    assert said.stdout.startswith("ovrik ")
