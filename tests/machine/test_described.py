"""Described programs: read, refused, and never run before their command is approved."""

import json
import shutil
import sys
from dataclasses import replace
from pathlib import Path

import pytest

from odd_clips import run
from ovrik.cli import main
from ovrik.errors import OvrikError
from ovrik.machine.builds import described
from ovrik.machine.builds.build import find_build, find_builds
from ovrik.machine.builds.described import (
    allowed,
    approve_described,
    descriptions,
    forget_described,
    introduce,
)
from ovrik.store.study import Study
from ovrik.study.clip.footage import Footage
from ovrik.study.contender.contender import Contender
from ovrik.study.contender.described import Description, load_description
from ovrik.study.encoder.recipe import recipe
from ovrik.study.programme.excerpt import Excerpt, whole
from ovrik.study.programme.programme import of_clip
from ovrik.study.programme.treatment import treatment
from ovrik.work.lineup.able import checked_able, judge_for

TEXT = """
key = "copier"
title = "Copier"
program = "{program}"
arguments = ["{code}", "{{input}}", "{{output}}", "--speed={{settings.speed}}", "{{frames}}"]
codec = "h264"
settings = {{ speed = "fast; rm -rf $HOME" }}
version = {{ arguments = ["{code}", "--version"], pattern = 'copier (\\S+)' }}
progress = {{ pattern = 'at (\\d+)', unit = "percent" }}
"""

CODE = """
import pathlib, sys
pathlib.Path({note!r}).open('a').write(' '.join(sys.argv[1:]) + chr(10))
if '--version' in sys.argv: print('copier 2.5')
"""


