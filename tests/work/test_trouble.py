"""What can go wrong while an export is timed ends in a clear state, and going on works."""

import os
import shutil
import subprocess
import sys
from collections.abc import Iterator
from dataclasses import replace
from pathlib import Path

import pytest

from calm import CALM
from ovrik.errors import OvrikError
from ovrik.export.run.timed import timed_run
from ovrik.machine.sensors import load
from ovrik.machine.workstation.drive import DriveFacts
from ovrik.quality.reference.cut_short import cut_short
from ovrik.store.study import Study
from ovrik.study.clip.footage import Footage
from ovrik.study.contender.contender import Contender
from ovrik.study.encoder.recipe import recipe
from ovrik.study.facts.disturbance import Disturbance, Disturber
from ovrik.study.programme.excerpt import whole
from ovrik.study.programme.programme import of_clip
from ovrik.study.question.conduct import Conduct
from ovrik.study.question.plan import load_plan
from ovrik.work.prepare import drives
from ovrik.work.timing.schedule import remaining
from ovrik.work.timing.series import TimingUpdate, time_all


@pytest.fixture
def one(tmp_path: Path, footage: Footage) -> Iterator[Study]:
    """A study with one contender, not timed."""
    made = Study.create(
        tmp_path / "place" / "s.ovrik", "One", of_clip(footage), whole(of_clip(footage)), warmup=0
    )
    made.set_conduct(CALM)
    made.add_contenders([Contender("bundled", recipe("libx264", "ultrafast", 30, container="mkv"))])
    yield made
    made.close()


@pytest.fixture(autouse=True)
def place(tmp_path: Path) -> Path:
    """Where that study lies."""
    made = tmp_path / "place"
    made.mkdir()
    return made


