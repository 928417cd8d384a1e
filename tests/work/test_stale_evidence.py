"""Evidence that can't go stale or be poisoned: passing trouble, replaced footage, two kinds of time, moved names."""

import json
import math
import re
import sqlite3
import statistics
import time
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest

from added_runs import add_run
from calm import CALM
from numbered import write_numbered
from ovrik.cli import main
from ovrik.errors import OvrikError, PassingTrouble
from ovrik.export.run.order import planned_runs
from ovrik.export.run.process import Usage
from ovrik.export.run.timed import RunResult
from ovrik.export.run.trace import Trace
from ovrik.machine.builds.build import Build, find_build
from ovrik.quality.decode.probe import probe
from ovrik.quality.reference.key import reference_path
from ovrik.quality.reference.made import make_reference
from ovrik.report.words.reasons import device_words, fell_back_words, reason_words
from ovrik.store.records.made import PartRecord, Preparation, PreparationKind
from ovrik.store.records.run import RunRecord, RunState
from ovrik.store.study import Study
from ovrik.study.clip.footage import Footage
from ovrik.study.contender.contender import Contender, labelled
from ovrik.study.encoder.intermediate import intermediate
from ovrik.study.encoder.recipe import recipe
from ovrik.study.facts.passes import PassTimes
from ovrik.study.programme.excerpt import Excerpt, whole
from ovrik.study.programme.programme import of_clip
from ovrik.study.programme.treatment import treatment
from ovrik.study.programme.unchanged import changed_footage
from ovrik.study.question.conduct import COLD, Conduct
from ovrik.study.question.plan import load_plan
from ovrik.work.campaign.rounds import time_line_up
from ovrik.work.checking.scoring import score_all
from ovrik.work.evidence.gathered import gather
from ovrik.work.lineup.from_plan import save_plan, study_from_plan
from ovrik.work.outside.by_hand import enter_time, parse_time
from ovrik.work.prepare.asked_devices import fell_back, untold
from ovrik.work.prepare.export_plan import Plan
from ovrik.work.prepare.preparing import plan_for
from ovrik.work.timing.fairness import State, sources
from ovrik.work.timing.schedule import further, remaining
from ovrik.work.timing.series import TimingUpdate, time_all

pytestmark = pytest.mark.usefixtures("played")

FORMATS = Path(__file__).parents[2] / "docs" / "formats.md"


def timed(study: Study, *ids: int) -> None:
    """One round of these contenders."""
    assert time_all(study, remaining(study, ids or [1], 1))


# Passing trouble


def test_an_output_that_is_away_is_scored_when_it_is_back(study: Study) -> None:
    timed(study, 1)
    output = next(study.outputs.glob("*.mov"))
    away = output.rename(output.with_suffix(".away"))
    with pytest.raises(PassingTrouble, match="can't be read"):
        score_all(study)
    assert gather(study).summaries[0].acceptable is None, "nothing is known of it"
    away.rename(output)
    assert score_all(study) == 1
    assert gather(study).summaries[0].acceptable is True


def test_an_output_that_was_changed_gets_no_score(study: Study) -> None:
    timed(study, 1)
    output = next(study.outputs.glob("*.mov"))
    kept = output.read_bytes()
    output.write_bytes(kept + b"x")
    with pytest.raises(PassingTrouble, match="has changed since its run"):
        score_all(study)
    output.write_bytes(kept)
    assert score_all(study) == 1


def test_a_full_temporary_folder_is_no_score(study: Study, monkeypatch: pytest.MonkeyPatch) -> None:
    timed(study, 1, 2)

    def full(*_a: object, **_k: object) -> None:
        raise OSError(28, "No space left on device")

    with monkeypatch.context() as now:
        now.setattr("ovrik.quality.scores.metrics.scratch_folder", full)
        with pytest.raises(PassingTrouble, match="No space left"):
            score_all(study)
    assert score_all(study) == 2
    assert [s.acceptable for s in gather(study).summaries[:2]] == [True, True]


# Footage that is replaced


def of_numbers(path: Path, first: int = 0) -> Footage:
    return probe(write_numbered(path, 40, first=first))


def replaced(path: Path) -> None:
    """Another clip of the same shape in the same place."""
    write_numbered(path.with_name("other.mkv"), 40, first=300)
    path.with_name("other.mkv").replace(path)


