"""A study that is gone through again: what belongs to which sitting, and what is said of the change."""

import json
import shutil
from contextlib import closing
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest

from added_runs import add_run, scored
from by_command import ovrik
from calm import quiet
from ovrik.cli import main, question
from ovrik.errors import OvrikError
from ovrik.report.words.sittings import pair_words, worse_words
from ovrik.store.rescue import rescue
from ovrik.store.study import Study
from ovrik.study.facts.reason import Against, Reason
from ovrik.work.answers.sittings import Got, Worse, gather_sittings, short_version
from ovrik.work.evidence.gathered import gather
from ovrik.work.timing.new_sitting import begin, in_place, unfinished
from ovrik.work.timing.schedule import remaining
from ovrik.work.timing.series import time_all

pytestmark = pytest.mark.usefixtures("played")


def timed(study: Study, times: dict[int, list[float]], version: str = "9.0.2") -> None:
    for number, found in times.items():
        for round_, seconds in enumerate(found, 1):
            add_run(study, number, round_, seconds, version=version)


@pytest.fixture
def twice(study: Study) -> Study:
    """Two contenders in two sittings, the second with another build: one is faster by 20 %, the other the same."""
    timed(study, {1: [2.0, 2.01, 1.99, 2.0], 2: [1.0, 1.005, 0.995, 1.0]})
    study.begin_sitting("later")
    timed(study, {1: [1.6, 1.61, 1.59, 1.6], 2: [1.01, 1.0, 1.0, 1.0]}, "10.1")
    return study


def test_each_sitting_has_its_own_runs_and_times(twice: Study) -> None:
    first, second = twice.sittings()
    assert (second.name, second.words, first.words != "") == ("later", "later", True)
    assert [len(twice.at(s).runs()) for s in (first, second)] == [8, 8]
    assert len(twice.runs(every_sitting=True)) == 16
    assert gather(twice).summaries[0].usual_s == pytest.approx(1.6, rel=0.01)
    then = gather(twice.at(first))
    assert then.summaries[0].usual_s == pytest.approx(2.0, rel=0.01)
    assert (then.sitting, then.set_aside) == (1, 0)
    with pytest.raises(OvrikError, match="Sitting 1 is over"):
        add_run(twice.at(first), 1, 9, 1.0)


def test_a_new_sitting_begins_at_round_one_in_another_order(study: Study) -> None:
    orders = []
    for _sitting in range(3):
        orders.append([t.contender_id for t in remaining(study, [1, 2], 8) if not t.warmup])
        add_run(study, 3, 1, 1.0)
        study.begin_sitting()
    assert len({tuple(o) for o in orders}) == 3
    assert all(sorted(o) == sorted(orders[0]) for o in orders)


def test_the_change_is_the_quotient_of_both_usual_times(twice: Study) -> None:
    over = gather_sittings(twice)
    one, other = over.pair(1, 2).changed[:2]
    assert one.change is not None
    assert other.change is not None
    assert one.change.ratio.value == pytest.approx((one.then.usual_s or 0) / (one.now.usual_s or 1))
    assert (one.change.answer, other.change.answer) == ("faster", "tie")
    assert one.new_build
    assert one.build_words == "9.0.2 → 10.1"
    assert over.pair(1, 2).new_builds == ["9.0.2 → 10.1"]
    assert (one.worse, other.worse) == ((), ())
    back = over.pair(2, 1).changed[0]
    assert [worse_words(w) for w in back.worse] == ["slower"]
    assert pair_words(over.pair(1, 2)).startswith("The new build is ×1.25 as fast with x264")
    with pytest.raises(OvrikError, match="no sitting 7"):
        over.pair(1, 7)


