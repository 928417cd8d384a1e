"""Studies side by side: what is matched, what is comparable, and what is said first."""

import json
from collections.abc import Iterator
from contextlib import closing, contextmanager
from dataclasses import replace
from pathlib import Path

import pytest

from added_runs import add_run
from ovrik.cli import main
from ovrik.errors import OvrikError
from ovrik.report.forms.as_beside import beside_text
from ovrik.report.values.of_beside import beside_passed
from ovrik.store.sent_copy import copy_of
from ovrik.store.study import Study
from ovrik.study.contender.contender import Contender
from ovrik.study.encoder.recipe import recipe
from ovrik.study.programme.excerpt import Excerpt
from ovrik.work.answers.beside import lay_beside


@contextmanager
def copied(study: Study, path: Path) -> Iterator[Study]:
    """The same question in another file, nothing timed."""
    copy_of(study.path, path)
    with closing(Study.open(path)) as made:
        yield made


def timed(study: Study, scale: float, machine: str) -> None:
    for number, seconds in ((1, 4.0), (2, 2.0)):
        for round_ in range(1, 6):
            add_run(study, number, round_, seconds * scale * (1 + 0.001 * round_), machine=machine)


def test_contenders_are_matched_by_recipe_wherever_they_stand(study: Study, tmp_path: Path) -> None:
    with copied(study, tmp_path / "other.ovrik") as other:
        # In the other study the same recipes are asked of another build, in another order, under other names.
        for c in other.contenders():
            other.drop_contender(c.contender_id)
        second, first = (c for c in reversed(study.contenders()[:2]))
        for n, c in enumerate((second, first)):
            other.add_contender(
                replace(c, contender_id=0, build="system", label=f"number {n}", label_given=True)
            )
        timed(study, 1.0, "P")
        slow, quick = other.contenders()[1], other.contenders()[0]
        for round_ in range(1, 6):
            add_run(other, slow.contender_id, round_, 8.0, machine="Q")
            add_run(other, quick.contender_id, round_, 4.0, machine="Q")
        found = lay_beside([study, other])
    rows = {r.label: r for r in found.rows if all(r.cells)}
    assert len(rows) == 2
    for row in rows.values():
        mine, theirs = row.cells
        assert mine.contender.recipe == theirs.contender.recipe
        assert theirs.usual_s == pytest.approx(2 * mine.usual_s, rel=0.01)
        assert row.changes[0] is None
        assert row.changes[1].answer == "slower"
    assert found.unlike == ()
    assert any("P" in words and "Q" in words for words in found.apart)


def test_another_excerpt_is_said_first_and_no_times_are_compared(study: Study, tmp_path: Path) -> None:
    timed(study, 1.0, "P")
    with copied(study, tmp_path / "other.ovrik") as other:
        other.set_excerpt(Excerpt(0, 20))
        timed(other, 3.0, "P")
        found = lay_beside([study, other])
    assert "another excerpt" in found.unlike[0]
    assert all(c is None for row in found.rows for c in row.changes)
    assert beside_text(found).startswith("NOT COMPARABLE in absolute time: ")
    own = [row.cells[1].ratio.value for row in found.rows if row.cells[1] and row.cells[1].ratio]
    assert max(own) == pytest.approx(2.0, rel=0.01), "speeds against its own baseline are there all the same"


def test_one_recipe_with_several_builds_is_matched_by_version(study: Study, tmp_path: Path) -> None:
    for c in study.contenders():
        study.drop_contender(c.contender_id)
    for build in ("bundled", "system"):
        study.add_contender(Contender(build, recipe("libx264", "fast", 24)))
    with copied(study, tmp_path / "other.ovrik") as other:
        for one, scale in ((study, 1.0), (other, 1.0)):
            ids = [c.contender_id for c in one.contenders()]
            for round_ in range(1, 4):
                add_run(one, ids[0], round_, 2.0 * scale, version="9.0.2")
                add_run(one, ids[1], round_, 3.0 * scale, version="5.1")
        found = lay_beside([study, other])
    assert [row.cells[0].usual_s for row in found.rows] == pytest.approx([2.0, 3.0])
    assert [row.cells[1].usual_s for row in found.rows] == pytest.approx([2.0, 3.0])


def test_how_many_and_by_command(study: Study, tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    timed(study, 1.0, "P")
    with pytest.raises(OvrikError, match="1 studies"):
        lay_beside([study])
    made = beside_passed(lay_beside([study, study]))
    assert [s.name for s in made.studies] == ["tiny (1)", "tiny (2)"]
    names = [str(study.path)] * 13
    assert main(["beside", *names]) == 2
    capsys.readouterr()
    assert main(["beside", *names[:3], "--json"]) == 0
    assert json.loads(capsys.readouterr().out)["not_comparable"] == []
