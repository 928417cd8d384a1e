"""Playing outputs, told without playing: by what they are played, and how far it has come; and other small steps."""

from pathlib import Path
from types import SimpleNamespace
from typing import Any

import pytest

from added_runs import add_run, scored
from ovrik.export.command.export import Export
from ovrik.machine.builds.build import find_build
from ovrik.store.records.made import PlaybackRecord
from ovrik.store.study import Study
from ovrik.study.contender.contender import Contender
from ovrik.study.encoder.recipe import recipe
from ovrik.work.checking import playback
from ovrik.work.checking.playback import play_output
from ovrik.work.evidence.gathered import gather
from ovrik.work.evidence.outputs_on_disk import output_path
from ovrik.work.lineup.able import judge_for
from ovrik.work.prepare import preparing
from ovrik.work.prepare.preparing import _frames_proved


@pytest.fixture
def jobs(study: Study, clip: Path, monkeypatch: pytest.MonkeyPatch) -> list[tuple[Export, str, str]]:
    """What would be played, of outputs that are the clip itself: the job, the size and the output's checksum."""
    found: list[tuple[Export, str, str]] = []

    def size(
        _b: object, c: Contender, job: Export, size: str, _r: float, _n: int, output: str, _m: int
    ) -> list[Any]:
        found.append((job, size, output))
        return [PlaybackRecord(c.contender_id, output, size, 1, 1, (), 1.0)]

    monkeypatch.setattr(playback, "_size", size)
    monkeypatch.setattr(playback, "_summed", lambda made: made[0].size)
    monkeypatch.setattr(playback, "output_path", lambda _s, _r: clip)
    return found


def test_an_output_is_played_by_its_own_build_or_by_the_bundled_one(
    study: Study, jobs: list[tuple[Export, str, str]]
) -> None:
    said: list[tuple[float, str]] = []
    bench: Any = SimpleNamespace(study=study, say=lambda share, what: said.append((share, what)))
    own = Contender("bundled", recipe("libx264", "fast", 20), label="own", decode="vaapi")
    simulated = Contender("standin-reed", recipe("libx264", "fast", 20), label="simulated", decode="vaapi")
    gone = Contender("gone", recipe("libx264", "fast", 20), label="gone", decode="vaapi")
    for c in (own, simulated, gone):
        study.add_contender(c)
    made = study.contenders()[-3:]
    for c in made:
        add_run(study, c.contender_id, 1, 3.0)
        assert play_output(bench, c, sizes=("full", "half", "quarter")) == ["full", "half", "quarter"]
    bundled = find_build("bundled").path
    assert {job.program for job, _s, _o in jobs} == {bundled}
    assert [job.decode for job, size, _o in jobs if size == "full"] == ["vaapi", "software", "software"]
    assert {output for _j, _s, output in jobs} == {"ff"}
    assert [round(share, 3) for share, _what in said[:3]] == [0.0, 0.333, 0.667]
    assert "quarter" in said[2][1]


def test_how_far_a_proof_of_frames_has_come_is_said_in_steps(
    study: Study, monkeypatch: pytest.MonkeyPatch
) -> None:
    build = find_build("bundled")
    plan: Any = SimpleNamespace(
        described=False, maker=None, build=build, programme=study.programme(), excerpt=study.facts().excerpt,
        straight=lambda: None,
    )  # fmt: skip
    said: list[str] = []

    def wrong(_r: object, _p: object, _e: object, on_share: Any, _stop: object) -> str:
        for n in range(1001):
            on_share(n / 1000)
        return "no"

    monkeypatch.setattr(preparing, "wrong_frames", wrong)
    monkeypatch.setattr(preparing, "reader_of", lambda *_a: None)
    assert _frames_proved(plan, lambda words, _p: said.append(words), lambda: False) == "no"
    assert len(said) == 21
    assert said[0].endswith("0%")
    assert said[-1].endswith("98%") or said[-1].endswith("100%")
    plan.described = True
    assert _frames_proved(plan, lambda _w, _p: None, lambda: False) == ""


def test_no_device_decodes_for_a_stand_in(study: Study) -> None:
    one = Contender("standin-reed", recipe("libx264", "fast", 20), label="simulated", decode="vaapi")
    judge = judge_for(study.programme(), study.facts().excerpt, [one])
    build = judge.builds["standin-reed"]
    [said] = judge._decoding(one, build)
    assert "does not decode by" in said
    assert judge._decoding(Contender("bundled", recipe("libx264", "fast", 20)), find_build("bundled")) == []


def test_an_output_of_a_scored_run_lies_in_the_studys_folder(study: Study) -> None:
    scored(study, 1, [90.0] * 30)
    run = gather(study).summaries[0].output_run
    assert run is not None
    path = output_path(study, run)
    assert path is not None
    assert path.name == "1.mp4"
    assert path.parent.name.endswith("outputs")
