"""Studies that earlier versions wrote, kept as SQL with their rows, are brought up whole."""

import json
import sqlite3
from contextlib import closing
from pathlib import Path

import pytest

from ovrik.errors import OvrikError
from ovrik.report.words.reasons import decision_words, disturbed_words, fell_back_words, on_processor_words
from ovrik.store.records.every import TABLES
from ovrik.store.records.table import Table
from ovrik.store.rescue import rescue
from ovrik.store.schema.row_sums import sum_all
from ovrik.store.schema.tables import VERSION
from ovrik.store.schema.typed_facts import typed_disturbances
from ovrik.store.study import Study
from ovrik.study.facts.disturbance import Disturbance, Disturber
from ovrik.study.facts.origin import Origin
from ovrik.study.programme.excerpt import Excerpt
from ovrik.study.question.limits import limits
from ovrik.work.timing.schedule import further

SCHEMAS = sorted((Path(__file__).parent / "schemas").glob("schema-*.sql"))
OLD = {
    1: (Excerpt(25, 80), {1: 7.96215102499992, 2: 3.71398685500026}, [88.716483, 92.866291, 93.201443]),
    4: (Excerpt(60, 60), {1: 9.37746606900055, 2: 9.67676535100054}, None),
}
OLD[2] = OLD[3] = OLD[1]
OLD[5] = OLD[6] = OLD[7] = OLD[8] = OLD[9] = OLD[10] = OLD[11] = OLD[4]


def made(number: int, folder: Path) -> Path:
    path = folder / "old.ovrik"
    with closing(sqlite3.connect(path)) as db:
        db.executescript((Path(__file__).parent / "schemas" / f"schema-{number}.sql").read_text())
    return path


def shape(path: Path) -> dict[str, list[tuple[object, ...]]]:
    """Tables with their columns, references and unique keys; the order of columns may differ."""
    with closing(sqlite3.connect(path)) as db:
        names = [r[0] for r in db.execute("SELECT name FROM sqlite_master WHERE type IN ('table', 'index')")]
        return {
            n: sorted(r[1:] for r in db.execute(f"PRAGMA table_info({n})"))
            + sorted(r[2:5] for r in db.execute(f"PRAGMA foreign_key_list({n})"))
            for n in sorted(names)
        }


def test_there_is_one_for_each_schema() -> None:
    assert {s.name for s in SCHEMAS} == {f"schema-{n}.sql" for n in range(1, VERSION)}


def test_a_new_study_has_the_shape_of_its_version(study: Study) -> None:
    """Word for word: whoever changes a table writes a new version, and how the old one is brought up."""
    text = (Path(__file__).parent / "present.sql").read_text()
    assert f"schema {VERSION}" in text.splitlines()[0]
    with closing(sqlite3.connect(study.path)) as db:
        found = db.execute(
            "SELECT sql FROM sqlite_master WHERE sql IS NOT NULL ORDER BY type, name"
        ).fetchall()
    assert "".join(f"{sql};\n" for (sql,) in found) == text.partition("\n")[2]


@pytest.mark.parametrize("number", range(1, VERSION))
def test_a_study_of_each_schema(number: int, study: Study, tmp_path: Path) -> None:
    path = made(number, tmp_path)
    excerpt, times, vmaf = OLD[number]
    with closing(Study.open(path)) as old:
        assert old.facts().excerpt == excerpt
        first = [r for r in old.runs() if r.driven and r.round == 1]
        assert {r.contender_id: r.wall_s for r in first} == pytest.approx(times)
        assert {r.programme for r in old.runs()} == {old.programme().checksum}
        assert [c.contender_id for c in old.contenders() if not c.outside] == [1, 2]
        assert len(old.thumbnails()) >= 1
        assert {r.build[0] for r in first} <= set("n5")
        with closing(sqlite3.connect(path)) as db:
            sha256, reference = db.execute(
                "SELECT output_sha256, reference FROM score WHERE contender_id = 1"
            ).fetchone()
        score = old.score(1, sha256, reference)
        assert score is not None
        assert list(score.metrics) == ["vmaf", "psnr", "ssim"]
        assert score.of("vmaf").shape == score.of("psnr").shape == score.of("ssim").shape == (3,)
        assert score.metrics["psnr"].version
        if vmaf:
            assert score.of("vmaf").tolist() == vmaf
        assert 30 < score.of("psnr").mean() < 60
        assert 0.9 < score.of("ssim").mean() < 1
    assert shape(path) == shape(study.path)
    with closing(sqlite3.connect(path)) as db:
        assert db.execute("PRAGMA foreign_key_check").fetchall() == []
        assert db.execute("PRAGMA user_version").fetchone() == (VERSION,)


