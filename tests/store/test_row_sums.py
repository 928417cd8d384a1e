"""What a drive changed, swapped or lost is found when a study is opened, is not read, and is named."""

import json
import random
import sqlite3
from collections.abc import Iterator
from contextlib import closing
from pathlib import Path

import pytest

from added_runs import add_run, scored
from ovrik.cli import main
from ovrik.errors import OvrikError
from ovrik.store.rescue import rescue
from ovrik.store.schema.row_sums import SUMS, sum_of, summed_tables, unmatched
from ovrik.store.study import Study
from ovrik.study.programme.excerpt import Excerpt
from ovrik.study.question.limits import limits

PAGE, LEAF = 4096, 0x0D


@pytest.fixture
def sound(study: Study) -> Path:
    """A closed study with runs, scores and limits on file."""
    for n in range(1, 41):
        add_run(study, 1, n, 2.0, series=b"x" * 400)
        add_run(study, 2, n, 1.0, series=b"y" * 400)
    scored(study, 1, [90.0] * 50)
    study.set_limits(limits(vmaf_mean=80.0))
    study.close()
    return study.path


def changed(path: Path, *statements: str) -> None:
    """By another hand, which writes no checksums."""
    with closing(sqlite3.connect(path)) as db:
        for statement in statements:
            db.execute(statement)
        db.commit()


def test_whatever_is_written_keeps_its_checksum(sound: Path) -> None:
    with closing(Study.open(sound)) as study:
        study.set_limits(limits(vmaf_mean=70.0, vmaf_p5=60.0))
        study.drop_contender(study.contenders()[2].contender_id)
        study.set_tie_band(0.03)
        study.keep_excerpt("other", Excerpt(3, 20))
        scored(study, 2, [50.0] * 50)
        assert unmatched(study._db) == []
        rows = {t.name: study._row(f"SELECT count(*) FROM {t.name}")[0] for t in summed_tables(study._db)}
        sums = study._all(f"SELECT place, count(*) FROM {SUMS} GROUP BY place")
        assert dict(map(tuple, sums)) == {name: count for name, count in rows.items() if count}


def test_a_checksum_can_be_worked_out_by_others(sound: Path) -> None:
    """As docs/formats.md says it."""
    with closing(sqlite3.connect(sound)) as db:
        row = db.execute("SELECT * FROM run WHERE id = 5").fetchone()
        [kept] = db.execute("SELECT sum FROM row_sum WHERE place = 'run' AND key = '5'").fetchone()
    assert kept == sum_of(*row)


def every_cell(path: Path) -> Iterator[tuple[str, str, int]]:
    """Each column of the tables whose rows have checksums, and a row of it."""
    with closing(sqlite3.connect(path)) as db:
        for table in summed_tables(db):
            if table.name == "frame_score":
                continue  # it has no rows any more, and no row numbers
            for row, *_values in db.execute(f"SELECT rowid, * FROM {table.name} LIMIT 1").fetchall():
                yield from (
                    (table.name, c, row) for c in table.columns if (table.name, c) != ("trace", "run_id")
                )


OTHER = {str: "'{\"x\": 1}'", int: "7777", float: "7.25", bytes: "x'00'", type(None): "1"}


def test_no_cell_can_change_unseen(sound: Path, tmp_path: Path) -> None:
    whole = sound.read_bytes()
    for number, (table, column, row) in enumerate(every_cell(sound)):
        path = tmp_path / f"{number}.ovrik"
        path.write_bytes(whole)
        with closing(sqlite3.connect(path)) as db:
            db.execute("PRAGMA ignore_check_constraints = ON")
            [value] = db.execute(f"SELECT {column} FROM {table} WHERE rowid = ?", (row,)).fetchone()
            db.execute(f"UPDATE {table} SET {column} = {OTHER[type(value)]} WHERE rowid = {row}")
            db.commit()
        try:
            with closing(Study.open(path)) as study:
                if table == "trace":
                    with pytest.raises(OvrikError, match=r"run|id"):
                        study.series(row)
                    continue
                assert any(a.table == table for a in study.aside), (table, column)
        except OvrikError:
            pass  # the question rests on it
        path.unlink()