@pytest.fixture
def numbered_study(tmp_path: Path) -> Study:
    made = Study.create(
        tmp_path / "s.ovrik", "S", of_clip(of_numbers(tmp_path / "a.mkv")), Excerpt(0, 40), rounds=3, warmup=0
    )
    made.set_conduct(CALM)
    made.add_contenders(
        labelled(
            [
                Contender("bundled", recipe("libx264", preset, 20, sound="none"))
                for preset in ("ultrafast", "veryfast")
            ]
        )
    )
    return made


def test_footage_replaced_between_two_runs_is_seen(numbered_study: Study, tmp_path: Path) -> None:
    def watch(update: TimingUpdate) -> None:
        if update.ended == "done" and update.number == 2:
            replaced(tmp_path / "a.mkv")

    with pytest.raises(OvrikError, match="has changed since"):
        time_all(numbered_study, remaining(numbered_study, [1, 2], 3), watch)
    assert [r.state for r in numbered_study.runs()] == ["done", "done"], "no run of the other clip"


def test_footage_replaced_during_a_run_fails_it(numbered_study: Study, tmp_path: Path) -> None:
    def watch(update: TimingUpdate) -> None:
        if not update.preparing and not update.ended:
            replaced(tmp_path / "a.mkv")

    assert not time_all(numbered_study, remaining(numbered_study, [1], 2), watch)
    found = numbered_study.runs()
    assert [r.state for r in found] == ["failed"]
    assert "while it was exported" in found[0].reason


def test_a_reference_of_the_wrong_clip_does_not_stay(tmp_path: Path) -> None:
    clip = of_numbers(tmp_path / "b.mkv")
    programme = of_clip(clip)
    reached: list[float] = []

    def on_share(share: float) -> None:
        if share >= 0.3 and not reached:
            reached.append(share)
            replaced(tmp_path / "b.mkv")

    with pytest.raises(OvrikError, match="has changed since"):
        make_reference(programme, whole(programme), on_share=on_share)
    assert reached
    assert not reference_path(programme, whole(programme)).exists()


def test_scores_of_replaced_footage_are_not_kept(numbered_study: Study, tmp_path: Path) -> None:
    timed(numbered_study, 1)

    def watch(update: object) -> None:
        if "Scoring" in getattr(update, "what", ""):
            replaced(tmp_path / "a.mkv")

    with pytest.raises(OvrikError, match="has changed since"):
        score_all(numbered_study, watch)
    assert gather(numbered_study).summaries[0].score is None


def test_files_of_treatments_are_looked_at_too(tmp_path: Path) -> None:
    over = write_numbered(tmp_path / "over.mkv", 5)
    laid = treatment("picture", {"file": str(over)})
    treated = replace(of_clip(of_numbers(tmp_path / "c.mkv")), treatments=(laid,))
    assert changed_footage(treated) == ""
    write_numbered(over, 6)
    assert str(over) in changed_footage(treated)
    over.unlink()
    assert "is not there" in changed_footage(treated)


def test_cold_is_cold_for_all_that_is_read(tmp_path: Path, numbered_study: Study) -> None:
    over = write_numbered(tmp_path / "over.mkv", 5)
    programme = replace(numbered_study.programme(), treatments=(treatment("picture", {"file": str(over)}),))
    plan = plan_for(
        numbered_study, numbered_study.contenders()[0], find_build("bundled"), programme, Excerpt(0, 40)
    )
    assert sources(plan) == [tmp_path / "a.mkv", over]
    numbered_study.set_programme(programme, Excerpt(0, 40))
    numbered_study.set_conduct(replace(CALM, cache=COLD))
    timed(numbered_study, 1)
    assert numbered_study.runs()[0].conditions["files"] == 2


# Rounds that end


def test_until_decided_ends_when_a_preparation_fails(
    numbered_study: Study, monkeypatch: pytest.MonkeyPatch
) -> None:
    from_it = Contender(
        "bundled", recipe("libx264", "fast", 20, sound="none"), prerendered=intermediate("ffv1")
    )
    numbered_study.place([1, numbered_study.add_contender(from_it).contender_id])
    numbered_study.set_conduct(replace(CALM, until_decided=True, most_rounds=4))
    monkeypatch.setattr("ovrik.work.prepare.export_plan.Plan.prerender", lambda self, output: ["/bin/false"])
    assert not time_line_up(numbered_study, [1, 3], 1)
    summaries = {s.contender.contender_id: s for s in gather(numbered_study).summaries}
    assert summaries[1].rounds <= 2
    assert "the pre-render failed" in reason_words(summaries[3].reasons[0])


