"""Tables from elsewhere: columns, times and units as people write them; marked as brought in; nothing half taken."""

from pathlib import Path

import pytest

from ovrik.cli import main
from ovrik.errors import OvrikError
from ovrik.report.words.reasons import doubt_words
from ovrik.store.study import Study
from ovrik.work.evidence.gathered import gather
from ovrik.work.outside.old_results import bring_in, left_out_words, read_table, times_of


def table(tmp_path: Path, text: str) -> Path:
    path = tmp_path / "old times.csv"
    path.write_text(text, encoding="utf-8")
    return path


@pytest.mark.parametrize(
    ("text", "seconds", "steps"),
    [
        ("Setting,Time\nA,1:01\nB,1:02:03\n", [61.0, 3723.0], [1.0, 1.0]),
        ("Setting;Time (s)\nA;61,4\nB;62,05\n", [61.4, 62.05], [0.1, 0.01]),
        ("name\tminutes\nA\t1.5\nB\t2\n", [90.0, 120.0], [6.0, 60.0]),
        ("label,Export time [min]\nA,1:01.5\n\nB,3\n", [61.5, 180.0], [0.1, 60.0]),
        ("Program,export seconds\nA,12\nB,13\n", [12.0, 13.0], [1.0, 1.0]),
        ("software version,time of export (s)\nA,12\nB,13\n", [12.0, 13.0], [1.0, 1.0]),
        ("\ufeffencoder,seconds,note\nA,12\nB,13,\n", [12.0, 13.0], [1.0, 1.0]),
    ],
)
def test_times_as_people_write_them(
    text: str, seconds: list[float], steps: list[float], tmp_path: Path
) -> None:
    found, left = times_of(read_table(table(tmp_path, text)))
    assert left == []
    assert [t.seconds for t in found] == pytest.approx(seconds)
    assert [t.step_s for t in found] == pytest.approx(steps)
    assert [t.label for t in found] == ["A", "B"]


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("Setting,Time\nA,61.4\n", "may be seconds or minutes"),
        ("Setting,Time (s)\nA,fast\n", "No row has a contender and a time; row 2: “fast” is not a time"),
        ("x,y\nA,1:01\n", "No column looks like the time"),
        ("Setting,Time\n", "holds no table"),
        ("Setting,Time\n,1:01\n", "No row has a contender and a time"),
    ],
)
def test_what_is_unclear_is_asked(text: str, words: str, tmp_path: Path) -> None:
    with pytest.raises(OvrikError, match=words):
        times_of(read_table(table(tmp_path, text)))


def test_rows_that_are_left_out_are_counted_and_named(tmp_path: Path) -> None:
    text = "Program,time (s)\nA,12\n,13\nB,\nC,fast\nD,0\nE,14\n"
    found, left = times_of(read_table(table(tmp_path, text)))
    assert [t.row for t in found] == [2, 7]
    assert [one.row for one in left] == [3, 4, 5, 6]
    said = left_out_words(left)
    assert said.startswith(
        "4 rows left out (row 3: “Program” is empty; row 4: “time (s)” is empty; row 5: “fast”"
    )
    assert "row 6: “0” can't be the time of an export" in said
    assert left_out_words([]) == ""
    many = left_out_words(left * 5)
    assert many.startswith("20 rows left out")
    assert many.endswith("; and 12 more)")


def test_a_unit_and_columns_can_be_said(tmp_path: Path) -> None:
    path = table(tmp_path, "x,y\nA,2\n")
    [found], _left = times_of(read_table(path, "x", "y", "min"))
    assert (found.seconds, found.row) == (120.0, 2)
    with pytest.raises(OvrikError, match="There is no column “z”"):
        read_table(path, "z", "y")


def test_they_are_runs_that_say_where_they_came_from(study: Study, tmp_path: Path) -> None:
    one, other = (c.label for c in study.contenders()[:2])
    found, _left = times_of(
        read_table(table(tmp_path, f"name,seconds\n{one},8.0\n{other},4.0\n{one},8.2\n{other},4.1\n"))
    )
    assert bring_in(study, found, "old times.csv") == 4
    first, second = gather(study).summaries[:2]
    assert [r.wall_s for r in first.runs] == [8.0, 8.2]
    assert first.runs[0].by_hand
    assert doubt_words(first.runs[0]) == "read in steps of 0.1 s, brought in from old times.csv, row 2"
    assert second.ratio is not None
    assert second.ratio.value == pytest.approx(2.0, rel=0.01)


def test_unknown_labels_take_nothing_in_unless_they_are_to_be_added(study: Study, tmp_path: Path) -> None:
    found, _left = times_of(read_table(table(tmp_path, "name,seconds\nBell Yard 7,8.0\n")))
    with pytest.raises(OvrikError, match="has no Bell Yard 7"):
        bring_in(study, found, "t.csv")
    assert study.runs() == []
    assert bring_in(study, found, "t.csv", add=True) == 1
    assert study.contenders()[-1].label == "Bell Yard 7"
    assert study.contenders()[-1].outside


def test_the_command_shows_before_it_takes(
    study: Study, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    label = study.contenders()[0].label
    path = table(tmp_path, f"name,time\n{label},1:01\n")
    assert main(["outside", "import", str(study.path), str(path)]) == 0
    said = capsys.readouterr().out
    assert f"row 2: {label}: 1:01 = 61 s ± 0.5" in said
    assert "Nothing was brought in" in said
    assert study.runs() == []
    assert main(["outside", "import", str(study.path), str(path), "--yes"]) == 0
    assert "1 time brought in" in capsys.readouterr().out
    assert len(study.runs()) == 1
