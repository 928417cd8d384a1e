"""What records say of themselves, and what the store refuses."""

import math
import sqlite3
from contextlib import closing

import pytest

from added_runs import add_run
from ovrik.errors import OvrikError
from ovrik.store.records.looks import Looks
from ovrik.store.records.run import RunRecord, RunState
from ovrik.store.records.searched import SearchPoint
from ovrik.store.study import Study
from ovrik.study.encoder.recipe import recipe
from ovrik.study.programme.excerpt import Excerpt
from ovrik.study.question.footage_kind import MOST_WEIGHT, FootageKind


def run(**more: object) -> RunRecord:
    return RunRecord(contender_id=1, excerpt=Excerpt(0, 9), started_utc="", **more)  # type: ignore[arg-type]


def test_frames_a_second_need_a_time_and_frames() -> None:
    assert run(wall_s=2.0, frames_written=50).fps == 25.0
    assert run(wall_s=2.0).fps is None
    assert run(frames_written=50).fps is None
    assert run(wall_s=0.0, frames_written=50).fps is None


@pytest.mark.parametrize(
    ("step", "doubt"), [(0.5, 0.25), (None, 0.0), ("x", 0.0), (-1, 0.0), (math.inf, 0.0), (math.nan, 0.0)]
)
def test_a_step_is_half_a_step_of_doubt(step: object, doubt: float) -> None:
    assert run(conditions={} if step is None else {"step_s": step}).doubt_s == doubt


def test_only_what_is_done_and_no_warm_up_counts() -> None:
    counting = [(s, w) for s in RunState for w in (False, True) if run(state=s, warmup=w).counts]
    assert counting == [(RunState.DONE, False)]


@pytest.mark.parametrize(
    ("looks", "count"),
    [
        (Looks(), 0),
        (Looks(rounds=5), 0),
        (Looks(taken=1), 2),
        (Looks(most=6), 6),
        (Looks(most=6, taken=9), 10),
        (Looks(most=6, taken=2), 6),
    ],
)
def test_a_first_look_is_none_to_allow_for(looks: Looks, count: int) -> None:
    assert looks.count == count


def test_nothing_on_file_is_no_look(study: Study) -> None:
    assert study.looks(study.programme().checksum, study.facts().excerpt) == Looks(0, 0, 0)


@pytest.mark.parametrize("weight", [math.nan, math.inf, -math.inf, -0.001, MOST_WEIGHT + 0.001])
def test_a_weight_that_can_not_be_is_refused(study: Study, weight: float) -> None:
    study.keep_excerpt("calm", Excerpt(0, 10))
    [kind] = study.kinds()
    study.set_weight(kind.id, 2.5)
    with pytest.raises(OvrikError, match="The weight is"):
        study.set_weight(kind.id, weight)
    assert study.kinds()[0].weight == 2.5
    for able in (0.0, MOST_WEIGHT):
        study.set_weight(kind.id, able)
        assert study.kinds()[0].weight == able


def test_a_view_speaks_of_its_kind_and_the_study_of_its_own(study: Study) -> None:
    before = study.facts().excerpt
    study.keep_excerpt("calm", Excerpt(3, 10))
    assert [k.name for k in study.kinds()] == ["calm"], "a name that is the only one of its kind stands alone"
    view = study.on(study.kinds()[0])
    assert view.facts().excerpt == Excerpt(3, 10)
    assert study.facts().excerpt == before
    study.drop_excerpt(study.kinds()[0].id)
    with pytest.raises(OvrikError, match="no longer a kind"):
        study.on(_gone())


def _gone():  # type: ignore[no-untyped-def]

    return FootageKind(
        id=99, name="calm", excerpt=Excerpt(3, 10), programme="", programme_name="", weight=1.0
    )


def test_each_sitting_has_shuffles_of_its_own(study: Study) -> None:
    """The first one has those of the seed on file; no two have the same."""
    with closing(sqlite3.connect(study.path)) as db:
        [kept] = db.execute("SELECT seed FROM study").fetchone()
    seeds = [study.facts().seed]
    for name in ("second", "third"):
        add_run(study, 1, 1, 2.0)
        study.begin_sitting(name)
        seeds.append(study.facts().seed)
    assert seeds == [kept, kept + 1, kept + 2]
    assert study.at(study.sittings()[0]).facts().seed == kept


@pytest.mark.parametrize(("column", "value"), [("wall_s", 0), ("output_bytes", 0), ("wall_s", -1)])
def test_an_encode_of_a_search_that_took_nothing_is_passed_over(
    study: Study, column: str, value: int
) -> None:
    place = study.programme(), study.facts().excerpt
    made = SearchPoint(1, recipe("libx264", "fast", 20), "key", 1.5, 1000, "ff", {"vmaf_mean": 91.0})
    study.keep_search_point(made, *place)
    [found] = study.search_points(place[0].checksum, place[1])
    assert (found.wall_s, found.bytes, found.values) == (1.5, 1000, {"vmaf_mean": 91.0})
    with closing(sqlite3.connect(study.path)) as db:
        db.execute(f"UPDATE search_point SET {column} = ?", (value,))
        db.commit()
    with pytest.raises(OvrikError):
        study.search_points(place[0].checksum, place[1])


@pytest.mark.parametrize(("column", "value"), [("user_s", "9e999"), ("own_cpu_s", "-9e999")])
def test_a_number_that_is_none_is_damage(study: Study, column: str, value: str) -> None:
    add_run(study, 1, 1, 2.0)
    with closing(sqlite3.connect(study.path)) as db:
        db.execute(f"UPDATE run SET {column} = {value}")
        db.commit()
    with pytest.raises(OvrikError, match=column):
        study.runs()


def test_a_kind_that_is_added_is_the_one_that_is_given_back(study: Study) -> None:
    names = ["calm", "busy", "dark"]
    made = [study.add_kind(n, study.programme(), Excerpt(k, 5)) for k, n in enumerate(names)]
    assert [(k.name, k.excerpt) for k in made] == [(n, Excerpt(k, 5)) for k, n in enumerate(names)]
    assert [k.id for k in made] == [k.id for k in study.kinds()]
    study.set_weight(made[1].id, 3.0)
    assert [k.weight for k in study.kinds()] == [1.0, 3.0, 1.0]


def test_an_encode_of_a_search_comes_back_as_it_was_kept(study: Study) -> None:
    place = study.programme(), study.facts().excerpt
    point = SearchPoint(1, recipe("libx264", "fast", 21), "r", 1.5, 9000, "ff", {"vmaf_mean": 91.5})
    made = study.keep_search_point(point, *place)
    assert made.made_utc
    assert study.search_points(place[0].checksum, place[1]) == [made]
    assert study.sealed is False