def test_until_decided_ends_when_a_contender_gets_no_run(numbered_study: Study) -> None:
    gone = numbered_study.add_contender(Contender("/nowhere/ffmpeg", recipe("libx264")))
    numbered_study.set_conduct(replace(CALM, until_decided=True, most_rounds=4))
    time_line_up(numbered_study, [1, gone.contender_id], 1)
    assert gather(numbered_study).summaries[0].rounds <= 2


def test_the_limit_of_minutes_holds_within_a_round(numbered_study: Study) -> None:
    todo = planned_runs([1, 2], [1, 2, 3], 0, 1)
    ended: list[float] = []

    def watch(update: TimingUpdate) -> None:
        if update.ended:
            ended.append(time.monotonic())

    assert time_all(numbered_study, todo, watch, until=time.monotonic() - 1)
    assert not ended, "no run is begun after the limit"

    def slow(update: TimingUpdate) -> None:
        if update.ended:
            time.sleep(0.2)

    assert time_all(numbered_study, todo, slow, until=time.monotonic() + 0.15)
    assert 0 < len(numbered_study.runs()) < 6, "a round was not finished for its own sake"


def test_the_band_of_rest_is_that_of_the_first_run(
    numbered_study: Study, monkeypatch: pytest.MonkeyPatch
) -> None:
    at_rest = [State(0.1, None, 40.0), State(0.9, None, 80.0)]
    used: list[State] = []
    monkeypatch.setattr("ovrik.work.timing.series.take_state", lambda *_a: at_rest.pop(0))
    monkeypatch.setattr("ovrik.work.timing.series.rest", lambda band, *_a: used.append(band) or {})
    numbered_study.set_conduct(Conduct(repeat_disturbed=False))
    timed(numbered_study, 1)
    assert time_all(numbered_study, further(numbered_study, [1], 2))
    assert [(b.busy, b.celsius) for b in used] == [(0.1, 40.0)] * 3
    assert numbered_study.runs()[-1].conditions["band"]["celsius"] == 40.0


# Contenders and names


@pytest.mark.parametrize("what", ["run", "preparation", "part"])
def test_a_contender_with_any_evidence_is_not_changed_in_place(numbered_study: Study, what: str) -> None:
    first = numbered_study.contenders()[0]
    programme = numbered_study.programme()
    if what == "run":
        add_run(numbered_study, first.contender_id, 1, 2.0)
    elif what == "preparation":
        made = Preparation(
            "trial-1",
            PreparationKind.TRIAL,
            first.contender_id,
            Excerpt(0, 25),
            ("x",),
            "done",
            "",
            1.0,
            0.1,
            9,
        )
        numbered_study.keep_preparation(made, programme, find_build("bundled").to_json(), {})
    else:
        part = PartRecord(first.contender_id, Excerpt(0, 25), "decode", ("x",), 1.0, None, 1.0, {})
        numbered_study.keep_part(part, programme)
    changed = numbered_study.change_contender(replace(first, recipe=replace(first.recipe, quality=31.0)))
    assert changed.contender_id != first.contender_id
    assert first.recipe in [c.recipe for c in numbered_study.contenders(with_dropped=True)]
    numbered_study.drop_contender(first.contender_id)
    assert first.contender_id in [c.contender_id for c in numbered_study.contenders(with_dropped=True)], (
        "evidence stays"
    )


def test_two_studies_of_one_name_can_not_overwrite_each_other(tmp_path: Path) -> None:
    shared = tmp_path / "outputs"
    shared.mkdir()
    written: list[set[str]] = []
    clip = of_numbers(tmp_path / "a.mkv")
    for folder in ("one", "two"):
        (tmp_path / folder).mkdir()
        made = Study.create(
            tmp_path / folder / "film.ovrik", "S", of_clip(clip), Excerpt(0, 40), rounds=1, warmup=0
        )
        made.set_conduct(replace(CALM, outputs=str(shared)))
        made.add_contender(Contender("bundled", recipe("libx264", "ultrafast", sound="none")))
        timed(made)
        written.append({str(p) for p in made.outputs.glob("*.mp4")})
        made.close()
    assert len(written[0]) == len(written[1]) == 1
    assert not written[0] & written[1]


