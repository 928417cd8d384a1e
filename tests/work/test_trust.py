"""Plans, studies, timelines and clips of strangers: nothing runs, writes or fetches; all ends in one clear line."""

import gc
import json
import os
import random
import shutil
import sqlite3
import stat
import subprocess
import sys
import time
from contextlib import closing, suppress
from dataclasses import replace
from pathlib import Path

import pytest

from added_runs import BUILD, add_run
from approving import allow_program
from by_command import ovrik
from calm import CALM
from ovrik.cli import main
from ovrik.errors import OvrikError
from ovrik.export.command.export import Export, export_commands
from ovrik.export.run.wall import level
from ovrik.machine.builds.approvals import approved, build_claim, quoted
from ovrik.machine.builds.build import find_build, locate
from ovrik.quality.decode.open_clip import open_clip
from ovrik.quality.decode.probe import probe
from ovrik.quality.decode.timelines import read_timeline, read_timeline_apart
from ovrik.standin.build import program_for
from ovrik.store.records.run import RunState
from ovrik.store.schema.row_sums import sum_all
from ovrik.store.study import Study
from ovrik.study.clip.footage import Footage
from ovrik.study.contender.contender import Contender
from ovrik.study.contender.described import Description
from ovrik.study.encoder.raw_options import merged, unlisted
from ovrik.study.encoder.recipe import recipe
from ovrik.study.files.text_file import visible
from ovrik.study.programme.excerpt import Excerpt, whole
from ovrik.study.programme.lut import check_cube
from ovrik.study.programme.programme import of_clip
from ovrik.study.programme.treatment import treatment
from ovrik.study.question.plan import load_plan
from ovrik.study.timeline.media_finder import path_of_url
from ovrik.study.timeline.writer import write_timeline
from ovrik.work.evidence.gathered import gather
from ovrik.work.lineup.able import barred
from ovrik.work.lineup.approvals_wanted import allow, waiting
from ovrik.work.timing.schedule import remaining
from ovrik.work.timing.series import time_all
from tiny_clip import write_clip


