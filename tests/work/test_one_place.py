"""What has one place: rounds by their origin, looks, the decider, freshness, excerpts, time left."""

import json
from collections.abc import Iterator
from dataclasses import replace
from pathlib import Path

import pytest

from added_runs import add_run, scored
from calm import CALM
from moving_clip import write_moving
from ovrik.analysis.choice.verdict import Answer
from ovrik.export.run.order import PlannedRun
from ovrik.outside.watch import OutsideTime
from ovrik.quality.decode.probe import probe
from ovrik.report.forms.as_html import report_html
from ovrik.report.forms.as_text import verdict_text
from ovrik.report.values.everything import evidence_json
from ovrik.report.words.choice import choice_of
from ovrik.report.words.factors import effect_words
from ovrik.report.words.verdict import sentence_of
from ovrik.store.records.decision import KEPT, Decision
from ovrik.store.records.looks import Looks
from ovrik.store.records.made import PartRecord
from ovrik.store.study import Study
from ovrik.study.facts.origin import Origin
from ovrik.study.facts.part import ALL
from ovrik.study.programme.excerpt import Excerpt, whole
from ovrik.study.programme.programme import of_clip
from ovrik.study.question.conduct import Conduct
from ovrik.study.question.limits import limits
from ovrik.work.answers.factors import factors
from ovrik.work.answers.over_kinds import gather_kinds
from ovrik.work.answers.what_if import known, what_if
from ovrik.work.campaign import rounds as campaign
from ovrik.work.campaign.asking import ChoiceOverAll
from ovrik.work.evidence.counted_times import next_round
from ovrik.work.evidence.gathered import gather
from ovrik.work.outside.by_hand import enter_time
from ovrik.work.outside.exports import keep_outside, outside_contender
from ovrik.work.outside.old_results import OldTime, bring_in
from ovrik.work.timing import series as timing
from ovrik.work.timing.schedule import further, remaining
from ovrik.work.timing.series import time_all

pytestmark = pytest.mark.usefixtures("played")


def watched(study: Study, tmp_path: Path) -> int:
    """One watched export of another program, in a file of its own; gives its contender's id."""
    made = study.add_contender(outside_contender("Bell Yard", "1.0", {}))
    path = tmp_path / "w.mp4"
    path.write_bytes(b"x" * 99)
    found = OutsideTime(path, 3.0, 0.05, 0.0, "load", 10.0, 13.0, 99, ("w.mp4",), 0, 0, "bellyard")
    keep_outside(study, made, found)
    return made.contender_id


def test_a_watched_export_and_a_stopwatch_time_leave_round_1_to_be_driven(
    study: Study, tmp_path: Path
) -> None:
    outside = watched(study, tmp_path)
    enter_time(study, study.contenders()[0], 25.0)
    assert [p.round for p in further(study, [1], 1)] == [1]
    assert {p.round for p in remaining(study, [1, 2], 2)} == {1, 2}
    add_run(study, 1, 1, 4.0)
    bring_in(study, [OldTime(2, study.contenders()[0].label, 24.0, 1.0, "24")], "old.csv")
    runs = study.runs()
    assert [(r.origin, r.round) for r in runs] == [
        (Origin.WATCHED, 1),
        (Origin.BY_HAND, 1),
        (Origin.DRIVEN, 1),
        (Origin.BROUGHT_IN, 2),
    ]
    assert [next_round(runs, o) for o in Origin] == [2, 3, 2, 3]
    assert gather(study).times.found.shared(*(gather(study).times.rows[i] for i in (1, outside))) == 0, (
        "round 1 of a watched export is not round 1 of the line-up"
    )