def test_what_cut_off_runs_left_is_removed_if_wished(numbered_study: Study) -> None:
    numbered_study.outputs.mkdir()
    left = numbered_study.outputs / "partial 09-old.mp4"
    for requested in (False, True):
        left.write_bytes(b"half a film")
        numbered_study.set_conduct(replace(CALM, remove_left=requested, sync=requested))
        assert time_all(numbered_study, further(numbered_study, [1], 1))
        assert left.exists() is not requested
        said = numbered_study.runs()[-1].conditions
        assert (said["remove_left"], said["sync"]) == (requested, requested)


def test_a_saved_plan_keeps_its_programs(tmp_path: Path) -> None:
    of_numbers(tmp_path / "a.mkv")
    plan = tmp_path / "p.toml"
    plan.write_text(
        '[study]\ntitle = "T"\nfootage = "a.mkv"\n[[contender]]\nlabel = "theirs"\nbuild = "described-x"\n'
        'encoder = "described_h264"\n[[program]]\nkey = "x"\ntitle = "X"\nprogram = "x-enc"\ncodec = "h264"\n'
        'arguments = ["-i", "{input}", "a, \\"b\\"", "{output}"]\nsettings = { speed = 3 }\n'
    )
    study = study_from_plan(load_plan(plan), tmp_path / "s.ovrik")
    save_plan(study, tmp_path / "again.toml")
    assert load_plan(tmp_path / "again.toml").programs == load_plan(plan).programs
    study.close()


def plan_of(tmp_path: Path, excerpt: str) -> Path:
    path = tmp_path / "p.toml"
    path.write_text(
        f'[study]\ntitle = "T"\nfootage = "a.mkv"\n{excerpt}\nrounds = 1\nwarmup = 0\n'
        "[timing]\nrest = false\nrepeat_disturbed = false\n"
        '[[contender]]\nlabel = "a"\nencoder = "libx264"\npreset = "ultrafast"\nsound = "none"\n'
    )
    return path


def test_an_unnamed_excerpt_is_timed_beside_named_ones(tmp_path: Path) -> None:
    of_numbers(tmp_path / "a.mkv")
    study = tmp_path / "s.ovrik"
    assert (
        main(["run", str(plan_of(tmp_path, "excerpt = { start_frame = 0, frames = 10 }")), "-o", str(study)])
        == 0
    )
    opened = Study.open(study)
    opened.keep_excerpt("other", Excerpt(20, 10))
    opened.close()
    assert (
        main(["run", str(plan_of(tmp_path, "excerpt = { start_frame = 4, frames = 9 }")), "-o", str(study)])
        == 0
    )
    opened = Study.open(study)
    assert [r.excerpt for r in opened.runs()] == [Excerpt(0, 10), Excerpt(4, 9)]
    before = [opened.facts().excerpt, len(opened.runs())]
    opened.close()
    main(["verdict", str(study), "--excerpt", "other"])
    opened = Study.open(study)
    assert [opened.facts().excerpt, len(opened.runs())] == before, "asking changes nothing"
    assert gather(opened, excerpt=Excerpt(0, 10)).summaries[0].rounds == 1
    opened.close()


# Times by hand


@pytest.mark.parametrize(
    ("text", "seconds"),
    [("61", 61), ("1:01", 61), ("1:01,5", 61.5), ("1:02:03.25", 3723.25), ("0:09", 9), (" 75.5 ", 75.5)],
)
def test_a_stopwatch_is_read(text: str, seconds: float) -> None:
    assert parse_time(text) == seconds


@pytest.mark.parametrize("text", ["", "abc", "1:75", "-5", "1:2:99", "1::2", "inf", "nan", "1e3", "²"])
def test_what_no_stopwatch_shows_is_refused(text: str) -> None:
    with pytest.raises(OvrikError, match="is not a time"):
        parse_time(text)


