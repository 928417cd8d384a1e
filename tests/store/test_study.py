"""The study file: nothing is lost, nothing is edited, and a second writer is kept out."""

import sqlite3
import struct
from contextlib import closing
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest

from ovrik.errors import OvrikError
from ovrik.store.records.run import RunRecord
from ovrik.store.records.score import MetricScores, ScoreRecord
from ovrik.store.schema.file import Hold, outputs_folder
from ovrik.store.schema.tables import VERSION
from ovrik.store.study import Study
from ovrik.study.clip.footage import Footage
from ovrik.study.contender.contender import Contender
from ovrik.study.encoder.intermediate import intermediate
from ovrik.study.encoder.recipe import recipe
from ovrik.study.facts.output_facts import OutputFacts
from ovrik.study.programme.excerpt import Excerpt, whole
from ovrik.study.programme.programme import Shot, of_clip
from ovrik.study.programme.treatment import treatment
from ovrik.study.question.limits import limits

BUILD = {"key": "bundled", "path": "/b/ffmpeg", "version": "9", "sha256": "aa"}


def begin(study: Study, contender: int = 1, round_: int = 1, warmup: bool = False) -> int:
    made = RunRecord(
        contender_id=contender,
        excerpt=study.facts().excerpt,
        started_utc="",
        round=round_,
        warmup=warmup,
        argv=("ffmpeg", "-i", "a b.mov"),
        output="01-x.mp4",
    )
    return study.begin_run(made, BUILD, {"processor": "P"}, study.programme())


def end(study: Study, run: int, wall: float = 2.5, state: str = "done") -> None:
    study.end_run(run, {"state": state, "wall_s": wall, "output_sha256": "ff", "output_bytes": 10})


def test_it_comes_back_as_it_was(study: Study, footage: Footage) -> None:
    study.set_limits(limits(vmaf_mean=93, megabytes_per_minute=60))
    run = begin(study)
    end(study, run)
    path = study.path
    study.close()
    again = Study.open(path)
    facts = again.facts()
    assert (facts.title, facts.excerpt, facts.rounds, facts.warmup) == ("Tiny", whole(footage), 2, 0)
    assert facts.limits == limits(vmaf_mean=93, megabytes_per_minute=60)
    assert facts.baseline_id == 1
    assert again.programme().clips == (footage,)
    assert [c.label for c in again.contenders()] == [
        "x264 veryfast CRF 24",
        "x264 ultrafast CRF 30",
        "SVT-AV1 12 10 bit aac",
    ]
    kept = again.runs()[0]
    assert (kept.state, kept.wall_s, kept.argv, kept.build) == ("done", 2.5, ("ffmpeg", "-i", "a b.mov"), "9")
    assert kept.programme == footage.checksum
    assert list(again.machines().values()) == [{"processor": "P"}]
    again.close()


def test_it_is_what_the_documents_say(study: Study) -> None:
    db = sqlite3.connect(study.path)
    assert db.execute("PRAGMA journal_mode").fetchone()[0] == "wal"
    assert db.execute("PRAGMA user_version").fetchone()[0] == VERSION
    assert db.execute("PRAGMA foreign_key_check").fetchall() == []
    columns = {row[1] for row in db.execute("PRAGMA table_info(run)")}
    assert {"argv", "wall_s", "first_frame_s", "user_s", "peak_bytes", "output_bytes", "log"} <= columns


def test_runs_are_never_edited(study: Study) -> None:
    run = begin(study)
    end(study, run)
    with pytest.raises(OvrikError, match="complete already"):
        end(study, run, 1.0)
    assert study.runs()[0].wall_s == 2.5


def test_foreign_keys_hold(study: Study) -> None:
    with pytest.raises(OvrikError, match="FOREIGN KEY"):
        begin(study, contender=99)
    assert study.runs() == []


def test_an_unfinished_run_of_a_dead_process_is_interrupted(study: Study) -> None:
    begin(study)
    path = study.path
    study.close()
    again = Study.open(path)
    assert [r.state for r in again.runs()] == ["interrupted"]
    again.close()


def test_an_unfinished_run_of_a_living_process_is_left_alone(study: Study) -> None:
    assert study.hold.take()
    begin(study)
    other = Study.open(study.path)
    assert [r.state for r in other.runs()] == ["running"]
    assert not other.hold.take()
    other.close()
    study.hold.release()
    assert Hold(outputs_folder(study.path)).take()


