"""A build is its file and what it loads; a link is called by its own name; what was replaced is not counted."""

import hashlib
import os
import shlex
import shutil
from dataclasses import replace
from pathlib import Path

import pytest

from added_runs import add_run
from approving import allow_program
from ovrik.export.run import timed
from ovrik.export.run.order import PlannedRun
from ovrik.machine.builds.build import find_build, locate, replaced
from ovrik.machine.builds.libraries import Loaded, identity_of, loads_of
from ovrik.store.study import Study
from ovrik.study.contender.contender import Contender
from ovrik.study.encoder.recipe import recipe
from ovrik.work.evidence.gathered import gather
from ovrik.work.timing import series


def sha256(path: Path) -> str:
    return hashlib.sha256(path.read_bytes()).hexdigest()


def test_a_build_loads_itself_and_its_libraries() -> None:
    program = locate("system")
    own, *libraries = loads_of(program)
    assert (own.path, own.sha256) == (str(program), sha256(program))
    assert any(Path(one.path).name.startswith("libavcodec") for one in libraries)
    for one in libraries[:5]:
        assert one.sha256 == sha256(Path(one.path))
    script = loads_of(Path(shutil.which("ldd") or "/usr/bin/ldd"))
    assert len(script) == 1, "a script has no loader"


def test_an_update_of_a_library_makes_another_build(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """The system's build beside a copy of one of its libraries that is updated."""
    library = next(
        Path(one.path) for one in loads_of(locate("system")) if Path(one.path).name.startswith("libswscale")
    )
    copy = tmp_path / library.name
    shutil.copy(library, copy)
    monkeypatch.setenv("LD_LIBRARY_PATH", str(tmp_path))
    # What is kept of a build is looked at again when anything that it loads has changed.
    monkeypatch.setattr(
        "ovrik.machine.builds.build.cache_folder", lambda *n: tmp_path / "cache" / "_".join(n)
    )
    before = find_build("system")
    assert str(copy) in [one.path for one in before.loads]
    assert find_build("system").identity == before.identity
    assert not replaced(before)
    with copy.open("ab") as handle:
        handle.write(b"\0" * 16)
    assert str(copy) in replaced(before)
    after = find_build("system")
    assert (after.version, after.sha256) == (before.version, before.sha256)
    assert after.identity != before.identity


def test_an_identity_is_of_contents_wherever_they_lie() -> None:
    own, one, other = (
        Loaded(path, 1, 1, sha) for path, sha in (("/p", "p"), ("/a/l.so", "x"), ("/b/l.so", "x"))
    )
    assert identity_of("p", (own, one)) == identity_of("p", (own, other))
    assert identity_of("p", (own, one)) != identity_of("p", (own, replace(one, sha256="y")))
    assert identity_of("p", (own,)) == "p"


MANY_NAMES = """#!/bin/sh
case "$(basename "$0")" in
  film-encode) exec {real} "$@" ;;
  *) echo "unknown applet"; exit 1 ;;
esac
"""


@pytest.fixture
def many_names(tmp_path: Path) -> Path:
    """A program that is called by a link to one of its names; approved."""
    program, link = tmp_path / "one of many", tmp_path / "film-encode"
    shutil.copy(locate("bundled"), tmp_path / "real")  # a program reaches what lies beside it
    program.write_text(MANY_NAMES.format(real=shlex.quote(str(tmp_path / "real"))))
    program.chmod(0o755)
    link.symlink_to(program)
    allow_program(link)
    return link


def test_a_link_to_a_program_of_many_names_is_called_by_its_own(many_names: Path) -> None:
    found = find_build(str(many_names))
    assert Path(found.path) == many_names
    assert "libx264" in found.encoders
    assert found.sha256 == sha256(many_names.resolve())


def test_a_run_by_a_program_that_was_replaced_is_not_counted(
    study: Study, many_names: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    made = study.add_contender(Contender(str(many_names), recipe("libx264", "ultrafast", 30)))
    add_run(study, 1, 1, 2.0)
    program = many_names.resolve()
    real = timed.timed_run

    def meanwhile(*given: object, **more: object) -> object:
        done = real(*given, **more)  # type: ignore[arg-type]
        if more.get("fault"):  # an export, not what is made once before it
            program.write_text(program.read_text() + "# updated\n")
            os.utime(program)
        return done

    monkeypatch.setattr(series, "timed_run", meanwhile)
    assert not series.time_all(study, [PlannedRun(made.contender_id, n, False) for n in (1, 2)])
    [first] = study.runs(made.contender_id)
    assert first.state == "failed"
    assert "is another file now" in first.reason
    assert "while it was exported" in first.reason
    assert not gather(study).of(made.contender_id).times  # type: ignore[union-attr]


def elf_with_loader(path: Path, loader: str) -> Path:
    """A program of one segment, the name of its loader, and nothing else."""
    name = loader.encode() + b"\0"
    head = bytearray(64)
    head[:6] = b"\x7fELF\x02\x01"
    head[32:40], head[54:58] = (64).to_bytes(8, "little"), bytes((56, 0, 1, 0))
    segment = bytearray(56)
    segment[0:4], segment[8:16] = (3).to_bytes(4, "little"), (120).to_bytes(8, "little")
    segment[32:40] = len(name).to_bytes(8, "little")
    path.write_bytes(bytes(head + segment) + name)
    return path


def test_a_loader_that_is_not_the_systems_is_not_run(tmp_path: Path) -> None:
    """A program names any file as its loader, also by a way that begins in the system's folders."""
    ran, loader = tmp_path / "ran", tmp_path / "loader"
    loader.write_text(f"#!/bin/sh\necho x > {shlex.quote(str(ran))}\n")
    loader.chmod(0o755)
    for way in (str(loader), f"/lib/..{loader}", f"/usr/lib/../..{loader}"):
        program = elf_with_loader(tmp_path / "program", way)
        assert [one.path for one in loads_of(program)] == [str(program)]
    assert not ran.exists()