@pytest.fixture(autouse=True)
def own_data(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """Approvals of one test are not those of another."""
    monkeypatch.setenv("XDG_DATA_HOME", str(tmp_path / "data"))


def evil(folder: Path) -> Path:
    """A program that leaves a mark wherever it is run, and answers like an encoder."""
    program = folder / "evil.sh"
    program.write_text(f"#!/bin/sh\ntouch '{folder}/ran'\necho ffmpeg version 9\necho ' V..... libx264 x'\n")
    program.chmod(program.stat().st_mode | stat.S_IXUSR)
    return program


def plan_with(folder: Path, clip: Path, more: str) -> Path:
    path = folder / "plan.toml"
    path.write_text(
        f'[study]\ntitle = "T"\nfootage = "{clip}"\nrounds = 1\nwarmup = 0\n'
        f'[timing]\nrest = false\nrepeat_disturbed = false\n[[contender]]\nlabel = "x"\nencoder = "libx264"\n{more}\n'
    )
    return path


# Programs


@pytest.mark.parametrize("named", ["./evil.sh", "evil.sh", "{folder}/evil.sh"])
def test_a_build_beside_a_plan_does_not_run(
    tmp_path: Path, clip: Path, named: str, capsys: pytest.CaptureFixture[str]
) -> None:
    program = evil(tmp_path)
    plan = plan_with(tmp_path, clip, f'build = "{named.format(folder=tmp_path)}"')
    assert main(["plan", str(plan)]) == 1
    assert main(["run", str(plan), "-o", str(tmp_path / "s.ovrik")]) == 1
    assert main(["verdict", str(tmp_path / "s.ovrik")]) == 1
    assert not (tmp_path / "ran").exists()
    assert "has not been approved to run" in capsys.readouterr().out
    assert main(["approve", str(plan), "--yes"]) == 0
    shown = capsys.readouterr().out
    assert str(program) in shown
    assert build_claim(program).sha256 in shown
    assert not (tmp_path / "ran").exists(), "looking does not run it either"
    main(["plan", str(plan)])
    assert (tmp_path / "ran").exists()


def test_a_build_in_a_study_does_not_run_when_it_is_opened(tmp_path: Path, study: Study) -> None:
    study.add_contender(Contender(str(evil(tmp_path)), recipe("libx264")))
    study.add_contender(Contender("evil.sh", recipe("libx264")))
    said = barred(study)
    assert "approved" in said[4]
    assert "relative path" in said[5]
    assert not (tmp_path / "ran").exists()


def test_a_program_that_was_replaced_needs_a_new_approval(tmp_path: Path) -> None:
    program = tmp_path / "mine"
    shutil.copy(locate("bundled"), program)
    allow_program(program)
    assert find_build(str(program)).encoders
    other = evil(tmp_path)
    other.replace(program)
    with pytest.raises(OvrikError, match="is another program now"):
        find_build(str(program))
    assert not (tmp_path / "ran").exists()


def test_a_description_can_not_overwrite_the_list_of_approvals(tmp_path: Path, clip: Path) -> None:
    mine = evil(tmp_path)
    allow_program(mine)
    for key in ("approved", "approvals", "builds"):
        described = f'[[program]]\nkey = "{key}"\ntitle = "A"\nprogram = "true"\ncodec = "h264"\n'
        plan = plan_with(tmp_path, clip, described + 'arguments = ["{input}", "{output}"]')
        main(["plan", str(plan)])
        assert approved(build_claim(mine))
    names = {p.name for p in (tmp_path / "data").rglob("*") if p.is_file()}
    assert names <= {"approvals.json"}, "looking at a plan writes nothing"


def test_what_is_approved_is_shown_whole(tmp_path: Path) -> None:
    program = shutil.which("true")
    assert program
    d = Description(
        key="odd",
        title="Nice \x1b[2Jtool",
        program=program,
        codec="h264",
        arguments=("-x", "{input}", "a b; rm -rf {settings.where}", "{output}"),
        settings={"where": "$HOME\x07"},
        version={"arguments": ("--version", "\x1b[31m")},
    )
    from ovrik.machine.builds.described import claim_of

    text = claim_of(d).shown()
    assert "'a b; rm -rf $HOME\\x07'" in text
    assert "--version" in text
    assert "\x1b" not in text + visible(d.title)
    assert claim_of(d).sha256 in text
    changed = d.model_copy(update={"settings": {"where": "/"}})
    assert claim_of(changed).key != claim_of(d).key
    assert quoted(["a", "b c", "d\ne"]) == "a 'b c' 'd\\ne'"


# Options


@pytest.mark.parametrize(
    ("raw", "harmless"),
    [
        ((("refs", "2"),), True),
        ((("x264-params", "scenecut=0:ref=3:no-mbtree=1"),), True),
        ((("x265-params", "aq-mode=3:no-sao=1:psy-rd=1.5"),), True),
        ((("svtav1-params", "tune=0"),), True),
        ((("psy-rd", "1.0:0.15"),), True),
        ((("x264-params", "dump-yuv=/tmp/x"),), False),
        ((("x264-params", "ref=2:stats=x"),), False),
        ((("x265-params", "csv=/etc/passwd"),), False),
        ((("x265-params", "analysis-save=a"),), False),
        ((("stats", "x"),), False),
        ((("refs", "2 -i x"),), False),
        ((("refs", "../x"),), False),
        ((("dump", "1"),), False),
        ((("x264-params", "ref=../../x"),), False),
        ((("x264opts", "qpfile=a"),), False),
        ((("i", "http://127.0.0.1/x"),), False),
        ((("progress", "http://127.0.0.1/"),), False),
    ],
)
def test_raw_options_from_known_lists(raw: tuple[tuple[str, str], ...], harmless: bool) -> None:
    assert (unlisted(raw) == []) is harmless


@pytest.mark.parametrize(
    "raw", ['{{ "x264-params" = "dump-yuv={folder}/victim" }}', '{{ report = "{folder}/victim" }}']
)
def test_options_not_known_to_be_harmless_are_not_used(
    tmp_path: Path, clip: Path, raw: str, capsys: pytest.CaptureFixture[str]
) -> None:
    victim = tmp_path / "victim"
    victim.write_text("precious")
    plan = plan_with(tmp_path, clip, f'preset = "ultrafast"\nraw = {raw.format(folder=tmp_path)}')
    assert main(["run", str(plan), "-o", str(tmp_path / "s.ovrik")]) == 1
    main(["estimate", str(tmp_path / "s.ovrik"), "--try"])
    main(["explain", str(tmp_path / "s.ovrik"), "x", "--time", "parts"])
    assert victim.read_text() == "precious"
    said = capsys.readouterr()
    assert "not known to be harmless" in said.out + said.err or "has no option" in said.out + said.err


def test_approved_options_are_used(tmp_path: Path, study: Study) -> None:
    odd = Contender("bundled", recipe("libx264", "ultrafast", raw=(("x264-params", "opencl-device=0"),)))
    kept = study.add_contender(odd)
    claims = waiting([odd])
    assert [c.kind for c in claims] == ["options"]
    assert "x264-params opencl-device=0" in claims[0].shown()
    assert kept.contender_id in barred(study)
    allow(claims[0])
    assert waiting([odd]) == []
    assert kept.contender_id not in barred(study)
    other = replace(odd, recipe=replace(odd.recipe, raw=(("x264-params", "opencl-device=1"),)))
    assert waiting([other]), "other values are another question"


def test_what_ovrik_passes_itself_is_merged_and_never_replaced(footage: Footage) -> None:
    made = recipe(
        "libx265", "fast", bit_rate=1_000_000, control="two passes", raw=(("x265-params", "aq-mode=3"),)
    )
    for n, command in enumerate(
        export_commands(
            Export("p", of_clip(footage), whole(footage), made), Path("/o.mp4"), Path("/t/stats")
        ),
        1,
    ):
        assert command.count("-x265-params") == 1
        assert command[command.index("-x265-params") + 1] == f"pass={n}:stats=/t/stats:aq-mode=3"
    given = ["-x264-params", "a=1", "-crf", "2", "-x264-params", "b=2"]
    assert merged(given) == ["-x264-params", "a=1:b=2", "-crf", "2"]


# Addresses


def test_names_that_look_like_something_else(tmp_path: Path) -> None:
    for name in (
        "a:b.mkv",
        "-i.mkv",
        "concat:x.mkv",
        "100%41.mkv",
        "it's “odd”; $(x).mkv",
        "subfile,,end,9,,:x.mkv",
    ):
        path = write_clip(tmp_path / name, 6)
        clip = probe(path)
        assert clip.frames == 6
        place = tmp_path / f"{name[:5]}: study.ovrik"
        study = Study.create(place, "S", of_clip(clip), Excerpt(1, 4), rounds=1, warmup=0)
        study.set_conduct(CALM)
        study.add_contender(Contender("bundled", recipe("libx264", "ultrafast")))
        assert time_all(study, remaining(study, [1], 1)), study.runs()[0].reason
        assert f"file:{path}" in study.runs()[0].argv
        assert study.runs()[0].argv[-1].startswith("file:/")
        study.close()


def test_a_name_with_bytes_that_are_no_text(tmp_path: Path) -> None:
    path = Path(os.fsdecode(os.fsencode(str(tmp_path)) + b"/caf\xe9.mkv"))
    shutil.copy(write_clip(tmp_path / "x.mkv", 6), path)
    clip = probe(path)
    study = Study.create(tmp_path / "s.ovrik", "S", of_clip(clip), Excerpt(1, 4), rounds=1, warmup=0)
    study.set_conduct(CALM)
    study.add_contender(Contender("bundled", recipe("libx264", "ultrafast")))
    assert time_all(study, remaining(study, [1], 1)), study.runs()[0].reason
    study.close()
    again = Study.open(tmp_path / "s.ovrik")
    assert again.programme().clips[0].path == str(path)
    assert main(["verdict", str(tmp_path / "s.ovrik")]) in (0, 1)
    again.close()


PLAYLISTS = {
    "list.m3u8": "#EXTM3U\n#EXTINF:1,\nhttp://127.0.0.1:9/x.ts\n",
    "list.txt": "ffconcat version 1.0\nfile {clip}\n",
    "list.mpd": '<?xml version="1.0"?><MPD/>',
    "stream.sdp": "v=0\no=- 0 0 IN IP4 127.0.0.1\n",
}


@pytest.mark.parametrize("name", PLAYLISTS)
def test_lists_that_pose_as_clips_are_refused(tmp_path: Path, clip: Path, name: str) -> None:
    for ending in ("", ".mp4"):
        path = tmp_path / f"{name}{ending}"
        path.write_text(PLAYLISTS[name].format(clip=clip))
        with pytest.raises(OvrikError, match=r"not a clip"):
            probe(path)


def test_what_is_no_regular_file_is_refused_at_once(tmp_path: Path) -> None:
    fifo = tmp_path / "fifo.mp4"
    os.mkfifo(fifo)
    began = time.monotonic()
    for path in (fifo, Path("/dev/zero"), tmp_path):
        for read in (probe, open_clip, load_plan, read_timeline if path.suffix == ".otio" else check_cube):
            with pytest.raises(OvrikError, match=r"regular file|folder"):
                read(path)
    with pytest.raises(OvrikError, match="regular file"):
        treatment("picture", {"file": str(fifo)})
    with pytest.raises(OvrikError, match="regular file"):
        Study.open(fifo)
    assert time.monotonic() - began < 5


def test_a_stored_address_is_looked_at_again(study: Study, tmp_path: Path) -> None:
    fifo = tmp_path / "fifo.mkv"
    os.mkfifo(fifo)
    study.move_footage(fifo)
    with pytest.raises(OvrikError, match="regular file"):
        time_all(study, remaining(study, [1], 1))
    assert study.runs() == []


def test_a_per_cent_sign_in_a_path_stands_for_itself_where_it_can(tmp_path: Path) -> None:
    (tmp_path / "a%41.mkv").touch()
    assert path_of_url("a%41.mkv", tmp_path).name == "a%41.mkv"
    assert path_of_url("b%20c.mkv", tmp_path).name == "b c.mkv"
    assert path_of_url(f"file://{tmp_path}/b%20c.mkv", tmp_path) == tmp_path / "b c.mkv"


# Sizes and terminals


def test_text_of_any_size_is_not_read(tmp_path: Path) -> None:
    big = tmp_path / "big.toml"
    with big.open("wb") as handle:
        handle.truncate(5 << 20)
    with pytest.raises(OvrikError, match="larger than a plan"):
        load_plan(big)


def test_titles_do_not_reach_a_terminal_with_control_characters(
    tmp_path: Path, clip: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    plan = plan_with(tmp_path, clip, "").read_text()
    plan = plan.replace('"T"', '"T\\u001b[2J\\u0007"').replace('"x"', '"x\\u001b]0;y"')
    (tmp_path / "plan.toml").write_text(plan)
    main(["plan", str(tmp_path / "plan.toml")])
    main(["run", str(tmp_path / "plan.toml"), "-o", str(tmp_path / "s.ovrik")])
    said = capsys.readouterr()
    assert "\x1b" not in said.out + said.err
    assert "\\x1b[2J" in said.out


OVRIK = [sys.executable, "-m", "ovrik"]


@pytest.mark.parametrize(
    "arguments",
    [
        ["timeline", "x.otio", "--rate", "abc"],
        ["timeline", "x.otio", "--rate", "1/0"],
        ["timeline", "x.edl", "--rate", "inf"],
        ["excerpts", "x", "--seconds", "nan"],
        ["run", "x", "-o", "y", "--rounds", "²"],
        ["probe", "\udce9"],
        ["enter", "x.ovrik", "a", "²x²"],
        ["verdict", "/dev/null"],
        ["probe", "/proc/self/mem"],
        ["plan", "a\x00b"],
    ],
)
def test_no_input_ends_in_a_traceback(tmp_path: Path, arguments: list[str]) -> None:
    if "\x00" in "".join(arguments):
        assert main(arguments) == 2
        return
    said = ovrik(*arguments, folder=tmp_path)
    assert said.returncode == 2, said.stderr
    assert "Traceback" not in said.stderr
    if "".join(arguments).isascii():
        return  # what a terminal of another alphabet makes of the rest needs a process of its own
    done = subprocess.run(
        [*OVRIK, *arguments],
        capture_output=True,
        text=True,
        errors="replace",
        cwd=tmp_path,
        env={**os.environ, "LC_ALL": "C", "PYTHONUTF8": "0", "PYTHONIOENCODING": "ascii"},
        check=False,
        timeout=60,
    )
    assert done.returncode == 2, done.stderr
    assert "Traceback" not in done.stderr


def test_a_full_disk_on_standard_output(clip: Path) -> None:
    with Path("/dev/full").open("w") as full:
        done = subprocess.run(
            [*OVRIK, "probe", str(clip), "--json"],
            stdout=full,
            stderr=subprocess.PIPE,
            text=True,
            check=False,
            timeout=60,
        )
    assert done.returncode == 2
    assert "Traceback" not in done.stderr
    assert "No space left" in done.stderr


# Damaged studies


@pytest.fixture
def sound(study: Study) -> Path:
    """A closed study with runs on file."""
    for n in range(1, 4):
        add_run(study, 1, n, 2.0)
        add_run(study, 2, n, 1.0)
    study.close()
    return study.path


EDITS = {
    "version 0": "PRAGMA user_version = 0",
    "version 99": "PRAGMA user_version = 99",
    "rate": 'UPDATE footage SET facts = replace(facts, \'"rate": "25/1"\', \'"rate": "1/0"\')',
    "no time": "UPDATE run SET wall_s = 0 WHERE id = 2",
    "JSON": "UPDATE contender SET recipe = '{' WHERE id = 2",
    "edit": "UPDATE programme SET edit = '[]'",
    "conduct": "UPDATE study SET conduct = '[1]'",
    "view": "ALTER TABLE run RENAME TO run_; CREATE VIEW run AS SELECT * FROM run_",
    "endless": "DROP TABLE excerpt; CREATE VIEW excerpt AS WITH RECURSIVE n(i) AS"
    " (SELECT 1 UNION ALL SELECT i + 1 FROM n)"
    " SELECT i AS id, 'x' AS name, 0 AS start_frame, 9 AS frames FROM n",
    "trigger": "CREATE TRIGGER t AFTER INSERT ON run BEGIN DELETE FROM score; END",
    "clip": "DELETE FROM footage",
    "argv": "UPDATE run SET argv = 'x'",
    "column": "ALTER TABLE run DROP COLUMN argv",
    "encoder": "UPDATE contender SET recipe = replace(recipe, 'libx264', 'nothing')",
    "moment": "UPDATE run SET started_utc = 'soon' WHERE id = 1",
    "log": "UPDATE run SET log = '[[1]]' WHERE id = 1",
    "endless time": "UPDATE run SET user_s = 9e999 WHERE id = 1",
    "far": "UPDATE run SET frames = -4 WHERE id = 1",
    "big": "UPDATE run SET wall_s = 1e308 WHERE id = 1",
}

SHAPES = ("version 0", "version 99", "view", "endless", "trigger", "column")
"""What they change is no row."""


@pytest.mark.parametrize("name", EDITS)
def test_an_edited_study_ends_in_one_line_and_can_be_rescued(
    sound: Path, tmp_path: Path, name: str, capsys: pytest.CaptureFixture[str]
) -> None:
    db = sqlite3.connect(sound)
    db.execute("PRAGMA foreign_keys = OFF")
    db.execute("PRAGMA ignore_check_constraints = ON")
    db.executescript(EDITS[name])
    if name not in SHAPES:
        sum_all(db)  # whoever does it on purpose can do that too
        db.commit()
    db.close()
    before = sound.read_bytes()
    began = time.monotonic()
    assert main(["verdict", str(sound)]) == 2
    said = capsys.readouterr().err
    assert len(said.strip().splitlines()) == 1
    assert str(sound) in said
    assert "error in Ovrik itself" not in said
    assert time.monotonic() - began < 10
    code = main(["rescue", str(sound), "-o", str(tmp_path / "new.ovrik")])
    assert sound.read_bytes() == before
    if name in ("rate", "edit", "conduct", "clip"):
        assert code == 2, "the question itself is gone"
        assert not (tmp_path / "new.ovrik").exists()
        return
    assert code in (0, 1)
    again = Study.open(tmp_path / "new.ovrik")
    kept = gather(again)
    assert sum(len(s.counted) for s in kept.summaries) >= (
        0 if name in ("view", "argv", "column", "encoder") else 3
    )
    again.close()


def test_random_bytes_never_end_in_a_traceback(
    sound: Path, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    chance, whole_file = random.Random(9), sound.read_bytes()
    for number in range(40):
        data = bytearray(whole_file)
        for _ in range(chance.choice((1, 8, 60, 400))):
            data[chance.randrange(len(data))] = chance.randrange(256)
        path = tmp_path / f"{number}.ovrik"
        path.write_bytes(data[: chance.choice((len(data), len(data), len(data) // 2))])
        code = main(["verdict", str(path)])
        said = capsys.readouterr().err
        assert code in (0, 1, 2)
        assert "error in Ovrik itself" not in said, (number, said)
        code = main(["rescue", str(path), "-o", str(tmp_path / f"{number} new.ovrik")])
        said = capsys.readouterr().err
        assert "error in Ovrik itself" not in said, (number, said)


def test_nothing_rests_in_the_log_alone_after_a_run(study: Study, tmp_path: Path) -> None:
    assert time_all(study, remaining(study, [1], 2))
    copy = tmp_path / "copy.ovrik"
    shutil.copy(study.path, copy)  # without its log
    alone = Study.open(copy)
    assert [r.state for r in alone.runs()] == ["done", "done"]
    alone.close()


@pytest.mark.skipif(os.geteuid() != 0, reason="mounting needs root")
def test_a_study_can_be_read_where_nothing_can_be_written(sound: Path, tmp_path: Path) -> None:
    place = tmp_path / "mounted"
    place.mkdir()
    for options in ("size=8m", "size=8m,ro"):
        subprocess.run(["mount", "-t", "tmpfs", "-o", "size=8m", "none", str(place)], check=True)
        try:
            shutil.copy(sound, place / "s.ovrik")
            if options.endswith("ro"):
                subprocess.run(["mount", "-o", "remount,ro", str(place)], check=True)
            else:
                with pytest.raises(OSError, match="space"):
                    (place / "filler").write_bytes(b"x" * (16 << 20))
            opened = Study.open(place / "s.ovrik")
            assert len(opened.runs()) == 6
            assert opened.read_only or options == "size=8m"
            if opened.read_only:
                with pytest.raises(OvrikError, match="can't be written"):
                    opened.set_tie_band(0.1)
            opened.close()
            assert main(["verdict", str(place / "s.ovrik"), "--json"]) in (0, 1)
        finally:
            subprocess.run(["umount", "-l", str(place)], check=True)


@pytest.mark.skipif(os.geteuid() != 0, reason="mounting needs root")
def test_no_run_stays_running_on_a_full_drive(sound: Path, tmp_path: Path) -> None:
    place = tmp_path / "mounted"
    place.mkdir()
    with closing(Study.open(sound)) as study:
        begun = replace(study.runs()[0], state=RunState.RUNNING, id=0, round=9)
        number = study.begin_run(begun, BUILD, {"processor": "P"}, study.programme())
    subprocess.run(["mount", "-t", "tmpfs", "-o", "size=8m", "none", str(place)], check=True)
    try:
        shutil.copy(sound, place / "s.ovrik")
        with suppress(OSError), (place / "filler").open("wb") as filler:
            for _ in range(1 << 11):
                filler.write(bytes(4096))
        with closing(Study.open(place / "s.ovrik")) as full:
            assert {r.state for r in full.runs() if r.id == number} == {"interrupted"}
            assert full.read_only
        (place / "filler").unlink()
        with closing(Study.open(place / "s.ovrik")) as again:
            assert {r.state for r in again.runs() if r.id == number} == {"interrupted"}
            assert not again.read_only
    finally:
        subprocess.run(["umount", "-l", str(place)], check=True)


@pytest.mark.skipif(os.geteuid() != 0, reason="mounting needs root")
def test_what_a_kill_left_in_the_log_is_read_where_nothing_can_be_written(
    sound: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    place = tmp_path / "mounted"
    place.mkdir()
    monkeypatch.setattr(Study, "_settle", lambda _self: None)
    subprocess.run(["mount", "-t", "tmpfs", "-o", "size=8m", "none", str(place)], check=True)
    try:
        with closing(Study.open(sound)) as study:
            add_run(study, 1, 9, 7.5)
            assert Path(f"{sound}-wal").stat().st_size > 0
            for tail in ("", "-wal"):
                shutil.copy(f"{sound}{tail}", place / f"s.ovrik{tail}")
        subprocess.run(["mount", "-o", "remount,ro", str(place)], check=True)
        with closing(Study.open(place / "s.ovrik")) as kept:
            assert kept.runs()[-1].wall_s == 7.5
            assert not kept.aside
    finally:
        subprocess.run(["umount", "-l", str(place)], check=True)


def open_now(path: Path) -> list[str]:
    """Files of a study that this process has open."""
    links = [f"/proc/self/fd/{name}" for name in os.listdir("/proc/self/fd")]
    return [to for link in links if os.path.lexists(link) and (to := os.readlink(link)).startswith(str(path))]


def test_a_study_that_is_forgotten_or_could_not_be_opened_is_closed(
    sound: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """What knew an old log would have the next one in this process read by it."""
    forgotten = Study.open(sound)
    assert open_now(sound)
    del forgotten
    gc.collect()
    assert open_now(sound) == []
    for broken in ("ovrik.store.schema.file.keep_sums", "ovrik.store.study.unmatched"):
        with monkeypatch.context() as patch:
            patch.setattr(broken, lambda *_given: 1 / 0)
            with pytest.raises(OvrikError) as caught:
                Study.open(sound)
            assert open_now(sound) == [], (broken, caught)


@pytest.mark.skipif(os.geteuid() != 0, reason="mounting needs root")
@pytest.mark.parametrize("left", [0, 150_000])
@pytest.mark.parametrize("command", ["rescue", "send", "run", "report", "export"])
def test_a_full_drive_is_named_with_what_to_do(
    sound: Path, clip: Path, tmp_path: Path, command: str, left: int, capsys: pytest.CaptureFixture[str]
) -> None:
    place, plan = tmp_path / "mounted", tmp_path / "p.toml"
    place.mkdir()
    plan.write_text(
        f'[study]\ntitle = "T"\nfootage = "{clip}"\n[[contender]]\nencoder = "libx264"\npreset = "fast"\n'
    )
    made = place / {"report": "r.html", "export": "e.json"}.get(command, "new.ovrik")
    subprocess.run(["mount", "-t", "tmpfs", "-o", "size=2m", "none", str(place)], check=True)
    try:
        (place / "filler").write_bytes(bytes((2 << 20) - left))
        given = plan if command == "run" else sound
        code = main([command, str(given), "-o", str(made)])
        if code == 2:
            said = capsys.readouterr().err.strip().splitlines()[-1]
            assert str(made) in said
            assert "space" in said
            assert ".making" not in said
            assert [p.name for p in place.iterdir()] == ["filler"]
        assert code == 2 or left
    finally:
        subprocess.run(["umount", "-l", str(place)], check=True)


def test_json_of_a_study_with_odd_titles_is_still_json(
    tmp_path: Path, study: Study, capsys: pytest.CaptureFixture[str]
) -> None:
    study.set_plan("a\x1b[2J\x07b", 1, 0, 0.02)
    main(["verdict", str(study.path), "--json"])
    out = capsys.readouterr().out
    assert "\x1b" not in out
    assert json.loads(out)["study"] == "a\x1b[2J\x07b"


# The second wall


@pytest.mark.skipif(not level(), reason="this kernel offers no Landlock")
def test_a_timed_run_stands_behind_the_wall(
    study: Study, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    home = tmp_path / "program"
    home.mkdir()
    shutil.copy(locate("bundled"), home / "real")
    leak = tmp_path / "leak"
    program = home / "mine"
    program.write_text(
        f'#!/bin/sh\ncase "$*" in *partial*) echo x > "{leak}" ;; esac\nexec "{home}/real" "$@"\n'
    )
    program.chmod(0o755)
    made = study.add_contender(Contender(allow_program(program), recipe("libx264", "ultrafast")))
    assert time_all(study, remaining(study, [made.contender_id], 1)), study.runs()[-1].reason
    assert study.runs()[-1].state == "done"
    assert not leak.exists()
    monkeypatch.setattr("ovrik.export.run.process.level", lambda: 0)
    assert time_all(study, remaining(study, [made.contender_id], 2))
    assert leak.exists(), "without the wall it would have been written"


def test_a_study_that_is_cut_off_while_it_is_made_is_none(
    clip: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    def killed(*_given: object) -> None:
        raise KeyboardInterrupt

    programme = of_clip(probe(clip))
    with monkeypatch.context() as patch:
        patch.setattr(Study, "set_limits", killed)
        with pytest.raises(KeyboardInterrupt):
            Study.create(tmp_path / "new.ovrik", "S", programme, Excerpt(0, 5))
    assert not (tmp_path / "new.ovrik").exists()
    assert not list(tmp_path.glob(".ovrik-new*"))
    made = Study.create(tmp_path / "new.ovrik", "S", programme, Excerpt(0, 5))
    with pytest.raises(OvrikError, match="is a study already"):
        Study.create(tmp_path / "new.ovrik", "S", programme, Excerpt(0, 5))
    assert made.facts().title == "S"
    made.close()


FELLS_ITS_READER = """{"OTIO_SCHEMA": "Timeline.1", "metadata": {"a": {"OTIO_SCHEMA": "RationalTime.1",
"rate": 25.0, "value": 0.0, "b": {"OTIO_SCHEMA": "Clip.1"}}}}"""


@pytest.mark.parametrize(
    "text", [FELLS_ITS_READER, '{"OTIO_SCHEMA": "Timeline.1", "tracks": null}', FELLS_ITS_READER[:-4]]
)
def test_a_timeline_that_fells_its_reader(
    tmp_path: Path, text: str, capsys: pytest.CaptureFixture[str]
) -> None:
    path = tmp_path / "cut.otio"
    path.write_text(text)
    assert main(["timeline", str(path)]) == 2
    said = capsys.readouterr().err
    assert said.count("\n") == 1
    assert "fell over" in said or "can't be read" in said


def test_modules_that_lie_about_are_never_imported(
    tmp_path: Path, clip: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    mark = tmp_path / "ran"
    for name in ("json", "ovrik", "numpy", "signal", "argparse"):
        (tmp_path / f"{name}.py").write_text(f"open({str(mark)!r}, 'a').write({name!r})\n")
    place = write_timeline(of_clip(probe(clip)), tmp_path / "cut.otio")
    monkeypatch.chdir(tmp_path)
    assert read_timeline_apart(tmp_path / "cut.otio").programme is not None, place
    find_build("standin-anvil")
    program = program_for("standin-anvil", locate("bundled"))
    subprocess.run([str(program), "-version"], cwd=tmp_path, capture_output=True, check=True)
    assert not mark.exists()
