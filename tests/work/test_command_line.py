"""The whole path without a window, on real input, with real encoders."""

import json
import os
import signal
import sqlite3
import statistics
import struct
import subprocess
import sys
import time
from pathlib import Path

import numpy as np
import psutil
import pytest

from approving import allow_program
from by_command import ovrik
from ovrik.cli import main

PLAN = """
[study]
title = "Tiny"
footage = "{footage}"
excerpt = {{ start = 0.2, duration = 0.8 }}
rounds = 2
warmup = 1
baseline = "quick"

[timing]
rest = false
repeat_disturbed = false

[limits]
vmaf_mean = 30
megabytes_per_minute = 2000

[[contender]]
label = "quick"
encoder = "libx264"
preset = "veryfast"
quality = 20

[[contender]]
label = "other"
build = "system"
encoder = "libx264"
preset = "ultrafast"
quality = 20
"""

OVRIK = [sys.executable, "-m", "ovrik"]


def write_plan(folder: Path, clip: Path, extra: str = "", **changes: str) -> Path:
    path = folder / "plan.toml"
    text = PLAN.format(footage=clip) + extra
    for old, new in changes.items():
        text = text.replace(old, new)
    path.write_text(text)
    return path


@pytest.fixture(scope="module")
def finished(tmp_path_factory: pytest.TempPathFactory, clip: Path) -> Path:
    """A study run to its end by the command line."""
    folder = tmp_path_factory.mktemp("finished")
    done = ovrik("run", write_plan(folder, clip), "-o", folder / "s.ovrik")
    assert done.returncode == 0, done.stderr
    assert "[6/6]" in done.stdout
    assert "left" in done.stdout
    return folder / "s.ovrik"


def test_probe(clip: Path) -> None:
    done = ovrik("probe", clip, "--json")
    said = json.loads(done.stdout)
    assert (done.returncode, said["rate"], said["frames"], said["codec"]) == (0, "25/1", 30, "ffvhuff")
    assert "25 fps, constant" in ovrik("probe", clip).stdout


def test_machine() -> None:
    said = json.loads(ovrik("machine", "--json").stdout)
    assert "cores" in said["machine"]["cores"]
    assert [b["key"] for b in said["builds"] if not b["simulated"]] == ["bundled", "system"]
    assert sum(b["simulated"] for b in said["builds"]) == 5
    assert said["drives"][0]["facts"]["write_mb_s"] > 0
    assert "libx264" in said["builds"][0]["encoders"]


def test_plan_says_what_can_not_run(tmp_path: Path, clip: Path) -> None:
    extra = (
        '\n[[contender]]\nlabel = "in mov"\nencoder = "libsvtav1"\ncontainer = "mov"\n'
        '[[contender]]\nlabel = "gone"\nencoder = "libx264"\nbuild = "/nowhere/ffmpeg"\n'
        '[[contender]]\nlabel = "wild"\nencoder = "libx264"\nquality = 99\n'
        '[[contender]]\nlabel = "alien"\nencoder = "libx999"\n'
    )
    done = ovrik("plan", write_plan(tmp_path, clip, extra), "--json")
    said = {c["label"]: c for c in json.loads(done.stdout)["contenders"]}
    assert done.returncode == 1
    assert [said[n]["can_run"] for n in ("quick", "other")] == [True, True]
    assert "can't hold AV1" in said["in mov"]["reason"]
    assert "/nowhere/ffmpeg is not there" in said["gone"]["reason"]
    assert "out of x264's range" in said["wild"]["reason"]
    assert "libx999" in said["alien"]["reason"]
    assert ovrik("plan", write_plan(tmp_path, clip)).returncode == 0


def test_verdict_json(finished: Path) -> None:
    done = ovrik("verdict", finished, "--json")
    said = json.loads(done.stdout)
    assert done.returncode == 0
    quick, other = said["contenders"]
    assert [r["state"] for r in quick["runs"]] == ["done"] * 3
    assert [r["warmup"] for r in quick["runs"]] == [True, False, False]
    assert (quick["answer"], quick["build"], quick["encoder"]) == ("baseline", "bundled", "libx264")
    assert other["answer"] in ("faster", "slower", "tie", "unsure")
    assert set(other["ratio"]) >= {"value", "low", "high"}
    assert set(quick["quality"]["vmaf"]) == {"mean", "harmonic", "p5", "p1", "worst_second", "worst_frame"}
    assert (quick["conforms"], quick["acceptable"], quick["reasons"]) == (True, True, [])
    assert said["verdict"]["labels"]
    assert said["verdict"]["labels"][0] in said["verdict"]["sentence"]


