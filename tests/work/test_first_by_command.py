"""`ovrik first`, `enter --first`, and answers by the number of exports that a film gets."""

import json
from pathlib import Path

import pytest

from by_command import ovrik
from ovrik.store.study import Study
from ovrik.study.clip.footage import Footage
from ovrik.study.contender.contender import Contender
from ovrik.study.encoder.intermediate import intermediate
from ovrik.study.encoder.recipe import recipe
from ovrik.study.programme.excerpt import whole
from ovrik.study.programme.programme import of_clip
from ovrik.study.question.conduct import Conduct
from ovrik.work.checking.scoring import score_all
from ovrik.work.timing.schedule import remaining
from ovrik.work.timing.series import time_all

X264 = recipe("libx264", "ultrafast", 23)


@pytest.fixture
def rendered(tmp_path: Path, footage: Footage) -> Path:
    """A study of an export done directly and from two intermediates; what comes first was timed once."""
    ways = [None, intermediate("ffv1", pixel_format="yuv420p"), intermediate("prores-lt")]
    made = Study.create(tmp_path / "s.ovrik", "first", of_clip(footage), whole(footage), rounds=1, warmup=0)
    made.set_conduct(Conduct(rest=False, repeat_disturbed=False))
    names = ("direct", "from FFV1", "from ProRes")
    for name, way in zip(names, ways, strict=True):
        made.add_contender(Contender("bundled", X264, prerendered=way, label=name))
    assert time_all(made, remaining(made, [c.contender_id for c in made.contenders()], 1))
    score_all(made)
    made.close()
    return made.path


def test_intermediates_are_ranked_by_themselves_and_no_export_is_made(rendered: Path) -> None:
    before = json.loads(ovrik("first", rendered, "--json").stdout)["first"]
    assert [(f["kind"], len(f["times"])) for f in before] == [("pre-render", 1)] * 2
    with_runs = Study.open(rendered)
    runs = len(with_runs.runs())
    with_runs.close()
    said = ovrik("first", rendered, "--times", 4)
    assert said.returncode == 0, said.stderr
    found = json.loads(ovrik("first", rendered, "--json").stdout)["first"]
    assert [len(f["times"]) for f in found] == [4, 4]
    assert [f["seconds"] for f in found] == sorted(f["seconds"] for f in found)
    for f in found:
        assert f["low"] < f["seconds"] < f["high"]
        assert any(
            f"{f['seconds']:.2f}" in line and "pre-render" in line for line in said.stdout.splitlines()
        )
    study = Study.open(rendered)
    assert len(study.runs()) == runs, "nothing was exported"
    assert {c.label for c in study.contenders()} >= {label for f in found for label in f["labels"]}
    study.close()


def test_nothing_comes_first_of_a_plain_export(study: Study) -> None:
    said = ovrik("first", study.path)
    assert (said.returncode, said.stdout) == (0, "Nothing comes first.\n")
    refused = ovrik("first", study.path, "--times", 2)
    assert refused.returncode == 2
    assert "Nothing comes first here" in refused.stderr


def test_a_verdict_for_one_two_and_many_exports_of_a_film(rendered: Path) -> None:
    def asked(*words: object) -> dict[str, object]:
        found = json.loads(ovrik("verdict", rendered, "--json", *words).stdout)
        return {c["label"]: c for c in found["contenders"]}

    one, ten, none = asked(), asked("--exports-a-film", 10), asked("--nobody-waits")
    for label in ("from FFV1", "from ProRes"):
        first = one[label]["first_s"]  # type: ignore[index]
        usual = one[label]["usual_s"]  # type: ignore[index]
        assert first > 0
        assert one[label]["cost_s"] == pytest.approx(usual + first)  # type: ignore[index]
        assert ten[label]["cost_s"] == pytest.approx(usual + first / 10)  # type: ignore[index]
        assert none[label]["cost_s"] == pytest.approx(usual)  # type: ignore[index]
    assert one["direct"]["cost_s"] == one["direct"]["usual_s"]  # type: ignore[index]
    again = asked()
    assert again == one, "an answer for so many exports changes nothing that is kept"


def test_a_time_that_was_taken_of_another_programs_render_counts(rendered: Path) -> None:
    said = ovrik("enter", rendered, "direct", "1:30", "--first")
    assert said.returncode == 0, said.stderr
    assert "whole cost 9" in said.stdout
    text = ovrik("verdict", rendered).stdout
    assert "entered by hand 90.00 s" in text
    assert "whole cost s" in text
    bad = ovrik("enter", rendered, "direct", "0", "--first")
    assert bad.returncode == 2


def test_the_report_says_what_comes_first_and_what_it_is_worth(rendered: Path, tmp_path: Path) -> None:
    place = tmp_path / "r.html"
    assert ovrik("report", rendered, "-o", place, "--exports-a-film", 3).returncode == 0
    page = place.read_text()
    assert "Whole cost" in page
    assert "3 of each film" in page
    assert "First, for from FFV1: pre-render" in page


def test_nothing_comes_first_of_what_the_user_has_not_allowed(tmp_path: Path, footage: Footage) -> None:
    """A study from a stranger: options outside the known lists do not run, nor does what would be made for them."""
    made = Study.create(tmp_path / "s.ovrik", "odd", of_clip(footage), whole(footage), rounds=1, warmup=0)
    odd = recipe("libx264", "ultrafast", raw=(("x264-params", "opencl-device=0"),))
    made.add_contender(Contender("bundled", odd, prerendered=intermediate("prores-lt"), label="odd"))
    made.close()
    said = ovrik("first", made.path, "--times", 1)
    assert said.returncode != 0
    study = Study.open(made.path)
    assert study.preparations() == []
    assert not (study.outputs / "prerendered").exists()
    study.close()
