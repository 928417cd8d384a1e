"""Stand-ins in real runs: one grows hot, one has two units; and the same contender twice is no difference."""

import subprocess
from pathlib import Path

import numpy as np
import pytest

from ovrik.export.run.trace import Trace
from ovrik.machine.builds.build import find_build
from ovrik.machine.sensors.readings import SensorValue
from ovrik.quality.decode.probe import probe
from ovrik.report.words.reasons import disturbed_words
from ovrik.standin.build import state_folder
from ovrik.store.records.run import RunRecord
from ovrik.store.study import Study
from ovrik.study.clip.footage import Footage
from ovrik.study.contender.contender import Contender
from ovrik.study.encoder.recipe import recipe
from ovrik.study.programme.excerpt import Excerpt, whole
from ovrik.study.programme.programme import of_clip
from ovrik.study.question.conduct import Conduct
from ovrik.work.evidence.gathered import gather
from ovrik.work.evidence.order_effects import Along
from ovrik.work.timing.fairness import State, rest
from ovrik.work.timing.schedule import remaining
from ovrik.work.timing.series import time_all

CALM = Conduct(rest=False, disturbed_share=0.9, repeat_disturbed=False)


def clip_of(folder: Path, size: str, frames: int) -> Footage:
    """A clip of the build's own test frames."""
    path = folder / f"{size}.mov"
    if not path.exists():
        pictures = ["-f", "lavfi", "-i", f"testsrc2=s={size}:r=25", "-frames:v", str(frames)]
        subprocess.run(
            [
                find_build("bundled").path,
                "-v",
                "error",
                *pictures,
                "-c:v",
                "libx264",
                "-preset",
                "ultrafast",
                "-pix_fmt",
                "yuv420p",
                str(path),
            ],
            check=True,
        )
    return probe(path)


@pytest.fixture(scope="module")
def pictures(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """A folder for clips."""
    return tmp_path_factory.mktemp("pictures")


def runs_of(
    folder: Path, clip: Footage, excerpt: Excerpt, contender: Contender, rounds: int
) -> list[RunRecord]:
    """Time a contender alone; gives its runs, the study lies in `folder`."""
    study = Study.create(folder / "d.ovrik", "Device", of_clip(clip), excerpt, rounds=rounds, warmup=0)
    study.set_conduct(CALM)
    study.add_contenders([contender])
    assert time_all(study, remaining(study, [1], rounds))
    study.close()
    return study_runs(folder)


def study_runs(folder: Path) -> list[RunRecord]:
    study = Study.open(folder / "d.ovrik")
    runs = study.runs()
    study.close()
    return runs


def series(folder: Path, run: RunRecord) -> Trace:
    """The trace on file of a run."""
    study = Study.open(folder / "d.ovrik")
    data = study.series(run.id)
    study.close()
    assert data is not None
    return Trace.unpacked(data)


@pytest.mark.quiet
def test_a_device_that_grows_hot_is_seen_to_throttle(pictures: Path, tmp_path: Path) -> None:
    clip = clip_of(pictures, "1280x720", 200)
    made = Contender("standin-reed", recipe("h264_standin", "fine"))
    (run,) = runs_of(tmp_path, clip, whole(of_clip(clip)), made, 1)
    assert "the clock dropped from 1800 to 1" in disturbed_words(run.disturbed)
    t = series(tmp_path, run)
    hot = t.columns["temperature [°C]"]
    assert hot[-2] > hot[0] + 20
    fps, third = t.columns["fps"], len(hot) // 3
    assert fps[-third:-1].mean() < 0.8 * fps[1 : third + 1].mean()
    assert 1.0 < (t.joules() or 0) < 60 * (run.wall_s or 0) * 1.1


@pytest.mark.quiet
def test_heat_that_stays_between_runs_is_reported_as_drift(pictures: Path, tmp_path: Path) -> None:
    clip = clip_of(pictures, "1280x720", 200)
    made = Contender("standin-reed", recipe("h264_standin", "fast"))
    (tmp_path / "before").mkdir()
    # The first run of an export is as slow as the real encoder behind the stand-in.
    runs_of(tmp_path / "before", clip, Excerpt(0, 100), made, 1)
    (state_folder() / "reed" / "activity.json").unlink()
    runs_of(tmp_path, clip, Excerpt(0, 100), made, 7)
    study = Study.open(tmp_path / "d.ovrik")
    found = {o.along: o.trend for o in gather(study).order}
    times = [r.wall_s or 0 for r in study.runs()]
    study.close()
    assert min(times[4:]) > 1.25 * min(times[:2])
    assert found[Along.HOUR].change > 0.2
    logs = np.log(times)
    said = found[Along.LATER].change
    assert said == pytest.approx(np.expm1(logs[1:].mean() - logs[0]))


class Cooling:
    """A device that cools by 10 degrees at each look."""

    def __init__(self) -> None:
        self.celsius = 80.0

    def read(self) -> list[SensorValue]:
        self.celsius -= 10
        return [SensorValue("temperature", self.celsius, "°C", "test")]


def test_a_rest_waits_for_the_device_as_well() -> None:
    said = rest(State(1.0, None, None, 45.0), Conduct(rest_limit_s=20), lambda: False, [Cooling()])
    assert said["waited_for"] == "temperature of the device"
    assert said["not_back"] == ""
    assert said["device_celsius"] <= 49


@pytest.mark.parametrize(
    ("size", "frames", "second"),
    [("1920x1080", 150, 100.0), pytest.param("1280x720", 200, 0.0, marks=pytest.mark.sweep)],
)
def test_the_trace_shows_when_the_second_unit_joins(
    pictures: Path, tmp_path: Path, size: str, frames: int, second: float
) -> None:
    clip = clip_of(pictures, size, frames)
    (run,) = runs_of(
        tmp_path, clip, whole(of_clip(clip)), Contender("standin-twin", recipe("h264_standin", "fast")), 1
    )
    t = series(tmp_path, run)
    assert t.columns["encoder 1 load [%]"].max() == 100
    assert t.columns["encoder 2 load [%]"].max() == second
    assert t.usual("encoder", "load [%]").keys() == {"encoder 1 load [%]", "encoder 2 load [%]"}


@pytest.mark.quiet
def test_the_same_contender_twice_is_no_difference(footage: Footage, tmp_path: Path) -> None:
    """An honest interval errs once in twenty studies: only twice in a row is a fault."""
    answers = []
    for n in range(2):
        study = Study.create(
            tmp_path / f"{n}.ovrik", "Null", of_clip(footage), whole(of_clip(footage)), warmup=1
        )
        study.set_conduct(Conduct(rest=False))
        same = recipe("libx264", "veryfast", 24)
        study.add_contenders([Contender("bundled", same), Contender("bundled", same, "again", True)])
        assert time_all(study, remaining(study, [1, 2], 8))
        found = gather(study)
        study.close()
        assert found.summaries[1].ratio is not None
        assert found.summaries[1].ratio.pairs == 8
        answers.append(found.summaries[1].answer)
        if answers[-1] in ("tie", "unsure"):
            return
    raise AssertionError(answers)
