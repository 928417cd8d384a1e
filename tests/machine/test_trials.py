"""Accelerations are proved by trying: right, wrong, fallen back, failing and silent ones are told apart."""

import json
import stat
import sys
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest

from ovrik.errors import Stopped
from ovrik.machine.builds.build import Build, find_build
from ovrik.machine.builds.libraries import Loaded
from ovrik.machine.devices import known_trials as known_trials_module
from ovrik.machine.devices import opening, probing
from ovrik.machine.devices.known_picture import FRAMES, HEIGHT, WIDTH, planes, psnr, raw_file
from ovrik.machine.devices.known_trials import known_trials
from ovrik.machine.devices.paths import NEAR, PATHS, PIXEL_FORMATS
from ovrik.machine.devices.probing import probe_builds
from ovrik.machine.devices.reasons import plain_reason
from ovrik.machine.devices.trial import FAILS, FALLS_BACK, NOT_KNOWN, UNTRIED, WORKS, WRONG, Trial, answered
from ovrik.machine.devices.trials import summary, try_build
from ovrik.report.words.rows import trial_words

FAKE = """#!{python} -S
import sys
arguments = sys.argv[1:]
mode = {mode!r}
raw = open([a for a in arguments if a.endswith('.yuv')][0], 'rb').read() if any(
    a.endswith('.yuv') for a in arguments) else b''
on_device = 'hwupload' in ' '.join(arguments)
if mode == 'silent' and on_device:
    import time; time.sleep(60)
if mode == 'broken' and on_device:
    print('[x @ 0x1] Cannot load libmoon.so.3', file=sys.stderr); sys.exit(1)
if 'nullsrc=s=64x64' in arguments:
    print('[OpenCL @ 0x1] 0.0: Portable Computing Language / cpu', file=sys.stderr); sys.exit(0)
out = bytearray(raw)
if mode == 'wrong' and on_device:
    out = bytearray(b ^ 64 for b in raw)
if mode == 'short' and on_device:
    out = out[: len(out) // 2]
sys.stdout.buffer.write(out)
"""


def fake_build(folder: Path, mode: str) -> Build:
    """A build whose OpenCL filters behave as told; its software filters do nothing."""
    program = folder / f"fake-{mode}"
    program.write_text(FAKE.format(python=sys.executable, mode=mode))
    program.chmod(program.stat().st_mode | stat.S_IXUSR)
    filters = ("transpose_opencl", "avgblur_opencl")
    return Build("fake", str(program), "1", mode, (), filters, devices=("opencl",))


def answers(build: Build, path: str = "opencl") -> set[tuple[str, str]]:
    return {(t.answer, t.reason) for t in try_build(build, {}) if t.path == path and t.place != "device"}


def test_a_right_one(tmp_path: Path) -> None:
    found = try_build(fake_build(tmp_path, "right"), {})
    mine = [t for t in found if t.path == "opencl" and t.place == "treatment"]
    assert len(mine) == 4
    assert {t.answer for t in mine} == {WORKS}
    assert all(t.db == 100 for t in mine)
    assert all(t.processor and "Portable Computing" in t.device for t in mine)


def test_a_wrong_picture_is_not_taken_for_success(tmp_path: Path) -> None:
    found = answers(fake_build(tmp_path, "wrong"))
    assert {a for a, _ in found} == {WRONG}
    assert all("dB from the software's" in r for _, r in found)


def test_a_picture_of_another_size(tmp_path: Path) -> None:
    assert answers(fake_build(tmp_path, "short")) == {
        (WRONG, "it gave another number of frames or another size")
    }


def test_a_failure_in_plain_words(tmp_path: Path) -> None:
    assert answers(fake_build(tmp_path, "broken")) == {
        (FAILS, "its driver library libmoon.so.3 is not installed")
    }


