"""Simulated devices keep to their profiles, refuse what they can't do, and are marked everywhere."""

import json
import math
import statistics
import subprocess
import time
from pathlib import Path

import pytest

from ovrik.export.run.timed import RunResult, timed_run
from ovrik.machine.builds.build import find_build, locate
from ovrik.machine.devices.trial import FAILS, FALLS_BACK, WORKS
from ovrik.machine.devices.trials import try_build
from ovrik.machine.sensors.readings import DriverSensors, SystemSensors
from ovrik.machine.sensors.simulated import StandinSensors
from ovrik.quality.decode.probe import probe
from ovrik.report.forms.as_text import verdict_text
from ovrik.report.values.everything import evidence_json
from ovrik.standin.build import keys, program_for, state_folder
from ovrik.standin.profile import FOLDER, Profile, ProfileError, load_profile, profiles
from ovrik.store.study import Study
from ovrik.study.clip.footage import Footage
from ovrik.study.contender.contender import Contender, labelled
from ovrik.study.encoder.recipe import recipe
from ovrik.study.programme.excerpt import whole
from ovrik.work.evidence.gathered import gather
from ovrik.work.timing.schedule import remaining
from ovrik.work.timing.series import time_all
from plain_export import export_command

FULL_HD = 1920 * 1080


def profile(key: str) -> Profile:
    return next(p for p in profiles() if p.key == key)


def run(
    key: str,
    footage: Footage,
    folder: Path,
    encoder: str = "h264_standin",
    preset: str = "fast",
    pixel_format: str = "yuv420p",
) -> RunResult:
    build = find_build(f"standin-{key}")
    partial = folder / f"{key}-{preset}.part.mp4"
    made = recipe(encoder, preset, 23, pixel_format=pixel_format)
    argv = export_command(build.path, footage, whole(footage), made, partial, build.options)
    return timed_run([argv], partial, folder / f"{key}.mp4")


def test_all_five_are_builds_and_say_what_they_are() -> None:
    assert keys() == [f"standin-{n}" for n in ("anvil", "bellows", "echo", "reed", "twin")]
    for key in keys():
        build = find_build(key)
        assert build.simulated
        assert build.to_json()["simulated"] is True
        assert "h264_standin" in build.encoders
    assert "av1_standin" in find_build("standin-twin").encoders
    assert "av1_standin" not in find_build("standin-anvil").encoders
    assert find_build("bundled").simulated is False


def test_it_makes_a_real_file_and_keeps_to_its_pace(footage: Footage, tmp_path: Path) -> None:
    first = run("anvil", footage, tmp_path)
    assert first.state == "done"
    made = probe(tmp_path / "anvil.mp4")
    assert (made.codec, made.frames, made.width, bool(made.sounds)) == ("h264", 30, 320, True)
    p = profile("anvil")
    due = p.seconds("h264", "fast", 320 * 180, 30, 1.0, 8)
    second = run("anvil", footage, tmp_path)
    assert second.usage is not None
    assert due * 0.93 <= second.usage.wall_s <= 3 * due + 2
    assert second.frames == 30
    assert second.usage.user_s < second.usage.wall_s  # it waits; it does not work