@pytest.fixture(autouse=True)
def own_list(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("XDG_DATA_HOME", str(tmp_path / "data"))
    monkeypatch.setattr(described, "_introduced", {})


@pytest.fixture
def file(tmp_path: Path) -> Path:
    """A description of a program that notes every time it is run."""
    code = tmp_path / "copier.py"
    code.write_text(CODE.format(note=str(tmp_path / "ran")))
    path = tmp_path / "copier.toml"
    path.write_text(TEXT.format(program=sys.executable, code=code))
    return path


def ran(file: Path) -> str:
    note = file.parent / "ran"
    return note.read_text() if note.exists() else ""


def test_nothing_runs_before_approval(file: Path, capsys: pytest.CaptureFixture[str]) -> None:
    description = load_description(file)
    introduce(description)
    assert not allowed(description)
    with pytest.raises(OvrikError, match="has not been approved"):
        find_build("described-copier")
    assert any("not been approved" in b.problem for b in find_builds())
    assert ran(file) == ""
    assert main(["build", "approve", "described-copier", "--yes"]) == 0
    shown = capsys.readouterr().out
    assert "'--speed=fast; rm -rf $HOME'" in shown, "complete, quoted, with its settings put in"
    assert "--version" in shown
    build = find_build("described-copier")
    assert (build.version, build.encoders) == ("2.5", ("described_h264",))
    assert "--version" in ran(file)


def test_refusing_leaves_it_unapproved(file: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("builtins.input", lambda _words: "no")
    assert main(["build", "describe", str(file)]) == 1
    assert not allowed(load_description(file))
    assert ran(file) == ""
    monkeypatch.setattr("builtins.input", lambda _words: "yes")
    assert main(["build", "describe", str(file)]) == 0
    assert allowed(load_description(file))


def test_a_changed_command_needs_a_new_approval(file: Path) -> None:
    approve_described(load_description(file))
    changed = load_description(file).model_copy(update={"settings": {"speed": "other"}})
    assert not allowed(changed)


def test_another_program_can_not_take_an_approved_ones_place(file: Path) -> None:
    description = load_description(file)
    introduce(description)
    approve_described(description)
    other = description.model_copy(update={"program": "/bin/false"})
    introduce(other)
    with pytest.raises(OvrikError, match="has not been approved"):
        find_build("described-copier")
    described._introduced.clear()
    assert descriptions()["described-copier"] == description, "what was approved is still on file"
    forget_described("described-copier")
    assert not allowed(description)
    assert descriptions() == {}


def test_values_are_put_in_as_they_are(file: Path, footage: Footage) -> None:
    command = load_description(file).command("/p", footage, Excerpt(0, 30), Path("/out dir/o.mp4"))
    assert command[0] == "/p"
    assert command[2:] == [footage.path, "/out dir/o.mp4", "--speed=fast; rm -rf $HOME", "30"]


def test_one_without_a_start_takes_whole_clips_only(file: Path, footage: Footage) -> None:
    introduce(load_description(file))
    approve_described(load_description(file))
    contender = Contender("described-copier", recipe("described_h264"))
    build = find_build("described-copier")
    programme = of_clip(footage)

    def reason(excerpt: Excerpt, of: Contender = contender) -> str:
        return checked_able([of], judge_for(programme, excerpt, [of], {of.build: build}))[0].reason

    assert reason(whole(programme)) == ""
    assert "whole clips" in reason(Excerpt(0, 5))
    treated = replace(programme, treatments=(treatment("blur"),))
    said = checked_able(
        [contender], judge_for(treated, whole(programme), [contender], {contender.build: build})
    )
    assert "reads a single clip: pre-render" in said[0].reason


@pytest.mark.parametrize(
    ("old", "new", "words"),
    [
        ('"{input}"', '"{inptu}"', "{inptu} is not a placeholder"),
        ('"{output}", ', "", "no argument holds {output}"),
        ('codec = "h264"', 'codec = "h266"', "codec"),
        ('key = "copier"', 'key = "../copier"', "key"),
        ('title = "Copier"\n', "", "title"),
        ("unit = ", "unti = ", "progress.unit"),
    ],
)
def test_faults_name_file_and_key(file: Path, old: str, new: str, words: str) -> None:
    text = file.read_text()
    assert old in text
    file.write_text(text.replace(old, new))
    with pytest.raises(OvrikError) as caught:
        load_description(file)
    assert words in str(caught.value)
    assert str(file) in str(caught.value)


def test_one_that_comes_with_a_plan_waits_for_approval_and_travels(
    file: Path, clip: Path, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    program = file.read_text().strip()
    plan = tmp_path / "plan.toml"
    plan.write_text(
        f'[study]\ntitle = "Tiny"\nfootage = "{clip}"\nrounds = 1\nwarmup = 0\n'
        "[timing]\nrest = false\nrepeat_disturbed = false\n"
        '[[contender]]\nlabel = "own"\nencoder = "libx264"\npreset = "ultrafast"\n'
        '[[contender]]\nlabel = "theirs"\nbuild = "described-copier"\nencoder = "described_h264"\n'
        f"[[program]]\n{program}\n"
    )
    study = tmp_path / "s.ovrik"
    assert main(["run", str(plan), "-o", str(study)]) == 1
    assert "theirs can't run: The command of Copier has not been approved" in capsys.readouterr().err
    assert ran(file) == ""
    opened = Study.open(study)
    assert [d.key for d in opened.programs()] == ["copier"]
    opened.close()
    described._introduced.clear()
    assert main(["verdict", str(study), "--json"]) == 0
    said = json.loads(capsys.readouterr().out)["contenders"][1]
    assert "has not been approved" in said["reasons"][0]  # it came with the study, and still waits
    assert "described-copier" in descriptions()
    assert ran(file) == ""


GSTREAMER = Path(__file__).parents[2] / "docs" / "formats.md"


@pytest.mark.skipif(shutil.which("gst-launch-1.0") is None, reason="gst-launch-1.0 is not installed")
def test_the_documented_description_exports_for_real(
    clip: Path, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    text = GSTREAMER.read_text()
    start = text.index('key = "gst-x264"')
    file = tmp_path / "gst.toml"
    file.write_text(text[start : text.index("```", start)])
    assert main(["build", "describe", str(file), "--yes"]) == 0
    plan, known = tmp_path / "plan.toml", tmp_path / "known to both.mkv"
    run("-i", str(clip), "-c:v", "ffv1", "-c:a", "copy", str(known))
    plan.write_text(
        f'[study]\ntitle = "Tiny"\nfootage = "{known}"\nrounds = 2\nwarmup = 0\n'
        "[timing]\nrest = false\nrepeat_disturbed = false\n"
        '[[contender]]\nlabel = "own"\nencoder = "libx264"\npreset = "veryfast"\n'
        '[[contender]]\nlabel = "theirs"\nbuild = "described-gst-x264"\nencoder = "described_h264"\n'
    )
    assert main(["run", str(plan), "-o", str(tmp_path / "s.ovrik")]) == 0
    capsys.readouterr()
    main(["verdict", str(tmp_path / "s.ovrik"), "--json"])
    theirs = json.loads(capsys.readouterr().out)["contenders"][1]
    assert [r["state"] for r in theirs["runs"]] == ["done", "done"]
    assert theirs["conforms"] is True
    assert theirs["quality"]["vmaf"]["mean"] > 60
    assert theirs["runs"][0]["argv"][0].endswith("gst-launch-1.0")
    assert theirs["runs"][0]["build"]


def test_progress_by_pattern() -> None:
    from ovrik.export.run.progress import PatternReader

    reader = PatternReader(r"\(\s*([\d.]+)\s*%\)", "percent", 200, 25)
    found = reader.feed(b"progressreport0 (00:00:01): 1 / 8 seconds (12.5 %)\nnoise\n( 50.0", 1.0)
    found += reader.feed(b" %)\n", 2.0)
    assert [(p.frame, p.at_s) for p in found] == [(25, 1.0), (100, 2.0)]
    assert PatternReader(r"t=(\S+)", "seconds", 200, 25).feed(b"t=2.0\r\n", 1.0)[0].frame == 50
    assert PatternReader(r"f (\d+)", "frames", 200, 25).feed(b"f 7\n", 1.0)[0].frame == 7


def test_a_damaged_description_is_no_harm(file: Path) -> None:
    approve_described(load_description(file))
    (described.folder() / "bad.json").write_text("{")
    (described.folder() / "list.json").write_text("[1]")
    assert list(descriptions()) == ["described-copier"]
    (described.folder().parent / "approvals" / "approvals.json").write_text("{")
    assert not allowed(load_description(file))
    assert isinstance(next(iter(descriptions().values())), Description)