def test_a_file_that_was_cut_short_is_a_failed_run(one: Study, tmp_path: Path) -> None:
    assert time_all(one, remaining(one, [1], 1))
    output = one.outputs / (one.runs()[0].output or "")
    assert cut_short(output, 30) == ""
    assert cut_short(output, 31) == "its file holds only 30 of 31 frames"
    half = tmp_path / "half.mkv"
    half.write_bytes(output.read_bytes()[: output.stat().st_size // 2])
    # A program that ends well and yet leaves half a file behind.
    cheat = [sys.executable, "-c", "import shutil, sys; shutil.copy(sys.argv[1], sys.argv[2])", str(half)]
    partial, kept = tmp_path / "partial.mkv", tmp_path / "kept.mkv"
    kept.write_bytes(b"earlier")
    result = timed_run([[*cheat, str(partial)]], partial, kept, fault=lambda made: cut_short(made, 30))
    assert result.state == "failed"
    assert result.reason.startswith("it ended without an error, but its file holds")
    assert kept.read_bytes() == b"earlier"
    assert not partial.exists()
    half.write_bytes(b"\0" * 1000)
    assert "can't be read" in cut_short(half, 30)


def test_an_output_folder_that_vanishes_fails_one_run_and_no_more(one: Study) -> None:
    gone: list[int] = []

    def watch(update: TimingUpdate) -> None:
        if update.progress is not None and not gone:
            gone.append(1)
            shutil.rmtree(one.outputs)

    time_all(one, remaining(one, [1], 1), watch)
    assert [r.state for r in one.runs()] == ["failed"]
    assert "nothing" in one.runs()[0].reason or "rror" in one.runs()[0].reason
    assert time_all(one, remaining(one, [1], 1))
    assert [r.state for r in one.runs()] == ["failed", "done"]


def test_a_drive_that_is_taken_away_is_named_and_nothing_is_lost(tmp_path: Path, footage: Footage) -> None:
    drive, image = tmp_path / "drive", tmp_path / "image"
    drive.mkdir()
    image.mkdir()
    mount = ["mount", "--bind", str(image), str(drive)]
    if os.geteuid() != 0 or subprocess.run(mount, capture_output=True, check=False).returncode:
        pytest.skip("mounting needs root")
    study = Study.create(drive / "s.ovrik", "Drive", of_clip(footage), whole(of_clip(footage)), warmup=0)
    study.set_conduct(CALM)
    study.add_contenders([Contender("bundled", recipe("libx264", "ultrafast", 30))])
    taken: list[int] = []

    def watch(update: TimingUpdate) -> None:
        if update.ended and not taken:
            taken.append(subprocess.run(["umount", "-l", str(drive)], check=True).returncode)

    with pytest.raises(OvrikError, match="its drive may have been removed"):
        time_all(study, remaining(study, [1], 3), watch)
    study.close()
    assert not list(drive.iterdir()), "nothing is written where the drive was"
    subprocess.run(mount, check=True)
    try:
        again = Study.open(drive / "s.ovrik")
        assert [r.state for r in again.runs()] == ["done"]
        assert time_all(again, remaining(again, [1], 3))
        assert [r.round for r in again.runs()] == [1, 2, 3]
        again.close()
    finally:
        subprocess.run(["umount", "-l", str(drive)], check=True)


def test_outputs_go_to_the_drive_that_was_chosen(one: Study, tmp_path: Path) -> None:
    fast = tmp_path / "fast drive"
    fast.mkdir()
    one.set_conduct(replace(one.facts().conduct, outputs=str(fast)))
    assert time_all(one, remaining(one, [1], 1))
    run = one.runs()[0]
    assert one.outputs.parent == fast
    assert (one.outputs / (run.output or "")).exists()
    assert run.conditions["outputs"] == str(one.outputs)
    fast.rename(tmp_path / "taken away")
    with pytest.raises(OvrikError, match="its drive may have been removed"):
        time_all(one, remaining(one, [1], 2))
    assert len(one.runs()) == 1
    plan = tmp_path / "p.toml"
    plan.write_text(
        '[study]\ntitle = "T"\nfootage = "x"\n[timing]\noutputs = "nowhere"\n[[contender]]\n'
        'encoder = "libx264"\n'
    )
    with pytest.raises(OvrikError, match=r"key timing.outputs: there is no folder .*nowhere"):
        load_plan(plan)


def test_a_suspended_machine_marks_the_run_and_it_is_made_again(
    one: Study, monkeypatch: pytest.MonkeyPatch
) -> None:
    real, slept = load.counters, [0.0]

    def counters() -> load.Counters:
        return replace(real(), asleep=slept[0])

    monkeypatch.setattr("ovrik.export.run.trace.counters", counters)

    def watch(update: TimingUpdate) -> None:
        if update.progress is not None and not slept[0]:
            slept[0] = 600.0

    one.set_conduct(Conduct(rest=False, disturbed_share=0.95))
    assert time_all(one, remaining(one, [1], 1), watch)
    first, second = one.runs()
    assert Disturbance(Disturber.ASLEEP, 600.0) in first.disturbed
    assert Disturber.ASLEEP not in {d.by for d in second.disturbed}
    assert (first.round, second.round) == (1, 1)


def test_a_folder_that_a_study_names_is_not_written_to_by_a_look(
    one: Study, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    named, written = tmp_path / "named by a stranger", []
    named.mkdir()
    one.set_conduct(replace(one.facts().conduct, outputs=str(named)))
    monkeypatch.setattr(drives, "_measured", {})
    monkeypatch.setattr(drives, "_fresh", lambda _what: None)
    monkeypatch.setattr(
        drives, "measure_drive", lambda f: written.append(f) or DriveFacts(str(f), "x", 1, 9.0, 9.0)
    )
    outputs = drives.drives_of(one)[0]
    assert written == [one.path.parent]
    assert outputs.facts
    assert (outputs.facts.folder, outputs.facts.write_mb_s, outputs.trouble) == (
        str(named),
        None,
        drives.NOT_YET,
    )
    one.outputs.mkdir()
    assert drives.drives_of(one, afresh=True)[0].facts == DriveFacts(str(one.outputs), "x", 1, 9.0, 9.0)
