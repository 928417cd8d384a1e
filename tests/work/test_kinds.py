"""Several kinds of footage in one study: timed in the same rounds, a verdict for each and one over all."""

import json
import math
import os
from contextlib import closing
from dataclasses import replace
from pathlib import Path

import pytest

from added_runs import add_run, scored
from by_command import ovrik
from calm import CALM
from moving_clip import write_moving
from ovrik.errors import OvrikError, Stopped
from ovrik.quality.decode.probe import probe
from ovrik.report.forms.as_text import kinds_text
from ovrik.report.words.progress import changes_words
from ovrik.report.words.reasons import reason_words
from ovrik.store.study import Study
from ovrik.study.contender.contender import Contender
from ovrik.study.encoder.recipe import recipe
from ovrik.study.programme.excerpt import Excerpt
from ovrik.study.programme.programme import of_clip
from ovrik.study.question.limits import limits
from ovrik.study.question.plan import load_plan
from ovrik.study.question.plan_text import plan_text
from ovrik.work.answers.over_kinds import gather_kinds
from ovrik.work.campaign.asking import may_win
from ovrik.work.campaign.rounds import time_line_up
from ovrik.work.checking.scoring import score_all
from ovrik.work.evidence.gathered import gather
from ovrik.work.evidence.outputs_on_disk import everywhere
from ovrik.work.lineup.from_plan import question_of, study_from_plan
from ovrik.work.timing.schedule import further, remaining
from ovrik.work.timing.series import time_all
from played import Played


@pytest.fixture(scope="module")
def sport(tmp_path_factory: pytest.TempPathFactory) -> Path:
    return write_moving(tmp_path_factory.mktemp("sport") / 'fast sport\'s "final".mkv', 1.2)


@pytest.fixture
def two(study: Study, sport: Path) -> Study:
    """The tiny clip, and another that moves all the time; two contenders."""
    study.drop_contender(3)
    study.keep_excerpt("interview", Excerpt(2, 20))
    study.add_kind("sport", of_clip(probe(sport)), Excerpt(5, 20))
    study.set_conduct(CALM)
    return study


def kinds_of(study: Study) -> dict[str, Study]:
    return {k.name: study.on(k) for k in study.kinds()}


def test_each_speaks_of_its_own_programme_and_excerpt(two: Study, sport: Path) -> None:
    own = two.programme()
    found = kinds_of(two)
    assert found["sport"].programme().clips[0].path == str(sport)
    assert found["sport"].facts().excerpt == Excerpt(5, 20)
    assert found["interview"].programme() == own
    assert two.programme() == own
    assert [e.name for e in two.excerpts()] == ["interview"]
    assert [e.name for e in found["sport"].excerpts()] == ["sport"]
    sport_kind = two.kinds()[1]
    two.choose(sport_kind)
    assert two.programme().checksum == sport_kind.programme
    two.drop_excerpt(sport_kind.id)
    with pytest.raises(OvrikError, match="no longer"):
        two.on(sport_kind)


def test_a_named_reference_is_the_present_footages(two: Study) -> None:
    two.set_conduct(replace(CALM, reference="/films/master.mov", reference_checksum="ff"))
    first, other = two.kinds()
    assert [two.on(k).facts().conduct.reference for k in (first, other)] == ["", ""], (
        "the whole clip is present"
    )
    two.choose(first)
    assert [two.on(k).facts().conduct.reference for k in (first, other)] == ["/films/master.mov", ""]


def test_outputs_of_every_kind_are_checked(two: Study) -> None:
    assert [v.programme().checksum for v in everywhere(two)] == [two.programme().checksum] * 2 + [
        two.kinds()[1].programme
    ], "the whole clip is present, and neither kind"
    views = [two.on(k) for k in two.kinds()]
    assert time_all(two, further(two, [1], 1, 2), kinds=views)
    path = two.path
    two.close()
    done = ovrik("check", path)
    assert done.returncode == 0, done.stderr
    assert "2 outputs checked" in done.stdout


def test_a_view_ends_with_its_study(two: Study) -> None:
    """Whoever still reads another kind of footage works for a window that is gone: that is no damage."""
    view = two.on(two.kinds()[1])
    two.close()
    assert view.closed
    with pytest.raises(Stopped):
        view.runs()


