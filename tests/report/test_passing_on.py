"""What a study is passed on as: read back by others' readers it says the same."""

import csv
import io
import json
import shutil
from collections.abc import Iterator
from contextlib import closing
from pathlib import Path

import jsonschema
import pandas as pd
import pytest

from added_runs import add_run, scored
from ovrik.cli import main
from ovrik.demo.scenario import unpack_demo
from ovrik.errors import OvrikError
from ovrik.report.forms.as_csv import csv_rows
from ovrik.report.forms.as_ods import ods_bytes
from ovrik.report.forms.export import WholeStudy, export, whole_json
from ovrik.report.forms.privacy import bare, bare_argument, bare_text
from ovrik.report.forms.settings_sheet import settings_rows, settings_text
from ovrik.report.forms.tables import SheetTable, contenders_table, runs_table
from ovrik.report.values.everything import schema
from ovrik.report.words.verdict import sentence_of
from ovrik.store.records.run import RunRecord
from ovrik.store.study import Study
from ovrik.study.facts.notes import REFERENCE, Blind, BlindChoice, Pin, Spot
from ovrik.study.question.plan import load_plan
from ovrik.work.answers.over_kinds import gather_kinds
from ovrik.work.answers.sittings import gather_sittings
from ovrik.work.evidence.gathered import gather
from ovrik.work.lineup.able import builds_for
from ovrik.work.lineup.from_plan import study_from_plan
from ovrik.work.prepare.preparing import commands_of

SCHEMA = json.loads((Path(__file__).parents[2] / "docs" / "export.schema.json").read_text())


def whole(study: Study, private: bool = False) -> WholeStudy:
    e = gather(study)
    return WholeStudy(study, e, gather_kinds(study, {}, e), gather_sittings(study, e), (), private)


@pytest.fixture(scope="module")
def demo(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Study]:
    study = Study.open(unpack_demo(tmp_path_factory.mktemp("passing")))
    yield study
    study.close()


@pytest.fixture
def odd(study: Study) -> Study:
    """Failed, disturbed, unfinished and untimed, in two sittings."""
    scored(study, 1, [91.0, 92.5, 93.0])
    add_run(study, 2, 1, 2.0, state="failed")
    unfinished = RunRecord(3, study.facts().excerpt, "", round=1, argv=("x",), output="x.mp4")
    build = {"key": "b", "path": "/home/editor/b", "version": "9", "sha256": "a"}
    study.begin_run(unfinished, build, {"processor": "P"}, study.programme())
    study.begin_sitting("second")
    add_run(study, 1, 1, 3.1)
    return study


def test_csv_and_spreadsheet_read_back_as_the_same_numbers(demo: Study, tmp_path: Path) -> None:
    e = gather(demo)
    export(whole(demo), tmp_path / "c.csv")
    export(whole(demo), tmp_path / "r.csv", runs=True)
    export(whole(demo), tmp_path / "all.ods")
    for sheet, name, table in (
        ("Contenders", "c.csv", contenders_table(e)),
        ("Runs", "r.csv", runs_table(e)),
    ):
        by_csv = pd.read_csv(tmp_path / name)
        by_ods = pd.read_excel(tmp_path / "all.ods", engine="odf", sheet_name=sheet)
        assert list(by_csv.columns) == list(by_ods.columns) == list(table.heads)
        assert len(by_csv) == len(by_ods) == len(table.rows)
        for at, head in enumerate(table.heads):
            numbers = [row[at] for row in table.rows]
            if not any(isinstance(v, float) for v in numbers):
                continue
            wanted = [float("nan") if v is None else float(v) for v in numbers]
            assert by_csv[head].tolist() == pytest.approx(wanted, nan_ok=True)
            assert by_ods[head].tolist() == pytest.approx(wanted, nan_ok=True)
    usual = pd.read_csv(tmp_path / "c.csv").set_index("label").usual_s
    for s in e.summaries:
        if s.usual_s is not None:
            assert usual[s.contender.label] == pytest.approx(s.usual_s)


def test_a_label_is_never_calculated(tmp_path: Path) -> None:
    rows = [["label", "n"], ['=HYPERLINK("http://x")', -1.5], ["+1", 2.0], ["plain", None]]
    [_head, first, second, third] = list(csv.reader(io.StringIO(csv_rows(rows))))
    assert first == ['\'=HYPERLINK("http://x")', "-1.5"]
    assert second[0] == "'+1"
    assert third == ["plain", ""]
    data = ods_bytes([SheetTable("S", ("a",), (("=1+1",), ("tab\x00\x07s",)))])
    found = pd.read_excel(io.BytesIO(data), engine="odf")
    assert found.a.tolist() == ["=1+1", "tab  s"]