def test_what_was_looked_at_is_paid_for_whatever_is_switched(
    study: Study, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Until it is decided, then not; and rounds that are added by hand by somebody who saw the first ones."""

    def timed(of: Study, todo: list[PlannedRun], *_given: object, **_more: object) -> bool:
        for t in todo:
            add_run(of, t.contender_id, t.round, 2.0 + t.contender_id / 50 + t.round / 300)
        return True

    monkeypatch.setattr(campaign, "time_all", timed)
    monkeypatch.setattr(campaign, "score_all", lambda *_given: 0)

    def width() -> float:
        found = gather(study).of(2)
        assert found is not None
        assert found.ratio is not None
        return (found.ratio.high or 0.0) / (found.ratio.low or 1.0)

    study.set_conduct(replace(CALM, until_decided=True, most_rounds=4))
    campaign.time_line_up(study, [1, 2], 1)
    assert gather(study).looks == 4
    seen = width()
    study.set_conduct(CALM)
    assert (gather(study).looks, width()) == (4, pytest.approx(seen))
    again = Study.open(study.path)
    assert gather(again).looks == 4
    again.close()
    study.set_conduct(replace(CALM, until_decided=True, most_rounds=2))
    assert gather(study).looks == 4, "a lower limit takes back no look"
    study.begin_sitting()
    study.set_conduct(CALM)
    assert gather(study).looks == 0
    campaign.time_line_up(study, [1, 2], 2)
    assert gather(study).looks == 0, "rounds that were asked for before the first one are one look"
    for count in (2, 3):
        campaign.time_line_up(study, [1, 2], 1, more=True)
        assert gather(study).looks == count
    campaign.time_line_up(study, [1, 2], 9)
    assert gather(study).looks == 4


def test_looks_are_never_lowered(study: Study) -> None:
    place = study.programme(), study.facts().excerpt
    study.keep_looks(Looks(5, 1, 3), *place)
    study.keep_looks(Looks(2, 4, 1), *place)
    assert study.looks(place[0].checksum, place[1]) == Looks(5, 4, 3)
    assert Looks().count == 0
    assert Looks(taken=1).count == 2


def test_one_order_and_one_decider(study: Study) -> None:
    """The choice is the same wherever it is asked for, also of equal times and an unknown size."""
    for contender in (1, 2, 3):
        scored(study, contender, [95.0] * 30)
    e = gather(study)
    now = next(x for x in known(e) if x.contender_id == e.verdict.choice)
    assert what_if(e).changes
    assert e.choice is not None
    assert e.choice.standing == Answer.CHOICE
    assert choice_of(e).title == e.choice.contender.label == e.label(now.contender_id)
    assert evidence_json(e, None)["verdict"]["labels"][0] == e.choice.contender.label
    assert e.choice.contender.label in sentence_of(e)


@pytest.fixture
def on_two(study: Study, tmp_path: Path) -> Iterator[Study]:
    """Two kinds of footage on which the presets tell opposite stories."""
    other = of_clip(probe(write_moving(tmp_path / "sport.mkv", 20)))
    study.keep_excerpt("interview", Excerpt(0, 20))
    study.add_kind("sport", other, whole(other))
    study.set_excerpt(Excerpt(0, 20))
    return study


def test_text_report_and_window_say_the_same_of_a_factor(on_two: Study) -> None:
    """The text asked the present footage alone, the report all of it."""
    for kind, times in zip(on_two.kinds(), ((4.0, 3.99), (8.0, 4.0)), strict=True):
        for number in (1, 2, 3):
            for contender, seconds in zip((1, 2), times, strict=True):
                add_run(on_two.on(kind), contender, number, seconds * (1 + number / 500))
    e, over = gather(on_two), gather_kinds(on_two)
    assert over is not None
    assert over.begun
    found = factors(e, over)
    said = [effect_words(found, f, x) for f in found.effects for x in f.levels]
    assert said
    text, page, plain = verdict_text(e, over), report_html(e, over), evidence_json(e, over)
    for words in said:
        assert words in text
        assert words.replace("'", "&#39;") in page
    assert [x["words"] for f in plain["by_factor"] for x in f["levels"]] == said


def test_with_nothing_acceptable_no_more_rounds_are_made(
    on_two: Study, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Over all footage the baseline alone was timed until the last round."""
    rounds: list[set[int]] = []

    def timed(of: Study, todo: list[PlannedRun], *_given: object, **_more: object) -> bool:
        rounds.append({t.contender_id for t in todo})
        views = ChoiceOverAll(of).views
        for t in todo:
            scored(views[t.kind], t.contender_id, [50.0] * 20)
        return True

    monkeypatch.setattr(campaign, "time_all", timed)
    monkeypatch.setattr(campaign, "score_all", lambda *_given: 0)
    on_two.set_limits(limits(vmaf_mean=93))
    on_two.set_conduct(replace(CALM, until_decided=True, most_rounds=6))
    campaign.time_line_up(on_two, [1, 2], 1, every=True)
    assert len(rounds) == 1


def test_whatever_is_shown_is_fresh(study: Study) -> None:
    """A decision, a cost that is paid once, a name of an excerpt, the order of runs: each makes other evidence."""
    for number in (1, 2):
        add_run(study, 1, number, 4.0)
    place = study.programme(), study.facts().excerpt
    stamps = [gather(study).stamp]

    def changed() -> None:
        stamps.append(gather(study).stamp)
        assert stamps[-1] != stamps[-2]

    study.keep_decisions([Decision(1, 1, KEPT, asked=True)], *place)
    changed()
    study.keep_excerpt("calm", Excerpt(0, 10))
    changed()
    study.keep_part(PartRecord(1, Excerpt(0, 15), ALL, ("x",), 2.0, None, 1.0, {}), place[0])
    changed()
    study.set_weight(study.kinds()[0].id, 3.0)
    changed()
    assert gather(study).stamp == gather(study).stamp


def test_an_excerpt_belongs_to_its_programme(study: Study, tmp_path: Path) -> None:
    own, excerpt = study.programme(), Excerpt(3, 9)
    kept = study.keep_excerpt("calm", excerpt)
    study.set_weight(kept, 4.0)
    other = of_clip(probe(write_moving(tmp_path / "other.mkv", 20)))
    study.add_kind("calm", other, Excerpt(0, 8))
    found = study.kinds()
    assert [(k.programme, k.excerpt, k.weight) for k in found] == [
        (own.checksum, excerpt, 4.0),
        (other.checksum, Excerpt(0, 8), 1.0),
    ]
    assert len({k.name for k in found}) == 2, "two of one name are told apart"
    assert study.keep_excerpt("calm", Excerpt(4, 9)) == kept
    assert study.keep_excerpt("steady", Excerpt(4, 9)) == kept
    assert [(e.name, e.excerpt) for e in study.excerpts()] == [("steady", Excerpt(4, 9))]
    assert study.kinds()[0].weight == 4.0, "brought up to date in its place"


def test_time_left_counts_nobody_who_is_barred(study: Study) -> None:
    """The third contender's container can't hold its codec."""
    for number in (1, 2):
        for contender, seconds in ((1, 1.0), (2, 1.0), (3, 500.0)):
            add_run(study, contender, number, seconds)
    left: list[float] = []
    todo = [PlannedRun(c, 3, False) for c in (1, 3, 2, 3, 3)]

    def watch(update: timing.TimingUpdate) -> None:
        if update.left:
            left.append(update.left.seconds)

    time_all(study, todo, watch)
    assert left
    assert max(left) < 100


def test_a_change_of_wording_changes_no_data(study: Study) -> None:
    """What is on file of a run is fields, whatever is said of them."""
    add_run(study, 1, 1, 4.0)
    row = study._one("SELECT disturbed, fell_back, conditions FROM run")
    assert row is not None
    assert (json.loads(row["disturbed"]), row["fell_back"]) == ([], None)
    columns = {r["name"] for r in study._all("PRAGMA table_info(decision)")}
    assert "reason" not in columns
    assert Conduct().looks == 0