def test_what_its_encoder_says_last_is_heard(
    footage: Footage, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """An encoder whose last report and whose end come together, while the device waits."""
    build, real = find_build("standin-anvil"), tmp_path / "encoder"
    real.write_text(
        f'#!/bin/sh\n{locate("bundled")} "$@" >/dev/null 2>&1\n'
        "echo frame=26\necho progress=continue\nsleep 0.7\necho frame=30\necho progress=end\n"
    )
    real.chmod(0o755)
    monkeypatch.setenv("XDG_CACHE_HOME", str(tmp_path / "cache"))
    program = program_for("standin-anvil", real)
    for number in range(2):
        partial = tmp_path / f"{number}.part.mp4"
        made = recipe("h264_standin", "fast", 20 + number)
        argv = export_command(str(program), footage, whole(footage), made, partial, build.options)
        assert timed_run([argv], partial, tmp_path / f"{number}.mp4").frames == 30


def test_slower_presets_and_larger_frames_take_longer() -> None:
    p = profile("anvil")
    times = [p.seconds("h264", preset, FULL_HD, 100, 1.0, 8) for preset in ("fast", "balanced", "fine")]
    assert times == sorted(times)
    assert times[0] == pytest.approx(0.35 + 100 * FULL_HD / 150e6)


def test_the_second_unit_joins_only_when_it_should() -> None:
    p = profile("twin")
    assert p.units_at_work("fast", 1280 * 720) == 1
    assert p.units_at_work("fast", FULL_HD) == 2
    assert p.units_at_work("balanced", FULL_HD) == 1
    both = p.seconds("h264", "fast", FULL_HD, 500, 1.0, 8) - p.startup_s
    assert both == pytest.approx(500 * FULL_HD / 320e6)


def test_heat_slows_the_rest_down() -> None:
    p = profile("reed")
    rate = FULL_HD / 90e6
    early, late = (p.seconds("h264", "fast", FULL_HD, n, 1.0, 8) for n in (10, 1000))
    assert early == pytest.approx(p.startup_s + 10 * rate)
    assert late == pytest.approx(p.startup_s + 3 + (1000 * rate - 3) / 0.6)


def test_the_link_of_an_external_box_is_the_limit() -> None:
    p = profile("bellows")
    one, two = (p.seconds("h264", "fast", FULL_HD, n, 1.0, 8) for n in (1, 2))
    per_frame = two - one
    assert per_frame == pytest.approx(FULL_HD * 1.5 / 110e6)
    deep = p.seconds("hevc", "fast", FULL_HD, 2, 1.0, 10) - p.seconds("hevc", "fast", FULL_HD, 1, 1.0, 10)
    assert deep == pytest.approx(2 * per_frame)


def test_what_it_refuses_is_reported(footage: Footage, tmp_path: Path) -> None:
    refused = run("reed", footage, tmp_path, "hevc_standin", pixel_format="yuv420p10le")
    assert refused.state == "failed"
    assert "10 bit is not supported by Reed" in refused.reason
    p = profile("reed")
    assert "is over Reed's 1920x1920" in p.refusal("h264", "fast", 3840, 2160, 8)
    assert "does not encode av1" in p.refusal("av1", "fast", 640, 360, 8)
    assert p.refusal("h264", "fast", 640, 360, 8) == ""


def test_sessions_are_limited(footage: Footage, tmp_path: Path) -> None:
    state = state_folder() / "reed"
    state.mkdir(parents=True, exist_ok=True)
    sleepers = [subprocess.Popen(["sleep", "30"]) for _ in range(2)]
    marks = [state / f"session-{s.pid}" for s in sleepers]
    try:
        for mark in marks:
            mark.touch()
        assert "no free session (2 at once)" in run("reed", footage, tmp_path).reason
    finally:
        for sleeper in sleepers:
            sleeper.kill()
            sleeper.wait()
    assert run("reed", footage, tmp_path).state == "done"  # marks of dead processes do not count
    assert not any(mark.exists() for mark in marks)


def test_one_falls_back_and_leaves_a_trace(footage: Footage, tmp_path: Path) -> None:
    result = run("echo", footage, tmp_path)
    assert result.state == "done"
    assert result.usage is not None
    assert any("falling back to software" in line for line in result.usage.log)


def test_trials_of_the_stand_ins_agree_with_their_profiles() -> None:
    answers = {}
    for key in ("anvil", "echo", "reed"):
        for t in try_build(find_build(f"standin-{key}"), {}):
            if t.place == "encode":
                answers[key, t.what, t.pixel_format] = t.answer
    assert answers["anvil", "h264_standin", "yuv420p"] == WORKS
    assert answers["anvil", "h264_standin", "yuv420p10le"] == FAILS
    assert answers["anvil", "hevc_standin", "yuv420p10le"] == WORKS
    assert answers["reed", "hevc_standin", "yuv420p10le"] == FAILS
    assert answers["echo", "h264_standin", "yuv420p"] == FALLS_BACK


def test_runs_spread_as_the_profile_says() -> None:
    import random

    p = profile("bellows")
    paces = [random.Random(f"{p.seed}/{n}").lognormvariate(0, p.spread) for n in range(400)]
    assert statistics.stdev(map(math.log, paces)) == pytest.approx(p.spread, rel=0.15)
    assert len(set(paces)) == 400


def test_sensors_follow_the_work(tmp_path: Path) -> None:
    p = profile("reed")
    sensors = StandinSensors(p, tmp_path)

    def values(load: float, busy: float, age: float = 0.0) -> dict[str, float]:
        (tmp_path / "reed").mkdir(exist_ok=True)
        said = {"at": time.time() - age, "load": load, "busy_s": busy}
        (tmp_path / "reed" / "activity.json").write_text(json.dumps(said))
        return {v.name: v.value for v in sensors.read()}

    idle, short, long = values(0, 0), values(1, 1.0), values(1, 30.0)
    assert idle["encoder 1 load"] == 0
    assert idle["temperature"] == p.idle_c
    assert idle["temperature"] < short["temperature"] < long["temperature"] <= p.hot_c
    assert long["clock"] < short["clock"]  # it has slowed down
    assert long["power"] == pytest.approx(p.watts)
    assert values(1, 30.0, age=10)["encoder 1 load"] == 0  # the encoder is gone
    assert all(v.source == "simulated: Reed" for v in sensors.read())
    (tmp_path / "twin").mkdir()
    for units, second in ((1, 0), (2, 100)):
        said = {"at": time.time(), "load": 1.0, "busy_s": 1.0, "units": units}
        (tmp_path / "twin" / "activity.json").write_text(json.dumps(said))
        found = {v.name: v.value for v in StandinSensors(profile("twin"), tmp_path).read()}
        assert (found["encoder 1 load"], found["encoder 2 load"]) == (100, second)
        assert found["memory used"] > 180
    for real in (SystemSensors(), DriverSensors()):
        assert all(v.unit and v.source for v in real.read())


def test_everything_simulated_is_marked(study: Study) -> None:
    given = Contender("standin-twin", recipe("h264_standin", "fine", 23), "House box", True)
    made = labelled([Contender("standin-anvil", recipe("h264_standin", "fast", 23)), given])
    assert [c.label for c in made] == ["stand-in H.264 fast anvil (simulated)", "House box (simulated)"]
    kept = [study.add_contender(c) for c in made]
    assert time_all(study, remaining(study, [c.contender_id for c in kept], 1))
    evidence = gather(study)
    said = {c["label"]: c for c in evidence_json(evidence, None)["contenders"]}
    assert said["House box (simulated)"]["simulated"] is True
    assert said["x264 veryfast CRF 24"]["simulated"] is False
    assert "House box (simulated)" in verdict_text(evidence)


@pytest.mark.parametrize(
    ("old", "new", "words"),
    [
        ("startup_s = 0.3", "", "startup_s"),
        ("hot_factor = 0.6", "hot_factor = 2.0", "hot_factor must lie in 0 to 1"),
        ("spread = 0.015", "spread = -1", "key spread is no number of 0 or more"),
        ("sessions = 2", "sesions = 2", "sesions"),
        ("[codec.h264]", "[codec.h264", "formats.md"),
        ("largest = [", "largest = [] # [", "formats.md"),
    ],
)
def test_bad_profiles_name_file_and_key(tmp_path: Path, old: str, new: str, words: str) -> None:
    text = (FOLDER / "reed.toml").read_text()
    assert old in text
    path = tmp_path / "mine.toml"
    path.write_text(text.replace(old, new))
    with pytest.raises(ProfileError) as caught:
        load_profile(path)
    assert words in str(caught.value)
    assert str(path) in str(caught.value)


def test_the_program_file_survives_odd_paths() -> None:
    text = Path(locate("standin-anvil")).read_text()
    assert text.startswith("#!/bin/sh\n")
    done = subprocess.run(
        [str(locate("standin-anvil")), "-version"], capture_output=True, text=True, check=True
    )
    assert "simulated device Anvil" in done.stdout