def test_what_repeats_show_is_taken_once_for_all_contenders(study: Study) -> None:
    study.set_conduct(quiet(study.facts().conduct))
    for sitting in range(3):
        shift = (0.0, 0.08, -0.04)[sitting]
        by = float(np.exp(shift))
        timed(study, {1: [2 * by, 2.01 * by, 1.99 * by], 2: [by, 1.004 * by, 0.996 * by]})
        study.begin_sitting()
    found = gather_sittings(study)
    assert found.shift.freedom == 2
    assert found.shift.spread == pytest.approx(((3 * 0.03**2 + 2 * 0.00373) / 5) ** 0.5, rel=0.02)
    timed(study, {1: [2.0, 2.0]}, "10.1")
    again = gather_sittings(study)
    assert again.shift.freedom == 2


def test_a_new_fault_and_a_mended_one_are_said(twice: Study) -> None:
    over = gather_sittings(twice)
    pair = over.pair(1, 2)
    now = pair.now.evidence
    lacks = Reason(Against.CHECKS, "it lacks 2 frames")
    first = now.summaries[0]
    place = replace(first.place, by=replace(first.place.by, reasons=(lacks,)))
    broken = replace(first, entrant=replace(first.entrant, faults=(lacks,)), place=place)
    evidence = replace(now, summaries=(broken, *now.summaries[1:]))
    worse = replace(pair, now=replace(pair.now, evidence=evidence))
    assert worse.changed[0].worse == (Worse(Got.WRONG, reason=lacks),)
    assert "is now wrong (it lacks 2 frames)" in pair_words(worse)
    mended = replace(pair, then=replace(pair.then, evidence=evidence))
    assert "right again" in pair_words(mended)
    assert mended.changed[0].worse == ()


def test_builds_stand_in_for_a_sitting_only(study: Study) -> None:
    timed(study, {1: [1.0], 2: [1.0]})
    assert in_place(study, ["system"]) == {"bundled": "system"}
    for wrong in ("nowhere=system", "bundled=not-there", "standin-anvil", "bundled"):
        with pytest.raises(OvrikError):
            in_place(study, [wrong])
    begin(study, {"bundled": "system"})
    assert {c.build for c in study.contenders()} == {"system"}
    assert {c.build for c in study.at(study.sittings()[0]).contenders()} == {"bundled"}
    assert {c.build for c in study.contenders(as_asked=True)} == {"bundled"}
    with pytest.raises(OvrikError, match="take a place"):
        study.begin_sitting("", {"bundled": "system", "system": "bundled"})


def test_old_and_new_together_are_contenders_of_one_sitting(study: Study) -> None:
    timed(study, {1: [1.0], 2: [1.0]})
    begin(study, {"bundled": "system"}, together=True)
    builds = [c.build for c in study.contenders()]
    assert builds.count("system") == builds.count("bundled") == 3
    assert len({c.label for c in study.contenders()}) == 6
    begin(study, {"bundled": "system"}, together=True)
    assert len(study.contenders()) == 6


def test_nothing_timed_is_nothing_to_repeat(study: Study) -> None:
    with pytest.raises(OvrikError, match="Nothing has been timed"):
        begin(study, {})


def test_a_sitting_that_was_cut_off_is_taken_up(study: Study) -> None:
    timed(study, {1: [1.0, 1.0, 1.0], 2: [1.0, 1.0, 1.0]})
    second = begin(study, {})
    assert second.id == 2
    timed(study, {1: [1.0, 1.0]})
    assert unfinished(study)
    assert begin(study, {}).id == 2
    assert begin(study, {"bundled": "system"}).id == 3


def test_outputs_of_an_earlier_sitting_are_known_as_overwritten(study: Study) -> None:
    from ovrik.work.evidence.outputs_on_disk import latest_output

    time_all(study, remaining(study, [1], 1))
    first = study.sittings()[0]
    assert latest_output(study, 1) is not None
    study.begin_sitting()
    assert latest_output(study, 1) is None
    assert latest_output(study.at(first), 1) is not None
    time_all(study, remaining(study, [1], 1))
    assert latest_output(study.at(first), 1) is None
    assert latest_output(study, 1) is not None