def test_a_contender_that_was_timed_is_replaced_not_changed(study: Study) -> None:
    first = study.contenders()[0]
    study.end_run(begin(study, first.contender_id), {"state": "done", "wall_s": 1.0})
    made = study.change_contender(replace(first, recipe=recipe("libx264", "slow", 20)))
    assert made.contender_id != first.contender_id
    assert next(c.contender_id for c in study.contenders()) == made.contender_id
    assert study.facts().baseline_id == made.contender_id
    assert study.runs(first.contender_id)[0].wall_s == 1.0
    kept = next(c for c in study.contenders(with_dropped=True) if c.contender_id == first.contender_id)
    assert (kept.recipe.preset, kept.active) == ("veryfast", False)


@pytest.mark.parametrize("row", [0, 1, 2])
def test_a_contender_never_timed_is_changed_in_place(study: Study, row: int) -> None:
    before = study.contenders()
    changed = replace(before[row], recipe=recipe("libx264", "slow", 20))
    assert study.change_contender(changed) == changed
    assert study.contenders() == [changed if n == row else c for n, c in enumerate(before)]


def test_a_new_name_makes_no_new_contender_of_a_timed_one(study: Study) -> None:
    one = study.contenders()[1]
    study.end_run(begin(study, one.contender_id), {"state": "done", "wall_s": 1.0})
    made = study.change_contender(replace(one, label="another name"))
    assert [(c.contender_id, c.label) for c in study.contenders()][1] == (one.contender_id, "another name")
    assert made.contender_id == one.contender_id


def test_one_that_is_added_is_the_last_and_active(study: Study) -> None:
    made = study.add_contender(Contender("bundled", recipe("libx264", "slow", 20), "later", active=False))
    assert study.contenders()[-1] == made
    assert made.active
    assert made.contender_id == 4


def test_a_hold_is_taken_once_by_one_process_and_let_go(study: Study) -> None:
    hold = Hold(outputs_folder(study.path))
    assert not hold.held
    assert hold.take() is True
    assert hold.take() is True, "it is ours already"
    assert hold.held
    other = Hold(outputs_folder(study.path))
    assert other.take() is False
    assert not other.held
    hold.release()
    assert not hold.held
    assert other.take() is True
    other.release()


def test_dropping(study: Study) -> None:
    study.end_run(begin(study, 1), {"state": "done", "wall_s": 1.0})
    study.drop_contender(1)
    study.drop_contender(3)
    assert [c.contender_id for c in study.contenders()] == [2]
    assert [c.contender_id for c in study.contenders(with_dropped=True)] == [1, 2]
    assert len(study.runs()) == 1
    assert study.facts().baseline_id == 2


def test_scores(study: Study) -> None:
    values = np.array([90.0, 91.5])
    metrics = {"vmaf": MetricScores("model 1", values), "ssim": MetricScores("", values / 100)}
    score = ScoreRecord(1, "ff", "ref", ("too short",), OutputFacts(codec="h264"), metrics=metrics)
    study.keep_score(score, BUILD)
    study.keep_score(score, BUILD)  # again: in place of the first
    kept = study.score(1, "ff", "ref")
    assert kept is not None
    assert kept.faults == ("too short",)
    assert kept.of("vmaf").tolist() == [90.0, 91.5]
    assert kept.of("ssim").tolist() == [0.9, 0.915]
    assert kept.of("psnr").tolist() == []
    assert kept.metrics["vmaf"].version == "model 1"
    assert study.score(1, "00", "ref") is None
    db = sqlite3.connect(study.path)
    packed = db.execute("SELECT metric, series FROM score_metric ORDER BY metric").fetchall()
    assert packed == [("ssim", struct.pack("<2d", 0.9, 0.915)), ("vmaf", struct.pack("<2d", 90.0, 91.5))]
    db.execute("UPDATE score_metric SET series = substr(series, 2)")
    db.commit()
    with pytest.raises(OvrikError, match="scores"):
        study.score(1, "ff", "ref")


def test_thumbnails_belong_to_their_clip(study: Study, footage: Footage) -> None:
    study.keep_thumbnails(footage, {3: b"jpeg"})
    assert study.thumbnails() == {(footage.checksum, 3): b"jpeg"}


def test_footage_made_anew_keeps_runs_and_scores(study: Study, footage: Footage) -> None:
    end(study, begin(study))
    study.keep_score(ScoreRecord(1, "ff", "old"), BUILD)
    study.reseat_clip(footage, replace(footage, checksum="new"), {"old": "new-key"})
    assert study.runs()[0].programme == study.programme().checksum == "new"
    assert study.score(1, "ff", "new-key") is not None