@pytest.mark.parametrize("private", [False, True])
def test_json_is_as_its_schema_says(demo: Study, private: bool) -> None:
    made = whole_json(whole(demo, private))
    jsonschema.Draft202012Validator(SCHEMA).validate(made)
    said = json.dumps(made)
    assert (str(Path.home()) in said or "/tmp/" in said) == private
    assert made["verdict"]["sentence"] == sentence_of(gather(demo))


def test_the_schema_on_file_is_that_of_the_records() -> None:
    assert schema() == SCHEMA, (
        "write it anew: python -m ovrik.report.values.everything > docs/export.schema.json"
    )


def test_json_of_odd_studies_is_as_its_schema_says(odd: Study, study: Study) -> None:
    made = whole_json(whole(odd))
    jsonschema.Draft202012Validator(SCHEMA).validate(made)
    assert made["sittings"][0]["now"]["name"] == "second"
    first = whole_json(whole(odd.at(odd.sittings()[0])))
    jsonschema.Draft202012Validator(SCHEMA).validate(first)
    assert {r["state"] for c in first["contenders"] for r in c["runs"]} >= {"done", "failed"}


def test_notes_and_blind_comparisons_are_passed_on_whole(odd: Study) -> None:
    place = odd.programme(), odd.facts().excerpt
    pin = Pin(1, "ff", 3, (0.1, 0.2, 0.3, 0.4), "soft")
    choices = tuple(BlindChoice(0, True, True, 1.5) for _n in range(7))
    odd.keep_pin(pin, *place)
    odd.keep_blind(Blind("ff", REFERENCE, "key", "Ida", "Fit", (Spot(3),), 20, choices), *place)
    made = whole_json(whole(odd))
    jsonschema.Draft202012Validator(SCHEMA).validate(made)
    [note], [blind] = made["notes"], made["blind_comparisons"]
    assert note["label"] == "x264 veryfast CRF 24"
    assert (note["note"]["frame"], note["note"]["area"], note["note"]["words"]) == (
        3,
        [0.1, 0.2, 0.3, 0.4],
        "soft",
    )
    assert (blind["comparison"]["viewer"], len(blind["comparison"]["choices"])) == ("Ida", 7)
    assert (blind["result"]["chose_one"], blind["result"]["trials"]) == (7, 7)


def test_the_schema_refuses_what_it_does_not_know(demo: Study) -> None:
    made = whole_json(whole(demo))
    for change in ({"verdict": None}, {"contenders": [{}]}, {"tie_band": "2 %"}, {"something": 1}):
        with pytest.raises(jsonschema.ValidationError):
            jsonschema.Draft202012Validator(SCHEMA).validate({**made, **change})


VARIED = """
[study]
title = "Varied"
footage = "%s"
excerpt = { start_frame = 3, frames = 20 }
[[treatment]]
kind = "denoise"
method = "light temporal"
[limits]
vmaf_mean = 91.5
megabytes_per_minute = 80
[[contender]]
label = "odd \\"name\\""
encoder = "libx264"
quality = 19.5
tune = "film"
[[contender]]
encoder = "libx265"
preset = "fast"
pixel_format = "yuv420p10le"
size = "1280x720"
methods = { resize = "lanczos" }
[[contender]]
encoder = "libx264"
bit_rate = "3M"
rate_control = "two passes"
container = "mkv"
build = "system"
[[contender]]
encoder = "libx264"
prerendered = "prores-hq"
[[contender]]
encoder = "prores_ks"
treatments = "opencl"
"""


def test_the_plan_gives_the_same_line_up_argument_for_argument(clip: Path, tmp_path: Path) -> None:
    (tmp_path / "first.toml").write_text(VARIED % clip)
    with closing(study_from_plan(load_plan(tmp_path / "first.toml"), tmp_path / "first.ovrik")) as first:
        export(whole(first), tmp_path / "again.toml")
        with closing(study_from_plan(load_plan(tmp_path / "again.toml"), tmp_path / "new.ovrik")) as made:
            ours, theirs = first.contenders(), made.contenders()
            assert [c.label for c in ours] == [c.label for c in theirs]
            assert [c.identity for c in ours] == [c.identity for c in theirs]
            builds = builds_for(ours)
            for a, b in zip(ours, theirs, strict=True):
                mine, other = (commands_of(s, c, builds[c.build]) for s, c in ((first, a), (made, b)))
                assert _of_one_study(mine) == _of_one_study(other)
            assert made.facts().limits == first.facts().limits
            assert made.facts().excerpt == first.facts().excerpt


