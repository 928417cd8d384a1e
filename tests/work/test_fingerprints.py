"""Fingerprints side by side, and by command."""

import json

import pytest

from added_runs import add_run
from ovrik.cli import main
from ovrik.errors import OvrikError
from ovrik.store.study import Study
from ovrik.work.prepare.fingerprints import HERE, fingerprints, of_run


@pytest.fixture
def moved(study: Study) -> Study:
    """Timed on two other machines."""
    for number, machine in ((1, "A slow one"), (2, "A quick one")):
        add_run(study, 1, number, 2.0, machine=machine)
    return study


def test_this_machine_first_then_the_one_of_the_last_run(moved: Study) -> None:
    found = fingerprints(moved)
    assert [f.title for f in found] == [HERE, "run 2 and alike", "run 1 and alike"]
    assert found[1].facts["processor"] == "A quick one"
    assert of_run(moved, 1).facts["processor"] == "A slow one"
    assert of_run(moved, None).title == "run 2"
    with pytest.raises(OvrikError, match="no run 9"):
        of_run(moved, 9)


def test_a_study_without_runs_says_so(study: Study, capsys: pytest.CaptureFixture[str]) -> None:
    assert main(["machine", "--against", str(study.path)]) == 2
    assert "no run with a fingerprint" in capsys.readouterr().err


def test_by_command(moved: Study, capsys: pytest.CaptureFixture[str]) -> None:
    path = str(moved.path)
    moved.close()
    assert main(["machine", "--against", f"{path}:1", "--json"]) == 0
    found = json.loads(capsys.readouterr().out)
    assert found["against"] == "run 1"
    assert found["facts"][0] == {
        **found["facts"][0],
        "fact": "Processor",
        "run": "A slow one",
        "differs": True,
    }
    assert [f["differs"] for f in found["facts"]].count(True) == 1, (
        "what the run did not record is no difference"
    )
    assert main(["machine", "--against", path]) == 0
    lines = capsys.readouterr().out.splitlines()
    assert "A quick one" in lines[1]
    assert lines[1].startswith("≠")