def test_one_line_up_is_timed_on_all_in_the_same_rounds(two: Study, played: Played) -> None:
    views = [two.on(k) for k in two.kinds()]
    todo = further(two, [1, 2], 2, len(views))
    assert len(todo) == 8
    for number in (1, 2):
        of_round = [t for t in todo if t.round == number]
        assert {(t.contender_id, t.kind) for t in of_round} == {(1, 0), (2, 0), (1, 1), (2, 1)}
    kinds = [t.kind for t in todo]
    assert kinds not in (sorted(kinds), sorted(kinds, reverse=True)), (
        "shuffled together, not one after another"
    )
    assert time_all(two, todo, kinds=views)
    assert remaining(two, [1, 2], 2, views) == []
    made = [(r.contender_id, r.programme, r.excerpt) for r in two.runs() if r.counts]
    order = [
        (t.contender_id, views[t.kind].programme().checksum, views[t.kind].facts().excerpt) for t in todo
    ]
    assert made == order
    outputs = {r.output for r in two.runs()}
    assert len(outputs) == 4, "no output takes the place of another's"
    for name, view in kinds_of(two).items():
        assert score_all(view) == 2, name
        evidence = gather(view)
        assert [s.rounds for s in evidence.summaries] == [2, 2]
        assert all(s.conforms and s.vmaf for s in evidence.summaries), name


def test_until_the_choice_over_all_is_decided(two: Study, played: Played) -> None:
    """A slow preset against a fast one: two rounds tell, and no more are made."""
    played.seconds = {"medium": 6.0}
    slow = two.add_contender(Contender("bundled", recipe("libx264", "medium", 20)))
    two.set_conduct(replace(CALM, until_decided=True, most_rounds=8))
    assert time_line_up(two, [1, 2, slow.contender_id], 1, every=True, more=True)
    found = gather_kinds(two)
    assert found is not None
    rounds = {s.contender.contender_id: s.rounds for s in found.each[0].summaries}
    assert rounds[slow.contender_id] < 8
    assert all(s.score for e in found.each for s in e.summaries)


def timed(study: Study, name: str, times: dict[int, list[float]]) -> None:
    for contender, walls in times.items():
        for number, wall in enumerate(walls, 1):
            add_run(kinds_of(study)[name], contender, number, wall)


def accepted(study: Study) -> None:
    """Checks on file for every output, so that time alone decides."""
    for view in kinds_of(study).values():
        for contender in (1, 2):
            scored(view, contender, [95.0] * 20)


def test_a_verdict_for_each_and_one_over_all(two: Study) -> None:
    accepted(two)
    timed(two, "interview", {1: [2.0, 2.01, 1.99], 2: [4.0, 4.02, 3.98]})
    timed(two, "sport", {1: [9.0, 9.05, 8.95], 2: [6.0, 6.03, 5.97]})
    found = gather_kinds(two)
    assert found is not None
    labels = [c.label for c in two.contenders()]
    assert [e.label(e.verdict.choice) for e in found.each] == [labels[0], labels[1]]
    assert found.usual_s(0) == pytest.approx(math.sqrt(2.0 * 9.0), rel=1e-3)
    assert found.usual_s(1) == pytest.approx(math.sqrt(4.0 * 6.0), rel=1e-3)
    assert found.each[0].label(found.verdict.choice) == labels[0]
    said = changes_words(found)
    assert said == (
        f"{labels[0]} is fastest on interview, second on sport; {labels[1]} is fastest on sport, second on interview"
    )
    text = kinds_text(found)
    assert "Weights: interview 1, sport 1" in text
    assert said[1:] in text
    two.set_weight(two.kinds()[1].id, 4.0)
    heavier = gather_kinds(two)
    assert heavier is not None
    assert heavier.usual_s(0) == pytest.approx(2.0**0.2 * 9.0**0.8, rel=1e-3)
    assert heavier.each[0].label(heavier.verdict.choice) == labels[1]
    two.set_weight(two.kinds()[1].id, 0.0)
    alone = gather_kinds(two)
    assert alone is not None
    assert alone.usual_s(0) == pytest.approx(2.0, rel=1e-3)
    for kind in two.kinds():
        two.set_weight(kind.id, 0.0)
    assert gather_kinds(two) is None
    with pytest.raises(OvrikError, match="weight"):
        two.set_weight(1, float("nan"))


def test_acceptable_over_all_is_what_is_so_on_each(two: Study) -> None:
    accepted(two)
    timed(two, "interview", {1: [2.0, 2.01], 2: [4.0, 4.02]})
    timed(two, "sport", {1: [3.0, 3.05], 2: [6.0, 6.03]})
    scored(kinds_of(two)["sport"], 1, [80.0] * 20)
    two.set_limits(limits(vmaf_mean=90))
    found = gather_kinds(two)
    assert found is not None
    labels = [c.label for c in two.contenders()]
    assert found.each[0].choice.contender.label == labels[0]
    assert [found.each[0].label(i) for i in found.verdict.ids] == [labels[1]]
    assert reason_words(found.verdict.faster[0].reason) == "on sport: mean VMAF 80.0 is under the floor of 90"
    assert "not acceptable on sport" in changes_words(found)
    assert may_win(found, [1, 2]) == set(), "nobody but the choice"


