"""Studies that earlier versions wrote, kept as SQL with their rows, are brought up whole."""

import sqlite3
from contextlib import closing
from pathlib import Path

import pytest

from ovrik.errors import OvrikError
from ovrik.store.rescue import rescue
from ovrik.store.schema import VERSION
from ovrik.store.study import Study
from ovrik.study.excerpt import Excerpt
from ovrik.study.limits import limits

SCHEMAS = sorted((Path(__file__).parent / "schemas").glob("schema-*.sql"))
OLD = {
    1: (Excerpt(25, 80), {1: 7.96215102499992, 2: 3.71398685500026}, [88.716483, 92.866291, 93.201443]),
    4: (Excerpt(60, 60), {1: 9.37746606900055, 2: 9.67676535100054}, None),
}
OLD[2] = OLD[3] = OLD[1]
OLD[5] = OLD[6] = OLD[7] = OLD[8] = OLD[9] = OLD[4]


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
    assert [s.name for s in SCHEMAS] == [f"schema-{n}.sql" for n in range(1, VERSION)]


@pytest.mark.parametrize("number", range(1, VERSION))
def test_a_study_of_each_schema(number: int, study: Study, tmp_path: Path) -> None:
    path = made(number, tmp_path)
    excerpt, times, vmaf = OLD[number]
    with closing(Study.open(path)) as old:
        assert old.facts().excerpt == excerpt
        assert {r.contender_id: r.wall_s for r in old.runs()} == pytest.approx(times)
        assert {r.programme for r in old.runs()} == {old.programme().checksum}
        assert [c.id for c in old.contenders()] == [1, 2]
        assert len(old.thumbnails()) >= 1
        assert {r.build[0] for r in old.runs()} <= set("n5")
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
    assert (found.kept["score"], found.kept["frame_score"]) == (scores, 3 * (frames - scores + 1))
    assert found.lost == ()
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
        db.commit()
    with closing(Study.open(path)) as opened, pytest.raises(OvrikError, match="vmaf_mode"):
        opened.facts()
    found = rescue(path, tmp_path / "new.ovrik")
    assert "vmaf_mode" in " ".join(found.lost)
    with closing(Study.open(tmp_path / "new.ovrik")) as kept:
        assert kept.facts().limits == limits(vmaf_mean=90.0)
