"""Small rules of what is kept: of rows from before, of contenders that are renamed, of what belongs to a sitting."""

import sqlite3
from contextlib import closing
from dataclasses import replace

import pytest

from added_runs import add_run
from ovrik.store.records.looks import Looks
from ovrik.store.schema import exact
from ovrik.store.schema.typed_facts import _looks, _origin, _rounds_behind
from ovrik.store.study import Study
from ovrik.study.facts.origin import Origin


@pytest.fixture
def old() -> sqlite3.Connection:
    """A file of long ago, in memory: runs without a sitting."""
    db = sqlite3.connect(":memory:")
    db.row_factory = sqlite3.Row
    db.executescript(
        "CREATE TABLE run (id INTEGER, warmup INTEGER, round INTEGER, build_id INTEGER, programme_id INTEGER,"
        " start_frame INTEGER, frames INTEGER, sitting_id INTEGER, state TEXT, origin TEXT);"
        "CREATE TABLE decision (programme_id INTEGER, start_frame INTEGER, frames INTEGER, sitting_id INTEGER);"
        "CREATE TABLE look (programme_id INTEGER, start_frame INTEGER, frames INTEGER, sitting_id INTEGER,"
        " most INTEGER, taken INTEGER, rounds INTEGER);"
        "CREATE TABLE study (rounds INTEGER, conduct TEXT);"
    )
    return db


def test_a_run_without_a_build_was_driven() -> None:
    builds = {1: "by hand", 2: "bundled"}
    assert _origin({"build_id": None}, builds) is Origin.DRIVEN
    assert _origin({}, builds) is Origin.DRIVEN
    assert _origin({"build_id": 1}, builds) is Origin.BY_HAND


def test_rounds_before_the_first_belong_to_the_first_sitting(old: sqlite3.Connection) -> None:
    plain = sqlite3.connect(":memory:")
    plain.row_factory = sqlite3.Row
    plain.execute("CREATE TABLE run (warmup INTEGER, round INTEGER, build_id INTEGER)")
    plain.execute("INSERT INTO run VALUES (0, -2, 5), (0, 3, 5), (1, -9, 5)")
    assert _rounds_behind(plain, {}) == {1: 3}


def test_whoever_decided_was_looked_at_with_the_limit_that_there_was(old: sqlite3.Connection) -> None:
    old.execute("INSERT INTO study VALUES (7, '{\"until_decided\": true}')")
    old.execute("INSERT INTO run VALUES (1, 0, 1, 2, 4, 0, 50, 1, 'done', 'driven')")
    _looks(old)
    [look] = old.execute("SELECT * FROM look").fetchall()
    assert (look["most"], look["taken"], look["rounds"], look["frames"]) == (12, 0, 7, 50)


def test_a_timed_contender_keeps_its_place_when_only_its_name_changes(study: Study) -> None:
    add_run(study, 2, 1, 3.0)
    two = study.contenders()[1]
    renamed = study.change_contender(replace(two, label="another name", label_given=True))
    assert renamed.contender_id == two.contender_id
    assert [c.contender_id for c in study.contenders()] == [1, 2, 3]
    other = study.change_contender(replace(two, recipe=replace(two.recipe, quality=31.0)))
    assert other.contender_id not in (1, 2, 3)
    assert [c.contender_id for c in study.contenders()] == [1, other.contender_id, 3]


def test_one_that_has_left_can_be_changed_too(study: Study) -> None:
    add_run(study, 2, 1, 3.0)
    two = study.contenders()[1]
    study.drop_contender(2)
    assert study.change_contender(replace(two, label="gone", label_given=True)).contender_id == 2
    assert next(c for c in study.contenders(True) if c.contender_id == 2).label == "gone"


def test_nothing_that_runs_is_nothing_to_close(study: Study) -> None:
    assert study.close_interrupted() == 0


def test_looks_belong_to_their_sitting(study: Study) -> None:
    programme, excerpt = study.programme(), study.facts().excerpt
    study.keep_looks(Looks(taken=3, rounds=5, most=9), programme, excerpt)
    assert study.looks(programme.checksum, excerpt).taken == 3
    add_run(study, 1, 1, 3.0)
    made = study.begin_sitting("another day")
    assert made.id != study.sittings()[0].id
    assert study.at(study.sittings()[0]).looks(programme.checksum, excerpt).taken == 3
    assert study.at(made).looks(programme.checksum, excerpt) == Looks()


def test_a_statement_that_goes_on_and_on_ends(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(exact, "MOST_STEPS", 20_000_000)
    with closing(sqlite3.connect(":memory:", factory=exact.Bounded)) as db:
        db.bound()
        endless = "WITH RECURSIVE n(i) AS (SELECT 1 UNION ALL SELECT i + 1 FROM n) SELECT count(*) FROM n"
        with pytest.raises(sqlite3.OperationalError, match="interrupted"):
            db.execute(endless).fetchall()
        assert db.execute("SELECT 1").fetchone() == (1,), "the next one counts anew"