def test_times_by_hand_are_never_pooled_with_measured_ones(numbered_study: Study) -> None:
    one, two = numbered_study.contenders()
    for n, seconds in enumerate((2.0, 2.02, 1.98), 1):
        add_run(numbered_study, one.contender_id, n, seconds)
    for seconds in (60, 61, 62):
        enter_time(numbered_study, one, seconds)
        enter_time(numbered_study, two, seconds / 2)
    first, second = gather(numbered_study).summaries
    assert first.median_s == 2.0
    assert first.spread is not None
    assert first.spread.share < 0.02
    assert (first.by_hand, second.by_hand) == (False, True)
    assert second.median_s == 30.5
    assert second.ratio is not None
    assert second.ratio.value == pytest.approx(2.0, rel=1e-3), "against the baseline's times by hand"
    third = numbered_study.add_contender(
        replace(two, contender_id=0, label="", recipe=recipe("libx264", "slow"))
    )
    for n, seconds in enumerate((4.0, 4.04, 3.96), 1):
        add_run(numbered_study, third.contender_id, n, seconds)
    _first, second, last = gather(numbered_study).summaries
    assert last.ratio is not None
    assert last.ratio.value == pytest.approx(0.5, rel=1e-3), "against the baseline's measured times"
    assert second.ratio is not None
    assert second.ratio.value == pytest.approx(2.0, rel=1e-3)


def test_rounds_by_hand_pair_within_their_excerpt(numbered_study: Study) -> None:
    one, two = numbered_study.contenders()
    numbered_study.set_excerpt(Excerpt(0, 20))
    for seconds in (10, 11, 12):
        enter_time(numbered_study, one, seconds)
    numbered_study.set_excerpt(Excerpt(0, 40))
    for seconds in (20, 22):
        enter_time(numbered_study, one, 2 * seconds)
        enter_time(numbered_study, two, seconds)
    second = gather(numbered_study).summaries[1]
    assert second.ratio is not None
    assert (second.ratio.pairs, second.ratio.value) == (2, pytest.approx(2.0, rel=1e-3))