def test_swapped_pages_are_never_read_as_they_lie(sound: Path, tmp_path: Path) -> None:
    """Two leaves of the same tree may well be read in each other's place."""
    whole, chance = sound.read_bytes(), random.Random()
    leaves = [at for at in range(PAGE, len(whole), PAGE) if whole[at] == LEAF]
    with closing(Study.open(sound)) as study:
        right = {r.id: r for r in study.runs()}
    found = 0
    for number in range(60):
        one, other = chance.sample(leaves, 2)
        data = bytearray(whole)
        data[one : one + PAGE], data[other : other + PAGE] = (
            whole[other : other + PAGE],
            whole[one : one + PAGE],
        )
        path = tmp_path / f"swapped {number}.ovrik"
        path.write_bytes(data)
        try:
            with closing(Study.open(path)) as study:
                runs = study.runs()
                assert all(right[r.id] == r for r in runs), (one, other)
                found += len(runs) < len(right)
                assert study.aside or len(runs) == len(right)
        except OvrikError:
            found += 1
        path.unlink()
    assert found


def test_it_is_said_first_and_nothing_is_written(sound: Path, capsys: pytest.CaptureFixture[str]) -> None:
    changed(sound, "UPDATE run SET wall_s = 0.5 WHERE id = 3", "DELETE FROM run WHERE id = 9")
    before = sound.read_bytes()
    main(["verdict", str(sound)])
    said = capsys.readouterr().out.splitlines()
    assert said[1].startswith("Run 3, run 9 (lost) are not as written and left out"), said[:3]
    main(["verdict", str(sound), "--json"])
    found = json.loads(capsys.readouterr().out)
    assert found["damaged"] == [
        {"table": "run", "key": "3", "gone": False},
        {"table": "run", "key": "9", "gone": True},
    ]
    assert {len(c["runs"]) for c in found["contenders"]} == {39, 40, 0}
    with closing(Study.open(sound)) as study, pytest.raises(OvrikError, match="damaged and can't be changed"):
        study.set_tie_band(0.5)
    assert sound.read_bytes() == before


def test_what_belongs_to_a_damaged_row_is_left_out_too(sound: Path) -> None:
    changed(sound, "UPDATE contender SET label = 'X' WHERE id = 2")
    with closing(Study.open(sound)) as study:
        assert [c.contender_id for c in study.contenders()] == [1, 3]
        assert {r.contender_id for r in study.runs()} == {1}


@pytest.mark.parametrize(
    ("what", "said"),
    [
        ("UPDATE programme SET checksum = 'x'", "programme 1"),
        ("DELETE FROM limit_value", "limit_value vmaf_mean (lost)"),
        ("UPDATE study SET tie_band = 0.5", "study 1"),
        ("UPDATE contender SET label = 'X' WHERE id = 1", "contender 1"),
    ],
)
def test_without_the_question_nothing_is_answered(sound: Path, what: str, said: str) -> None:
    changed(sound, what)
    with pytest.raises(OvrikError) as caught:
        Study.open(sound)
    assert said in caught.value.problem
    assert "ovrik rescue" in caught.value.remedy


def test_a_rescue_leaves_out_what_is_not_as_written_and_says_so(sound: Path, tmp_path: Path) -> None:
    changed(
        sound,
        "UPDATE run SET wall_s = 0.5 WHERE id = 3",
        "DELETE FROM run WHERE id = 9",
        "DELETE FROM row_sum WHERE place = 'run' AND key = '20'",
    )
    found = rescue(sound, tmp_path / "new.ovrik")
    assert "run 3 is not as written" in found.lost
    assert "run 9 is gone" in found.lost
    assert found.kept["run"] == 79
    with closing(Study.open(tmp_path / "new.ovrik")) as study:
        assert not study.aside
        assert {r.id for r in study.runs()} == set(range(1, 82)) - {3, 9}


def test_a_programmes_checksum_is_put_right_by_what_it_names(sound: Path, tmp_path: Path) -> None:
    changed(sound, "UPDATE programme SET checksum = 'x'")
    assert rescue(sound, tmp_path / "new.ovrik").lost == ()
    with closing(Study.open(tmp_path / "new.ovrik")) as study:
        assert {r.programme for r in study.runs()} == {study.programme().checksum}


def test_a_question_that_was_changed_is_kept_and_said(sound: Path, tmp_path: Path) -> None:
    changed(sound, "UPDATE study SET tie_band = 0.5")
    assert "look at it" in rescue(sound, tmp_path / "new.ovrik").lost[0]
    with closing(Study.open(tmp_path / "new.ovrik")) as study:
        assert study.facts().tie_band == 0.5