def test_facts_of_schema_10_become_values(tmp_path: Path) -> None:
    """Rounds held where a run came from, and sentences what disturbed it, what was read and why who was timed."""
    path = made(10, tmp_path)
    rescue(path, tmp_path / "rescued.ovrik")
    for name in ("rescued.ovrik", "old.ovrik"):
        with closing(Study.open(tmp_path / name)) as old:
            place = old.programme().checksum, old.facts().excerpt
            runs = old.runs()
            said = [(r.contender_id, r.origin, r.round) for r in runs]
            driven = [(c, Origin.DRIVEN, n) for c, n in ((2, 1), (1, 1), (1, 2), (2, 2))]
            assert said == [*driven, (3, Origin.WATCHED, 1), (3, Origin.WATCHED, 2), (3, Origin.BY_HAND, 1)]
            assert runs[0].disturbed == (
                Disturbance(Disturber.EARLIER, said="the host took 4 % of the processors away"),
            )
            programs, disks, clock = runs[2].disturbed
            assert programs == Disturbance(Disturber.PROGRAMS, 0.31, (("clam scan", 0.44), ("dd", 0.09)))
            assert (disks.by, disks.size, disks.who) == (Disturber.DISKS, 45, (("dd", 40.0),))
            assert (clock.name, clock.was, clock.size) == ("clock 0", 3000, 2000)
            assert disturbed_words(runs[3].disturbed) == "a way to say it that nobody knows"
            assert fell_back_words(runs[3].fell_back) == "asked for NVENC, and its log says: no device"
            assert "pthread-x" in on_processor_words(runs[3].on_processor)
            *_before, out, kept, back, aside = old.decisions(*place)
            assert (out.choice_id, out.gain, out.asked, kept.asked, back.asked) == (
                1,
                -0.1,
                False,
                True,
                True,
            )
            assert decision_words(aside, "") == "not acceptable: mean VMAF 80.0 is under the floor of 93"
            row = old._one("SELECT output_sha256, reference FROM score WHERE contender_id = 1")
            assert row is not None
            score = old.score(1, *row)
            assert score is not None
            f = score.facts
            assert (f.frames, f.width, f.height, f.rate, f.lag, f.every) == (60, 1280, 720, 25.0, -3, 4)
            assert (f.likeness, f.audio, f.losses_measurable) == (0.998, ("aac",), True)
            if name == "old.ovrik":
                assert old.looks(*place).count == old.facts().conduct.most_rounds
            assert further(old, [1, 2], 1)[-1].round == 3


def test_rounds_that_were_counted_on_from_a_watched_export_begin_at_1(tmp_path: Path) -> None:
    """A study of schema 10 with one watched export planned its own rounds as −1000, −999 …"""
    path = made(10, tmp_path)
    with closing(sqlite3.connect(path)) as db:
        db.execute("UPDATE run SET round = round - 1001 WHERE contender_id < 3")
        db.commit()
    with closing(Study.open(path)) as old:
        assert [r.round for r in old.runs() if r.driven] == [1, 1, 2, 2]
        assert all(r.counts for r in old.runs())


def test_a_study_whose_first_rounds_are_gone_keeps_its_numbers(tmp_path: Path) -> None:
    path = made(10, tmp_path)
    with closing(sqlite3.connect(path)) as db:
        db.execute("UPDATE run SET round = round + 4 WHERE contender_id < 3")
        db.commit()
    with closing(Study.open(path)) as old:
        assert [r.round for r in old.runs() if r.driven] == [5, 5, 6, 6]


def test_scores_of_an_earlier_schema_are_rescued(tmp_path: Path) -> None:
    path = made(4, tmp_path)
    with closing(sqlite3.connect(path)) as db:
        scores, frames = (
            db.execute(f"SELECT count(*) FROM {t}").fetchone()[0] for t in ("score", "frame_score")
        )
        key, other = db.execute(
            "SELECT contender_id, output_sha256, reference FROM score ORDER BY id LIMIT 2"
        ).fetchall()
        db.execute("DELETE FROM frame_score WHERE frame = 0 AND score_id <> (SELECT min(id) FROM score)")
        db.commit()
    found = rescue(path, tmp_path / "new.ovrik")
    assert (found.kept["score"], found.kept["frame_score"]) == (scores, 9)
    assert [words.partition(",")[0] for words in found.lost] == [
        f"{3 * (scores - 1)} rows of score_metric",
        f"{3 * (frames - scores) - 6} rows of frame_score",
    ]
    with closing(Study.open(tmp_path / "new.ovrik")) as study:
        kept = study.score(*key)
        gappy = study.score(*other)
    assert kept is not None
    assert kept.of("psnr").shape == (3,)
    assert gappy is not None
    assert gappy.metrics == {}