def test_anyone_can_recompute_the_figures(finished: Path) -> None:
    """With nothing but the file: medians, ratios and quality, as formats.md shows."""
    said = json.loads(ovrik("verdict", finished, "--json").stdout)
    db = sqlite3.connect(finished)
    rows = db.execute(
        "SELECT c.label, r.round, r.wall_s FROM run r JOIN contender c ON c.id = r.contender_id "
        "WHERE r.state = 'done' AND NOT r.warmup"
    ).fetchall()
    times = {label: {n: wall for c, n, wall in rows if c == label} for label in ("quick", "other")}
    for shown in said["contenders"]:
        assert shown["median_s"] == pytest.approx(statistics.median(times[shown["label"]].values()))
    logs = [np.log(times["quick"][n] / times["other"][n]) for n in (1, 2)]
    # Runs that other programs disturbed while these tests ran weigh less.
    disturbed = db.execute("SELECT count(*) FROM run WHERE disturbed NOT IN ('', '[]')").fetchone()[0]
    near = 0.2 if disturbed else 1e-6
    assert said["contenders"][1]["ratio"]["value"] == pytest.approx(float(np.exp(np.mean(logs))), rel=near)
    packed = db.execute(
        "SELECT series FROM score_metric m JOIN score s ON s.id = m.score_id "
        "WHERE s.contender_id = 1 AND metric = 'vmaf'"
    ).fetchone()[0]
    vmaf = struct.unpack(f"<{len(packed) // 8}d", packed)
    assert len(vmaf) == 20
    assert said["contenders"][0]["quality"]["vmaf"]["mean"] == pytest.approx(statistics.fmean(vmaf))
    argv = json.loads(db.execute("SELECT argv FROM run LIMIT 1").fetchone()[0])
    assert argv[0].startswith("/")
    assert "-frames:v" in argv


def test_the_stored_command_makes_the_same_picture_again(finished: Path, tmp_path: Path) -> None:
    db = sqlite3.connect(finished)
    argv, sha = db.execute(
        "SELECT argv, output_sha256 FROM run WHERE contender_id = 1 ORDER BY id DESC LIMIT 1"
    ).fetchone()
    command = json.loads(argv)
    command[-1] = str(tmp_path / "again.mp4")
    assert subprocess.run(command, capture_output=True, check=False).returncode == 0
    import hashlib

    assert hashlib.sha256((tmp_path / "again.mp4").read_bytes()).hexdigest() == sha


def test_running_again_goes_on_and_does_not_repeat(finished: Path) -> None:
    plan = finished.parent / "plan.toml"
    done = ovrik("run", plan, "-o", finished, "--rounds", "3")
    assert done.returncode == 0, done.stderr
    assert "[4/4]" in done.stdout  # a warm-up and the third round for both
    said = json.loads(ovrik("verdict", finished, "--json").stdout)
    rounds = [r["round"] for r in said["contenders"][0]["runs"] if not r["warmup"]]
    assert rounds == [1, 2, 3]
    again = ovrik("run", plan, "-o", finished, "--rounds", "3")
    assert "[1/" not in again.stdout


def test_csv(finished: Path, tmp_path: Path) -> None:
    target = tmp_path / "runs.csv"
    assert ovrik("verdict", finished, "--csv", target).returncode == 0
    lines = target.read_text().splitlines()
    assert lines[0].startswith("label,encoder,build,simulated,sitting,round")
    assert len(lines) > 6


def test_some_fail_and_the_others_go_on(tmp_path: Path, clip: Path) -> None:
    broken = tmp_path / "broken"
    broken.write_text(
        "#!/bin/sh\ncase $1 in -version) echo ffmpeg version 0.1;; -hide_banner) "
        "printf ' ------\\n V....D libx264 x\\n';; *) echo 'Error: the moon is full' >&2; exit 7;; esac\n"
    )
    broken.chmod(0o755)
    allow_program(broken)
    extra = (
        f'\n[[contender]]\nlabel = "moody"\nencoder = "libx264"\nbuild = "{broken}"\n'
        '[[contender]]\nlabel = "in mov"\nencoder = "libsvtav1"\ncontainer = "mov"\n'
    )
    study = tmp_path / "s.ovrik"
    done = ovrik("run", write_plan(tmp_path, clip, extra, **{"rounds = 2": "rounds = 1"}), "-o", study)
    assert done.returncode == 1
    assert "in mov can't run" in done.stderr
    said = {c["label"]: c for c in json.loads(ovrik("verdict", study, "--json").stdout)["contenders"]}
    assert [r["state"] for r in said["moody"]["runs"]] == ["failed"]
    assert "can't be read by this build (Error: the moon is full)" in said["moody"]["reasons"][0]
    assert said["in mov"]["runs"] == []
    assert "can't hold AV1" in said["in mov"]["reasons"][0]
    assert said["quick"]["acceptable"] is True
    assert said["other"]["acceptable"] is True


def test_nothing_acceptable_is_exit_code_1(tmp_path: Path, clip: Path) -> None:
    plan = write_plan(tmp_path, clip, **{"vmaf_mean = 30": "vmaf_mean = 100", "rounds = 2": "rounds = 1"})
    done = ovrik("run", plan, "-o", tmp_path / "s.ovrik")
    assert done.returncode == 1
    assert "Nothing timed is acceptable" in done.stdout
    assert ovrik("verdict", tmp_path / "s.ovrik").returncode == 1