@pytest.fixture(scope="module")
def run_from_a_plan(tmp_path_factory: pytest.TempPathFactory, clip: Path, sport: Path) -> tuple[Path, str]:
    folder = tmp_path_factory.mktemp("plan")
    (folder / "calm.mkv").write_bytes(clip.read_bytes())
    (folder / "fast one.mkv").write_bytes(sport.read_bytes())
    (folder / "plan.toml").write_text(
        """
[study]
title = "Two kinds"
footage = "calm.mkv"
rounds = 2
warmup = 0

[timing]
rest = false
repeat_disturbed = false

[worth]
line_mbit_s = 12

[[excerpt]]
name = "interview"
start_frame = 2
frames = 20

[[excerpt]]
name = "sport"
footage = "fast one.mkv"
start_frame = 3
frames = 20
weight = 3

[[contender]]
encoder = "libx264"
preset = "veryfast"
quality = 20

[[contender]]
encoder = "libx264"
preset = "ultrafast"
quality = 20
"""
    )
    done = ovrik("run", "plan.toml", "-o", "s.ovrik", folder=folder)
    assert done.returncode == 0, done.stderr + done.stdout
    return folder, done.stdout


def test_a_plan_with_other_footage(run_from_a_plan: tuple[Path, str]) -> None:
    folder, said = run_from_a_plan
    assert "== interview" in said
    assert "== sport" in said
    assert "Weights: interview 1, sport 3" in said
    with closing(Study.open(folder / "s.ovrik")) as study:
        assert [(k.name, k.excerpt, k.weight) for k in study.kinds()] == [
            ("interview", Excerpt(2, 20), 1.0),
            ("sport", Excerpt(3, 20), 3.0),
        ]
        assert len([r for r in study.runs() if r.counts]) == 8
        assert study.facts().worth.line_mbit_s == 12
        question = question_of(study)
    again = folder / "again.toml"
    again.write_text(plan_text(question))
    read = load_plan(again)
    assert [(s.name, s.weight, s.source and s.source.clips) for s in read.excerpts] == [
        ("interview", 1.0, None),
        ("sport", 3.0, (folder / "fast one.mkv",)),
    ]
    assert read.worth == question.worth
    out = ovrik("verdict", folder / "s.ovrik", "--json")
    found = json.loads(out.stdout)["over_all"]
    assert [k["name"] for k in found["kinds"]] == ["interview", "sport"]
    each = [{c["contender_id"]: c["usual_s"] for c in k["contenders"]} for k in found["kinds"]]
    for c in found["contenders"]:
        mean = each[0][c["contender_id"]] ** 0.25 * each[1][c["contender_id"]] ** 0.75
        assert c["usual_s"] == pytest.approx(mean)
    one = ovrik("verdict", folder / "s.ovrik", "--excerpt", "sport")
    assert "excerpt “sport”" in one.stdout


def test_other_footage_has_a_frame_of_its_own(clip: Path, sport: Path, tmp_path: Path) -> None:
    plan = tmp_path / "plan.toml"
    plan.write_text(
        f"""
[study]
title = "Two sizes"
footage = {json.dumps(str(clip))}

[[excerpt]]
name = "interview"

[[excerpt]]
name = "sport"
footage = {json.dumps(str(sport))}
size = "160x120"
fit = "fill"

[[contender]]
encoder = "libx264"
"""
    )
    with closing(study_from_plan(load_plan(plan), tmp_path / "s.ovrik")) as study:
        other = study.on(next(k for k in study.kinds() if k.name == "sport")).programme()
        assert (other.width, other.height, other.fit) == (160, 120, "fill")
        assert study.programme().width == 320
        again = tmp_path / "again.toml"
        again.write_text(plan_text(question_of(study)))
    [said] = [s.source for s in load_plan(again).excerpts if s.source]
    assert (said.size, said.fit) == ((160, 120), "fill")


def test_what_a_plan_can_not_say(run_from_a_plan: tuple[Path, str], tmp_path: Path) -> None:
    text = (run_from_a_plan[0] / "plan.toml").read_text()
    for old, new, words in (
        ('name = "sport"\n', "", "needs a name"),
        ('footage = "fast one.mkv"', 'footage = "a.mkv"\nclips = ["b.mkv"]', "contradict"),
        ("weight = 3", "weight = -1", "weight"),
        ("weight = 3", 'size = "12by12"', "excerpt sport, key size"),
        ('name = "interview"', 'name = "interview"\nsize = "160x90"', "size goes with footage"),
        ("weight = 3", 'fit = "somehow"', "fit is one of"),
    ):
        path = tmp_path / "wrong.toml"
        path.write_text(text.replace(old, new))
        with pytest.raises(OvrikError, match=words):
            load_plan(path)
    assert os.path.exists(run_from_a_plan[0])