def test_no_answer_is_an_answer(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(opening, "TIMEOUT_S", 1)
    assert answers(fake_build(tmp_path, "silent")) == {(NOT_KNOWN, "it gave no answer within 1 s")}


def test_a_path_the_build_was_made_without(tmp_path: Path) -> None:
    opened = {t.path: t for t in try_build(fake_build(tmp_path, "right"), {}) if t.place == "device"}
    assert opened["vaapi"].answer == FAILS
    assert opened["vaapi"].reason == "this build was made without VAAPI"


@pytest.mark.parametrize(
    ("log", "words"),
    [
        ("[enc @ 0x1] Cannot load libcuda.so.1\nError", "its driver library libcuda.so.1 is not installed"),
        ("Cannot open DRM render node for device 0.", "there is no graphics device (no DRM render node)"),
        ("[h264_v4l2m2m @ 0x5] Could not find a valid device", "the kernel offers no such encoding device"),
        ("[a @ 0x1] [b @ 0x2] Something invalid happened\nConversion failed!", "Something invalid happened"),
        (
            "Impossible to convert between the formats supported by",
            "frames can't be handed to it in this format",
        ),
        ("", "it ended without a message"),
    ],
)
def test_plain_reasons(log: str, words: str) -> None:
    assert plain_reason(log) == words


def test_real_builds_agree_with_what_is_known_of_this_machine() -> None:
    """No hardware encoder works without its driver, and none of them is said to."""
    build = find_build("bundled")
    found = probe_builds([build])
    assert {t.place for t in found} == {"device", "decode", "treatment", "encode"}
    drivers = [t for t in found if "libcuda" in t.reason]
    if drivers:
        assert all(t.answer in (FAILS, UNTRIED) for t in drivers)
        assert all(t.log for t in drivers if t.place == "device")
    for trial in found:
        assert trial.answer in (WORKS, FAILS, FALLS_BACK, WRONG, UNTRIED, NOT_KNOWN)
        assert trial.reason or trial.answer == WORKS
        if trial.answer == WORKS and trial.place == "treatment":
            assert (trial.db or 0) >= NEAR
    assert sum(summary(found).values()) == len(found)
    assert known_trials(build) == found


def test_what_gave_no_answer_is_tried_again_when_the_machine_is_quiet(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setenv("XDG_CACHE_HOME", str(tmp_path / "cache"))
    build, given = fake_build(tmp_path, "right"), []
    late = Trial(
        build.key, "opencl", "treatment", "mirror", "yuv420p", NOT_KNOWN, "it gave no answer within 8 s"
    )
    answers = [[late], [replace(late, answer=WORKS)]]

    def played(*_a: object) -> list[Trial]:
        given.append(_a[-1])
        return answers[len(given) - 1]

    monkeypatch.setattr(probing, "try_build", played)
    monkeypatch.setattr(probing, "quiet", lambda: False)
    assert probe_builds([build]) == probe_builds([build]) == [late]
    assert answered([late]) == []
    assert trial_words(late).startswith("? not known")
    monkeypatch.setattr(probing, "quiet", lambda: True)
    assert probe_builds([build]) == probe_builds([build]) == answers[1]
    assert given == [(), [late]]


def test_only_paths_without_an_answer_are_tried_again(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    build = fake_build(tmp_path, "right")
    found = try_build(build, {})
    opencl = [t for t in found if t.path == "opencl"]
    known = [replace(t, answer=NOT_KNOWN) if t in opencl[:1] else replace(t, reason="known") for t in found]
    again = try_build(build, {}, known=known)
    assert {t.path for t in again if t.reason == "known"} == {t.path for t in found} - {"opencl"}
    assert [t.answer for t in again if t.path == "opencl"] == [t.answer for t in opencl]


def test_answers_are_kept_until_something_changes(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("XDG_CACHE_HOME", str(tmp_path / "cache"))
    build = fake_build(tmp_path, "right")
    asked: list[str] = []

    def counting(build: Build, *_a: object) -> list[Trial]:
        asked.append(build.sha256)
        return [Trial(build.key, "opencl", "treatment", "mirror", "yuv420p", WORKS)]

    monkeypatch.setattr(probing, "try_build", counting)
    probe_builds([build])
    probe_builds([build])
    assert len(asked) == 1
    probe_builds([build], afresh=True)
    probe_builds([replace(build, loads=(Loaded("/p", 1, 1, "p"), Loaded("/l.so", 1, 1, "another")))])
    assert len(asked) == 3
    monkeypatch.setattr(known_trials_module.platform, "release", lambda: "another kernel")
    assert known_trials(build) is None
    monkeypatch.undo()
    known_trials_module.trials_file(build).write_text("{ damaged")
    assert known_trials(build) is None


def test_stopping(tmp_path: Path) -> None:
    with pytest.raises(Stopped):
        probe_builds([fake_build(tmp_path, "right")], should_stop=lambda: True, afresh=True)


def test_the_known_picture() -> None:
    for pixel_format, peak in (("yuv420p", 255), ("yuv420p10le", 1023)):
        made = planes(pixel_format)
        assert made.shape == (FRAMES, WIDTH * HEIGHT * 3 // 2)
        assert made.max() < peak
        raw = raw_file(pixel_format).read_bytes()
        assert raw == made.tobytes()
        assert psnr(raw, raw, pixel_format) == 100
        off = (made.astype(int) + 1).astype(made.dtype).tobytes()
        assert psnr(off, raw, pixel_format) == pytest.approx(20 * np.log10(peak), abs=1e-6)
        mirrored = made.reshape(FRAMES, -1)[:, ::-1].tobytes()
        assert (psnr(mirrored, raw, pixel_format) or 0) < 20
        assert psnr(raw[:-2], raw, pixel_format) is None


def test_the_table_of_paths_is_sound() -> None:
    assert len({p.key for p in PATHS}) == len(PATHS) == 8
    for path in PATHS:
        assert set(dict(path.surfaces)) == set(PIXEL_FORMATS)
        assert all(t.on_device.startswith(t.device) for t in path.treatments)
    json.dumps([t.to_json() for t in probe_builds([])])