@pytest.mark.parametrize(
    ("change", "words"),
    [
        ({"start = 0.2": "start = 9.0"}, "excerpt starts at 9.000 s"),
        ({"duration = 0.8": "duration = 3.0"}, "past the end of the programme at 1.200 s"),
        ({"tiny clip.mkv": "lost.mkv"}, "lost.mkv is not there"),
        ({"rounds = 2": "rounds = -2"}, "key study.rounds"),
    ],
)
def test_bad_input_is_one_line_and_exit_code_2(
    tmp_path: Path, clip: Path, change: dict[str, str], words: str
) -> None:
    plan = write_plan(tmp_path, clip, **change)
    for arguments in (("plan", plan), ("run", plan, "-o", tmp_path / "s.ovrik")):
        done = ovrik(*arguments)
        assert done.returncode == 2
        assert words in done.stderr
        assert done.stderr.startswith("ovrik: ")
        assert done.stderr.count("\n") == 1
    assert not (tmp_path / "s.ovrik").exists()


def test_text_named_mp4_and_no_study(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    fake = tmp_path / "fake.mp4"
    fake.write_text("no clip at all")
    assert main(["probe", str(fake)]) == 2
    assert main(["verdict", str(fake)]) == 2
    assert main(["verdict", str(tmp_path / "none.ovrik")]) == 2
    assert "Traceback" not in capsys.readouterr().err


def test_other_footage_for_the_same_study_is_refused(finished: Path, tmp_path: Path, clip: Path) -> None:
    from tiny_clip import write_clip

    other = write_clip(tmp_path / "other.mkv", 25)
    done = ovrik("run", write_plan(tmp_path, other), "-o", finished)
    assert done.returncode == 2
    assert "a different programme" in done.stderr


SLOW = {"warmup = 1": "warmup = 0", "excerpt = { start = 0.2, duration = 0.8 }": ""}


def start_slow_run(folder: Path, clip: Path) -> "tuple[subprocess.Popen[str], Path, Path]":
    """A run in progress, with at least one run finished."""
    plan = write_plan(folder, clip, **SLOW, **{"rounds = 2": "rounds = 30"})
    study = folder / "s.ovrik"
    process = subprocess.Popen([*OVRIK, "run", plan, "-o", study], stdout=subprocess.PIPE, text=True)
    assert process.stdout is not None
    for line in process.stdout:
        if "round 1: done" in line:
            break
    wait_for_running(study)
    return process, plan, study


def wait_for_running(study: Path) -> None:
    db = sqlite3.connect(study)
    for _ in range(400):
        if db.execute("SELECT 1 FROM run WHERE state = 'running'").fetchone():
            return
        time.sleep(0.01)
    raise AssertionError("no run began")


def test_killed_in_mid_run_it_goes_on(tmp_path: Path, clip: Path) -> None:
    process, plan, study = start_slow_run(tmp_path, clip)
    children = psutil.Process(process.pid).children(recursive=True)
    os.kill(process.pid, signal.SIGKILL)
    process.wait()
    psutil.wait_procs(children, timeout=5)
    assert not any(c.is_running() for c in children)  # no encoder is left to load the machine
    said = json.loads(ovrik("verdict", study, "--json").stdout)
    states = [r["state"] for c in said["contenders"] for r in c["runs"]]
    assert states.count("interrupted") == 1
    finished = states.count("done")
    assert finished >= 1
    done = ovrik("run", plan, "-o", study, "--rounds", "2")
    assert done.returncode == 0, done.stderr
    said = json.loads(ovrik("verdict", study, "--json").stdout)
    after = [r["state"] for c in said["contenders"] for r in c["runs"]]
    assert after.count("interrupted") == 1  # it is never deleted
    for c in said["contenders"]:
        assert sorted(r["round"] for r in c["runs"] if r["state"] == "done" and not r["warmup"])[:2] == [1, 2]


def test_a_second_one_is_refused_and_the_first_one_stopped_politely_keeps_what_is_finished(
    tmp_path: Path, clip: Path
) -> None:
    process, plan, study = start_slow_run(tmp_path, clip)
    try:
        second = ovrik("run", plan, "-o", study)
    finally:
        process.send_signal(signal.SIGINT)
    assert process.wait(timeout=20) == 1
    assert second.returncode == 2
    assert "another ovrik" in second.stderr.lower(), "it may be checking between two rounds"
    said = json.loads(ovrik("verdict", study, "--json").stdout)
    states = [r["state"] for c in said["contenders"] for r in c["runs"]]
    assert "done" in states
    assert set(states) <= {"done", "stopped"}
    assert not list((tmp_path / "s outputs").glob("partial*"))