def test_a_study_can_be_by_hand_alone(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    of_numbers(tmp_path / "a.mkv")
    path = tmp_path / "s.ovrik"
    study = study_from_plan(load_plan(plan_of(tmp_path, "")), path)
    other = study.add_contender(Contender("bundled", recipe("libx264", "slow"), "b", True))
    study.close()
    for label, seconds in (
        ("a", "1:01"),
        ("b", "2:03"),
        ("a", "1:02"),
        ("b", "2:02"),
        ("a", "61"),
        ("b", "122"),
    ):
        assert main(["enter", str(path), label, seconds]) == 0
    assert main(["verdict", str(path), "--json"]) in (0, 1)
    said = json.loads(capsys.readouterr().out.split("\n", 6)[-1])
    assert [c["median_s"] for c in said["contenders"]] == [61, 122]
    assert said["contenders"][1]["answer"] == "slower"
    assert other.contender_id == 2


# The published SQL


def test_the_published_sql_gives_the_same_figures(numbered_study: Study) -> None:
    one, two = numbered_study.contenders()
    for n, (a, b) in enumerate(((2.0, 1.0), (2.2, 1.1), (2.1, 1.3)), 1):
        add_run(numbered_study, one.contender_id, n, a)
        add_run(numbered_study, two.contender_id, n, b)
    add_run(
        numbered_study, two.contender_id, 3, 1.05
    )  # disturbed, and made again: the later run stands for the round
    add_run(numbered_study, one.contender_id, 2, 2.4)
    enter_time(numbered_study, one, 60)
    enter_time(numbered_study, two, 25)
    base, other = gather(numbered_study).summaries
    assert other.ratio is not None
    db = sqlite3.connect(numbered_study.path)
    for name, math_of in (("ln", math.log), ("exp", math.exp), ("sqrt", math.sqrt)):
        db.create_function(name, 1, math_of)
    text = FORMATS.read_text()
    block = text[text.index("```sql") + 6 :]
    asked = [s.strip() for s in re.sub(r"--.*", "", block[: block.index("```")]).split(";") if s.strip()]
    answers = {}
    for sql in asked:
        rows = db.execute(sql)
        if rows.description:
            answers[rows.description[-1][0]] = {r[0]: r for r in rows}
    assert answers["ratio"][two.label][1:] == (3, pytest.approx(other.ratio.value))
    assert other.spread is not None
    assert answers["spread"][two.label][2] == pytest.approx(other.spread.share)
    assert base.median_s == statistics.median([2.0, 2.4, 2.1])
    db.close()


# Devices


def fell(build: str, device: str, columns: dict[str, list[float]], decode: str = "software") -> str:
    """What is said of a run that asked for a device while these sensors were read."""
    c = Contender(build, recipe(device), decode=decode)
    made = Build(build, "/x", "1", "0", (), ())
    plan = Plan(c, made, None, Excerpt(0, 9), Path())  # type: ignore[arg-type]
    usage = Usage(3.0, 1, 1, 1, 1, 1, 0, (), False, False, 0.0)
    trace = Trace({k: np.array(v) for k, v in columns.items()})
    return fell_back_words(
        fell_back(plan, RunResult("done", "", usage, frames=9, output_bytes=9, trace=trace))
    )


ONE, TWO = "encoder load of device 1 [%]", "encoder load of device 2 [%]"
IDLE, BUSY = [0.0, 1.0, 0.0, 1.0], [0.0, 60.0, 70.0, 0.0]


@pytest.mark.parametrize(
    ("device", "decode", "columns", "words"),
    [
        ("h264_nvenc", "software", {"encoder load [%]": IDLE, "decoder load [%]": IDLE}, "to encode"),
        ("h264_nvenc", "software", {"encoder load [%]": BUSY, "decoder load [%]": IDLE}, ""),
        ("libx264", "nvenc", {"encoder load [%]": IDLE, "decoder load [%]": BUSY}, ""),
        ("libx264", "nvenc", {"encoder load [%]": BUSY, "decoder load [%]": IDLE}, "to decode"),
        ("h264_vaapi", "software", {"encoder load [%]": IDLE}, ""),
        ("h264_qsv", "vaapi", {"encoder load [%]": IDLE, "decoder load [%]": IDLE}, ""),
        ("h264_nvenc", "software", {ONE: IDLE, TWO: BUSY}, ""),
        ("h264_nvenc", "software", {ONE: IDLE, TWO: IDLE}, "to encode"),
        ("h264_nvenc", "software", {"encoder load [%]": IDLE[:3]}, ""),
    ],
)
def test_no_load_counts_only_for_the_unit_that_was_asked(
    device: str, decode: str, columns: dict[str, list[float]], words: str
) -> None:
    found = fell("bundled", device, columns, decode)
    assert bool(found) is bool(words), found
    assert words in found


@pytest.mark.parametrize(
    ("loads", "first", "last", "idle", "told"),
    [
        ([0, 0, 0, 0, 0, 60, 0, 0], 2.4, 3.2, False, True),  # looked at once while it worked
        ([0, 0, 0, 0, 0, 0], 2.4, 2.6, False, False),  # all looks but one fell into the start-up
        ([0] * 12, 0.4, 5.6, True, True),
        ([0] * 12, 4.2, 5.6, False, False),
        ([90, 90, 90, *[0] * 9], 1.6, 5.6, True, True),  # another program's work before it
        ([], 0.1, 0.4, False, False),
    ],
)
def test_looks_count_from_the_first_frame_to_the_last(
    loads: list[float], first: float, last: float, idle: bool, told: bool
) -> None:
    c = Contender("bundled", recipe("h264_nvenc"))
    plan = Plan(c, Build("bundled", "/x", "1", "0", (), ()), None, Excerpt(0, 9), Path())  # type: ignore[arg-type]
    t = 0.5 * np.arange(len(loads))
    trace = Trace({"t": t, "encoder load [%]": np.array(loads, float)})
    usage = Usage(6.0, 1, 1, 1, 1, 1, 0, (), False, False, 0.0)
    made = RunResult("done", "", usage, (PassTimes(6.0, first, last),), frames=9, output_bytes=9, trace=trace)
    assert (fell_back(plan, made) is not None) is idle
    assert (untold(plan, made) == ()) is told


def test_a_device_that_nothing_counts_is_said_to_be_untold() -> None:
    c = Contender("bundled", recipe("h264_vaapi"))
    plan = Plan(c, Build("bundled", "/x", "1", "0", (), ()), None, Excerpt(0, 9), Path())  # type: ignore[arg-type]
    usage = Usage(6.0, 1, 1, 1, 1, 1, 0, (), False, False, 0.0)
    made = RunResult(
        "done",
        "",
        usage,
        (PassTimes(6.0, 0.2, 5.0),),
        frames=9,
        output_bytes=9,
        trace=Trace({"t": np.arange(9.0)}),
    )
    assert fell_back(plan, made) is None
    assert untold(plan, made) == ("vaapi",)
    made_run = RunRecord(
        contender_id=1,
        excerpt=Excerpt(0, 9),
        started_utc="",
        state=RunState.DONE,
        conditions={"untold": ["vaapi"]},
    )
    assert device_words(made_run).startswith("can't tell whether VAAPI did the work")