def test_a_rescued_study_keeps_its_sittings(twice: Study, tmp_path: Path) -> None:
    path = twice.path
    with twice._change() as db:
        db.execute("DELETE FROM sitting WHERE id = 2")
    twice.close()
    rescue(path, tmp_path / "new.ovrik")
    with closing(Study.open(tmp_path / "new.ovrik")) as study:
        assert [s.id for s in study.sittings()] == [1, 2]
        assert len(study.runs()) == 8


def test_again_and_history_by_command(clip: Path, tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    shutil.copy(clip, tmp_path / "clip.mkv")
    plan, path = tmp_path / "p.toml", tmp_path / "it's a study.ovrik"
    plan.write_text(
        '[study]\ntitle = "Twice"\nfootage = "clip.mkv"\nrounds = 2\nwarmup = 0\n'
        "[timing]\nrest = false\nrepeat_disturbed = false\n"
        '[[contender]]\nencoder = "libx264"\npreset = "ultrafast"\n'
    )
    assert main(["again", str(path)]) == 2
    assert main(["run", str(plan), "-o", str(path)]) == 0
    capsys.readouterr()
    code = main(["again", str(path), "--build", "system", "--json"])
    found = json.loads(capsys.readouterr().out)
    [one] = found["contenders"]
    assert one["new_build"]
    assert code == (1 if one["worse"] else 0)
    assert one["ratio"]["value"] == pytest.approx(one["then_s"] / one["now_s"])
    assert main(["history", str(path), "--json"]) == 0
    told = json.loads(capsys.readouterr().out)
    assert [s["id"] for s in told["sittings"]] == [1, 2]
    assert told["sittings"][1]["builds"] == {"bundled": "system"}
    assert main(["history", str(path), "--then", "2", "--now", "1"]) == 0
    assert "Sitting 1" in capsys.readouterr().out
    assert main(["again", str(path), "--together"]) == 2
    assert main(["verdict", str(path), "--json"]) in (0, 1)


@pytest.mark.parametrize(("factor", "code"), [(1.0, 0), (0.5, 0), (2.0, 1)])
def test_what_became_worse_ends_in_failure(
    study: Study, monkeypatch: pytest.MonkeyPatch, factor: float, code: int
) -> None:
    """A script that goes through a study again after an update hears of it by the exit code."""
    seconds = {1: [2.0, 2.01, 1.99, 2.0], 2: [1.0, 1.005, 0.995, 1.0]}
    timed(study, seconds)
    path = study.path
    study.close()

    def again(opened: Study, *_given: object) -> bool:
        timed(opened, {number: [factor * s for s in found] for number, found in seconds.items()}, "10.1")
        return True

    monkeypatch.setattr(question, "time_and_score", again)
    said = ovrik("again", path, "--json")
    assert said.returncode == code
    assert bool(json.loads(said.stdout)["contenders"][0]["worse"]) == bool(code)


def test_short_versions() -> None:
    assert short_version("n9.0.2-17-g2a571b6068") == "9.0.2"
    assert short_version("git") == "git"


def test_a_sitting_in_which_nothing_was_timed_is_taken_up(study: Study) -> None:
    before = study.begin_sitting("before", {"bundled": "system"})
    assert (before.id, study.sitting.name, dict(study.sitting.builds)) == (1, "before", {"bundled": "system"})
    add_run(study, 1, 1, 1.0)
    study.begin_sitting("never timed", {"bundled": "system"})
    after = study.begin_sitting("after")
    assert [(s.id, s.name, dict(s.builds)) for s in study.sittings()] == [
        (1, "before", {"bundled": "system"}),
        (2, "after", {}),
    ]
    assert study.runs() == []
    assert after == study.sitting


def test_what_changed_is_said_in_plain_english(twice: Study) -> None:
    pair = gather_sittings(twice).pair(1, 2)
    assert pair_words(pair) == (
        "The new build is ×1.25 as fast with x264 veryfast CRF 24 (20 % less time), and the same with x264 ultrafast "
        "CRF 30."
    )


def test_quality_and_size_that_changed_are_said(study: Study) -> None:
    for name, vmaf, size in (("one", 88.0, 1_000_000), ("two", 94.0, 1_100_000)):
        if name == "two":
            study.begin_sitting(name)
        scored(study, 1, [vmaf] * 30)
        with study._change() as db:
            db.execute("UPDATE run SET output_bytes = ? WHERE sitting_id = ?", (size, study.sitting_id))
            db.execute("UPDATE run SET output_sha256 = ? WHERE sitting_id = ?", (name, study.sitting_id))
            db.execute("UPDATE score SET output_sha256 = ? WHERE output_sha256 = 'ff'", (name,))
    said = pair_words(gather_sittings(study).pair(1, 2))
    assert "Mean VMAF is higher by 6.0 with x264 veryfast CRF 24." in said
    assert "Files are larger by 10.0 % with x264 veryfast CRF 24." in said


@pytest.mark.parametrize(("treated_by", "held"), [("", ["larger"]), ("another build's frames", [])])
def test_a_size_is_held_against_the_same_picture_alone(
    study: Study, treated_by: str, held: list[str]
) -> None:
    """What a build draws otherwise takes other room: that is said, and no fault of its encoder."""
    for name, size in (("one", 1_000_000), ("two", 2_000_000)):
        if name == "two":
            study.begin_sitting(name)
        scored(study, 1, [94.0] * 30, treated_by=treated_by if name == "two" else "")
        with study._change() as db:
            db.execute("UPDATE run SET output_bytes = ? WHERE sitting_id = ?", (size, study.sitting_id))
            db.execute("UPDATE run SET output_sha256 = ? WHERE sitting_id = ?", (name, study.sitting_id))
            db.execute("UPDATE score SET output_sha256 = ? WHERE output_sha256 = 'ff'", (name,))
    [changed] = gather_sittings(study).pair(1, 2).changed
    assert changed.size == 2.0
    assert bool(changed.treated) == bool(treated_by)
    assert [w.got for w in changed.worse] == held


def test_a_lower_quality_is_worse(study: Study) -> None:
    for name, vmaf in (("one", 94.0), ("two", 93.0), ("three", 92.7)):
        if name != "one":
            study.begin_sitting(name)
        scored(study, 1, [vmaf] * 30)
        with study._change() as db:
            db.execute("UPDATE run SET output_sha256 = ? WHERE sitting_id = ?", (name, study.sitting_id))
            db.execute("UPDATE score SET output_sha256 = ? WHERE output_sha256 = 'ff'", (name,))
    over = gather_sittings(study)
    assert [worse_words(w) for w in over.pair(1, 2).changed[0].worse] == ["VMAF lower by 1.0"]
    assert over.pair(2, 3).changed[0].worse == ()
    assert over.pair(2, 1).changed[0].worse == ()


@pytest.mark.parametrize(("machines", "freedom"), [("PPP", 2), ("PPQ", 1), ("PQR", 0)])
def test_only_sittings_on_one_machine_are_repetitions(study: Study, machines: str, freedom: int) -> None:
    for number, machine in enumerate(machines):
        if number:
            study.begin_sitting()
        for round_ in range(1, 4):
            add_run(study, 1, round_, 2.0 + 0.01 * round_, machine=machine)
    assert gather_sittings(study).shift.freedom == freedom


def test_who_joined_a_line_up_later_does_not_reopen_a_sitting(twice: Study) -> None:
    """A sitting is begun, not half joined; and one that has a name keeps it to itself."""
    twice.set_plan("S", 4, 0, 0.02)
    before = twice.sitting
    assert not unfinished(twice)
    first = twice.contenders()[0]
    twice.add_contender(replace(first, contender_id=0, recipe=replace(first.recipe, quality=33.0), label="x"))
    assert not unfinished(twice)
    assert begin(twice, dict(before.builds), "third").id == before.id + 1
    assert twice.sitting.name == "third"
    timed(twice, {1: [2.0], 2: [1.0]})
    assert unfinished(twice)
    assert begin(twice, dict(before.builds)).name == "third", "it is gone on with"
    assert begin(twice, dict(before.builds), "fourth").name == "fourth"