def _of_one_study(commands: list[list[str]]) -> list[list[str]]:
    return [[x.replace("new outputs", "first outputs") for x in command] for command in commands]


def test_names_of_folders_go_and_the_rest_stays() -> None:
    assert bare_argument("file:/home/ann/film.mov") == "file:film.mov"
    assert bare_argument("30000/1001") == "30000/1001"
    assert bare_argument("/usr/bin/ffmpeg") == "ffmpeg"
    assert (
        bare_argument("lut3d=file=/home/ann/look.cube:interp=tetrahedral")
        == "lut3d=file=look.cube:interp=tetrahedral"
    )
    assert bare_text("can't read /media/ann/disk/a.mov (gone)") == "can't read a.mov (gone)"
    assert bare_text("12/25 frames, 3 MB/s") == "12/25 frames, 3 MB/s"
    assert bare({"a": ["/home/ann/x", 3, None, {"b": "/tmp/y.mov"}]}) == {"a": ["x", 3, None, {"b": "y.mov"}]}


def test_a_target_that_can_not_be_written_keeps_what_was_there(demo: Study, tmp_path: Path) -> None:
    with pytest.raises(OvrikError, match="is a folder"):
        export(whole(demo), _folder(tmp_path / "x.html"))
    with pytest.raises(OvrikError, match="no such folder is not there"):
        export(whole(demo), tmp_path / "no such folder" / "x.csv")
    with pytest.raises(OvrikError, match="no form that is known"):
        export(whole(demo), tmp_path / "x.doc")
    with pytest.raises(OvrikError, match="for CSV"):
        export(whole(demo), tmp_path / "x.json", runs=True)


def _folder(path: Path) -> Path:
    path.mkdir()
    return path


def test_the_settings_sheet_says_what_the_command_does(demo: Study) -> None:
    e = gather(demo)
    for s in e.summaries:
        rows = dict(settings_rows(s, e))
        r = s.contender.recipe
        assert rows["Video codec"] == r.facts.codec_title
        assert rows["Container"].startswith(r.container)
        if r.quality is not None:
            assert rows[r.facts.quality.name] == f"{r.quality:g}"
        assert settings_text(s, e).startswith(s.contender.label)
    x265 = next(s for s in e.summaries if s.contender.label == "x265 fast")
    assert dict(settings_rows(x265, e))["Bit depth"] == "10 bit"


def test_by_command(demo: Study, tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    path = str(demo.path)
    for name in ("a.csv", "a.json", "a.ods", "a.html", "a.toml", "it's “a”.pdf"):
        assert main(["export", path, "-o", str(tmp_path / name)]) == 0, name
        assert (tmp_path / name).stat().st_size > 500
    assert (tmp_path / "it's “a”.pdf").read_bytes().startswith(b"%PDF")
    assert main(["report", path, "-o", str(tmp_path / "a.csv")]) == 2
    capsys.readouterr()
    assert main(["command", path, "--sheet", "--json"]) == 0
    assert json.loads(capsys.readouterr().out)["label"] == gather(demo).choice.contender.label
    assert main(["beside", path, path, "--json", "-o", str(tmp_path / "b.svg")]) == 0
    found = json.loads(capsys.readouterr().out)
    assert [s["name"] for s in found["studies"]] == [f"{demo.path.stem} (1)", f"{demo.path.stem} (2)"]
    timed = [c["studies"] for c in found["contenders"] if c["studies"][0] and c["studies"][0]["usual_s"]]
    assert timed
    assert all(b["against_first"]["value"] == pytest.approx(1.0) for a, b in timed)
    assert (tmp_path / "b.svg").read_text().count("<circle") == 2 * len(timed)


def test_a_study_from_a_newer_schema_and_a_damaged_one(demo: Study, tmp_path: Path) -> None:
    for name, act in (
        ("newer", "PRAGMA user_version = 99"),
        ("damaged", "UPDATE contender SET recipe = '{'"),
    ):
        path = tmp_path / f"{name}.ovrik"
        shutil.copy(demo.path, path)
        import sqlite3

        with closing(sqlite3.connect(path)) as db:
            db.execute(act)
            db.commit()
        before = path.read_bytes()
        assert main(["export", str(path), "-o", str(tmp_path / "x.html")]) == 2
        assert not (tmp_path / "x.html").exists()
        assert path.read_bytes() == before