def test_limits_notes_and_excerpts_of_schema_8(tmp_path: Path) -> None:
    """Each limit had a column, excerpts belonged to the one programme there was, and a note named its author."""
    path = made(8, tmp_path)
    rescue(path, tmp_path / "rescued.ovrik")
    for name in ("rescued.ovrik", "old.ovrik"):
        with closing(Study.open(tmp_path / name)) as study:
            assert study.facts().limits == limits(vmaf_mean=90.0, megabytes_per_minute=55.0)
            assert ("named", study.facts().excerpt) in [(e.name, e.excerpt) for e in study.excerpts()]
            [pin] = study.pins(study.programme().checksum, study.facts().excerpt)
            assert pin.words == "ringing at the edge"
            study.keep_pin(pin, study.programme(), study.facts().excerpt)


def test_a_limit_that_makes_no_sense_is_said_and_left_out_by_a_rescue(study: Study, tmp_path: Path) -> None:
    study.set_limits(limits(vmaf_mean=90.0))
    path = study.path
    study.close()
    with closing(sqlite3.connect(path)) as db:
        db.execute("INSERT INTO limit_value VALUES ('vmaf_mode', 3.0)")
        sum_all(db)
        db.commit()
    with closing(Study.open(path)) as opened, pytest.raises(OvrikError, match="vmaf_mode"):
        opened.facts()
    found = rescue(path, tmp_path / "new.ovrik")
    assert "vmaf_mode" in " ".join(found.lost)
    with closing(Study.open(tmp_path / "new.ovrik")) as kept:
        assert kept.facts().limits == limits(vmaf_mean=90.0)


@pytest.mark.parametrize(
    ("said", "found"),
    [
        ("other programs used 20 % of the processors", Disturbance(Disturber.PROGRAMS, 0.2)),
        ("the virtual machine's host used 10 % of the processor", Disturbance(Disturber.HOST, 0.1)),
        ("the machine was suspended for 30 s", Disturbance(Disturber.ASLEEP, 30)),
        (
            "other programs moved 90 MB/s on the disks (dd 80 MB/s, cp 10 MB/s)",
            Disturbance(Disturber.DISKS, 90, (("dd", 80.0), ("cp", 10.0))),
        ),
        ("heat or power limited the device 25 % of the time", Disturbance(Disturber.LIMITED, 0.25)),
        (
            "the clock dropped from 3000 to 1800 MHz",
            Disturbance(Disturber.CLOCK, 1800, was=3000, name="clock"),
        ),
        ("viewer used 40 % of the device", Disturbance(Disturber.DEVICE, 0.4, name="viewer")),
    ],
)
def test_every_sentence_of_earlier_schemas_becomes_its_numbers(said: str, found: Disturbance) -> None:
    assert typed_disturbances(said) == [found]
    both = typed_disturbances(f"{said}; the machine was suspended for 7 s")
    assert both == [found, Disturbance(Disturber.ASLEEP, 7)]
    assert typed_disturbances("") == typed_disturbances("[]") == []


@pytest.mark.parametrize(
    ("until", "decisions", "count"), [(True, True, 9), (True, False, 9), (False, True, 9), (False, False, 0)]
)
def test_whoever_was_timed_until_it_was_decided_was_looked_at(
    tmp_path: Path, until: bool, decisions: bool, count: int
) -> None:
    """Schema 10 kept no looks: what the conduct, or decisions on file, say of them stands for them."""
    path = made(10, tmp_path)
    with closing(sqlite3.connect(path)) as db:
        text = json.dumps({"until_decided": until, "most_rounds": 9})
        db.execute("UPDATE study SET conduct = ?", (text,))
        if not decisions:
            db.execute("DELETE FROM decision")
        db.commit()
    with closing(Study.open(path)) as old:
        assert old.looks(old.programme().checksum, old.facts().excerpt).count == count


@pytest.mark.parametrize("table", TABLES, ids=lambda t: t.name)
def test_columns_say_what_sqlite_says_of_them(table: Table, study: Study) -> None:
    with closing(sqlite3.connect(study.path)) as db:
        told = {r[1]: (r[2], bool(r[3] or r[5])) for r in db.execute(f"PRAGMA table_info({table.name})")}
    assert {c.name: (c.kind, c.needed) for c in table.columns} == told
