"""Every command answers in JSON, and in nothing else, when it is asked to."""

import argparse
import json
import shutil
from pathlib import Path

import pytest

from ovrik.cli import main, parser


def verbs(of: argparse.ArgumentParser) -> dict[str, argparse.ArgumentParser]:
    found = next(a for a in of._actions if isinstance(a, argparse._SubParsersAction))
    return dict(found.choices)


def test_every_verb_takes_it() -> None:
    every = verbs(parser())
    outside = every.pop("outside")
    for name, one in {**every, **verbs(outside)}.items():
        assert any("--json" in a.option_strings for a in one._actions), name


@pytest.fixture(scope="module")
def made(tmp_path_factory: pytest.TempPathFactory, clip: Path) -> Path:
    folder = tmp_path_factory.mktemp("json")
    shutil.copy(clip, folder / "a 'film'.mkv")
    (folder / "p.toml").write_text(
        '[study]\ntitle = "J"\nfootage = "a \'film\'.mkv"\nrounds = 1\nwarmup = 0\n'
        "[timing]\nrest = false\nrepeat_disturbed = false\n"
        '[[contender]]\nencoder = "libx264"\npreset = "ultrafast"\n'
    )
    return folder


def told(capsys: pytest.CaptureFixture[str], *arguments: object, code: int = 0) -> dict:
    capsys.readouterr()
    assert main([*map(str, arguments), "--json"]) == code
    return json.loads(capsys.readouterr().out, parse_constant=lambda word: pytest.fail(f"{word} is no JSON"))


def test_one_study_from_first_to_last(made: Path, capsys: pytest.CaptureFixture[str]) -> None:
    plan, study = made / "p.toml", made / "s.ovrik"
    run = told(capsys, "run", plan, "-o", study)
    label = run["contenders"][0]["label"]
    assert {r["state"] for r in run["contenders"][0]["runs"]} == {"done"}
    assert run["over_all"] is None
    assert told(capsys, "check", study)["checked"] == 0
    estimate = told(capsys, "estimate", study)
    assert estimate["runs"] == 0
    assert label in estimate["one_run"]
    entered = told(capsys, "enter", study, label, "0:02")
    assert entered["label"] == label
    assert told(capsys, "outside", "add", study, "--program", "Bell Yard")["label"].startswith("Bell Yard")
    (made / "t.csv").write_text("name,seconds\nBell Yard,3.5\n")
    found = told(
        capsys,
        "outside",
        "import",
        study,
        made / "t.csv",
        "--contender",
        "name",
        "--time",
        "seconds",
        "--unit",
        "s",
    )
    assert (found["brought_in"], found["times"][0]["seconds"]) == (0, 3.5)
    watched = told(capsys, "outside", "watch", study, made, "--exports", "0")
    assert watched == {"runs": [], "checked": None}
    rescued = told(capsys, "rescue", study, "-o", made / "r.ovrik")
    assert rescued["kept"]["run"] >= 2
    assert rescued["lost"] == []
    assert told(capsys, "cache")["files"] >= 1
    assert told(capsys, "approve", study) == {"approved": [], "refused": []}
    assert "ovrik" in told(capsys, "completion", "bash")["script"]
    assert told(capsys, "history", study)["pairs"] == []
    assert told(capsys, "send", study, "--size")["bytes"] > 10_000


def test_an_error_is_json_too(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    found = told(capsys, "verdict", tmp_path / "none.ovrik", code=2)
    assert "none.ovrik" in found["error"]
    assert set(found) == {"error", "remedy"}
    assert main(["verdict", str(tmp_path / "none.ovrik")]) == 2
    assert capsys.readouterr().out == ""


def test_a_plan_is_estimated_before_anything_is_run(made: Path, capsys: pytest.CaptureFixture[str]) -> None:
    plan = made / "ahead.toml"
    plan.write_text(
        '[study]\ntitle = "A"\nfootage = "a \'film\'.mkv"\nrounds = 3\nwarmup = 1\n'
        '[[excerpt]]\nname = "one"\nstart_frame = 0\nframes = 10\n'
        '[[excerpt]]\nname = "two"\nstart_frame = 5\nframes = 20\n'
        '[[contender]]\nencoder = "libx264"\npreset = "ultrafast"\n'
    )
    before = sorted(p.name for p in made.iterdir())
    untried = told(capsys, "estimate", plan)
    assert (untried["runs"], untried["seconds"]) == (8, None)
    found = told(capsys, "estimate", plan, "--try")
    assert sorted(p.name for p in made.iterdir()) == before, "nothing of it is kept"
    assert set(found["excerpts"]) == {"one", "two"}
    assert found["seconds"] == pytest.approx(sum(e["seconds"] for e in found["excerpts"].values()))
    assert found["runs"] == sum(e["runs"] for e in found["excerpts"].values()) == 8
    assert found["low"] <= found["seconds"] <= found["high"]