def test_a_programme_and_its_excerpts_come_back(study: Study, footage: Footage) -> None:
    made = replace(of_clip(footage), shots=(Shot(0, 2, 10, 0, (treatment("blur"),)), Shot(0, 0, 8, 3)))
    study.set_programme(made, Excerpt(1, 6))
    study.keep_excerpt("calm", Excerpt(1, 6))
    study.keep_excerpt("busy", Excerpt(8, 5))
    study.keep_excerpt("calm", Excerpt(2, 6))
    assert study.programme() == made
    assert [(e.name, e.excerpt) for e in study.excerpts()] == [
        ("calm", Excerpt(2, 6)),
        ("busy", Excerpt(8, 5)),
    ]
    study.set_programme(replace(made, shots=made.shots[:1]), Excerpt(0, 4))
    assert [e.name for e in study.excerpts()] == ["calm"]


def test_a_contender_comes_back_with_every_factor(study: Study) -> None:
    made = Contender(
        "bundled",
        recipe(
            "libx264",
            "fast",
            20,
            tune="film",
            gop=50,
            width=160,
            height=90,
            rate="50",
            raw=(("refs", "2"),),
            control="capped",
            bit_rate=9_000_000,
        ),
        decode="vaapi",
        treat="opencl",
        prerendered=intermediate("dnxhr-hq"),
    )
    kept = study.add_contender(made)
    again = study.contenders()[-1]
    assert again.identity == made.identity
    assert again.contender_id == kept.contender_id


@pytest.mark.parametrize(
    ("content", "words"),
    [(b"only words", "is not a study file"), (None, "is not there"), (b"", "is not there")],
)
def test_what_is_no_study(tmp_path: Path, content: bytes | None, words: str) -> None:
    path = tmp_path / "x.ovrik"
    if content is not None:
        path.write_bytes(content)
    with pytest.raises(OvrikError, match=words):
        Study.open(path)


def test_another_database_and_a_newer_study(tmp_path: Path, study: Study) -> None:
    other = tmp_path / "other.ovrik"
    with sqlite3.connect(other) as db:
        db.execute("CREATE TABLE t (x)")
    with pytest.raises(OvrikError, match="not a study"):
        Study.open(other)
    with sqlite3.connect(study.path) as db:
        db.execute(f"PRAGMA user_version = {VERSION + 1}")
    with pytest.raises(OvrikError, match="newer Ovrik"):
        Study.open(study.path)


def test_a_study_is_not_made_over_another(study: Study, footage: Footage) -> None:
    with pytest.raises(OvrikError, match="is a study already"):
        Study.create(study.path, "Again", of_clip(footage), whole(footage))


def test_a_change_that_fails_changes_nothing(study: Study) -> None:
    broken = Contender("bundled", recipe("libx264"), label=None)  # type: ignore[arg-type]
    with pytest.raises(OvrikError, match="NOT NULL"):
        study.add_contender(broken)
    assert len(study.contenders()) == 3


def test_a_study_made_with_nothing_said_has_the_documented_defaults(tmp_path: Path, footage: Footage) -> None:
    with closing(Study.create(tmp_path / "plain.ovrik", "P", of_clip(footage), whole(footage))) as made:
        facts = made.facts()
        assert (facts.rounds, facts.warmup, facts.tie_band, facts.limits) == (3, 1, 0.02, limits())
        assert made.outputs == outputs_folder(made.path)
        assert not made.read_only


def test_outputs_go_where_the_conduct_says(study: Study, tmp_path: Path) -> None:
    conduct = study.facts().conduct
    study.set_conduct(replace(conduct, outputs=str(tmp_path / "another drive")))
    assert study.outputs.is_relative_to(tmp_path / "another drive")
    path = study.path
    study.close()
    with closing(Study.open(path)) as again:
        assert again.outputs.is_relative_to(tmp_path / "another drive")
        again.set_conduct(replace(conduct, outputs=""))
        assert again.outputs == outputs_folder(path)


def test_a_study_on_a_full_drive_is_read(
    study: Study, monkeypatch: pytest.MonkeyPatch, tmp_path: Path
) -> None:
    path = study.path
    study.close()

    def full(at: Path) -> sqlite3.Connection:
        try:
            raise sqlite3.OperationalError("database or disk is full")
        except sqlite3.OperationalError:
            raise OvrikError(f"{at} can't be written") from None

    monkeypatch.setattr("ovrik.store.study.connect", full)
    with closing(Study.open(path)) as read:
        assert read.read_only
        assert len(read.contenders()) == 3
    with pytest.raises(OvrikError, match="can't be written"):
        Study.open(tmp_path / "not there.ovrik")


@pytest.mark.parametrize("series", [b"", b"a trace"])
def test_a_trace_is_kept_where_there_is_one(study: Study, series: bytes) -> None:
    run = begin(study)
    study.end_run(run, {"state": "done", "wall_s": 1.0}, series)
    assert study.series(run) == (series or None)
    with closing(sqlite3.connect(study.path)) as db:
        assert db.execute("SELECT count(*) FROM trace").fetchone() == (len(series) > 0,)
