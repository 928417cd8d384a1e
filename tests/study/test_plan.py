"""Plan files: read, refused with key and remedy, and written back."""

from pathlib import Path

import pytest

from ovrik.errors import OvrikError
from ovrik.study.plan import load_plan, plan_text

GOOD = """
[study]
title = "Foundry web master"
footage = "casting-day.mov"
excerpt = { start = 2.0, duration = 4.0 }
rounds = 3
warmup = 1
baseline = "x264 medium"

[limits]
vmaf_mean = 93
vmaf_p5 = 85
megabytes_per_minute = 60

[[contender]]
label = "x264 medium"
build = "bundled"
encoder = "libx264"
preset = "medium"
quality = 21
pixel_format = "yuv420p"
container = "mp4"

[[contender]]
encoder = "libx265"
bit_rate = "8M"
build = "tools/ffmpeg"
"""


def write(folder: Path, text: str) -> Path:
    path = folder / "plan.toml"
    path.write_text(text)
    return path


def test_reads_the_documented_example(tmp_path: Path) -> None:
    question = load_plan(write(tmp_path, GOOD))
    assert question.title == "Foundry web master"
    assert question.footage == tmp_path / "casting-day.mov"
    assert (question.start_s, question.duration_s, question.rounds, question.warmup) == (2.0, 4.0, 3, 1)
    assert question.limits.megabytes_per_minute == 60
    first, second = question.contenders
    assert (first.label, first.label_given, first.recipe.quality) == ("x264 medium", True, 21)
    assert second.label == "x265 medium"
    assert second.recipe.bit_rate == 8_000_000
    assert second.recipe.quality is None
    assert second.build == str(tmp_path / "tools/ffmpeg")


def test_left_out_means_whole_clip_and_first_baseline(tmp_path: Path) -> None:
    question = load_plan(
        write(tmp_path, '[study]\ntitle="t"\nfootage="/f.mov"\n[[contender]]\nencoder="libx264"')
    )
    assert (question.start_s, question.duration_s) == (0.0, None)
    assert question.baseline == "x264 medium"
    assert not question.limits.any_set


@pytest.mark.parametrize(
    ("old", "new", "words"),
    [
        ("rounds = 3", "rounds = 0", ["key study.rounds", "greater than or equal to 1", "(it is 0)"]),
        ("rounds = 3", 'rounds = "many"', ["key study.rounds", "integer"]),
        ("vmaf_mean = 93", "vmaf_mean = 193", ["key limits.vmaf_mean", "100"]),
        ("vmaf_p5 = 85", "vmaf_p6 = 85", ["key limits.vmaf_p6 is not a key", "spelling"]),
        ('title = "Foundry web master"\n', "", ["key study.title is missing", "add it"]),
        ('encoder = "libx265"\n', "", ["contender 2, key encoder is missing"]),
        ('bit_rate = "8M"', 'bit_rate = "fast"', ["contender 2, key bit_rate", '"fast" is not a bit rate']),
        ('baseline = "x264 medium"', 'baseline = "x"', ['no contender is labelled "x"', "x264 medium"]),
        ("start = 2.0", "start = -2.0", ["key study.excerpt.start"]),
        ("[limits]", "[limits", ["not valid TOML"]),
        ('encoder = "libx265"', 'encoder = "libx265"\nlabel = "x264 medium"', ["two contenders"]),
    ],
)
def test_faults_name_file_key_and_remedy(tmp_path: Path, old: str, new: str, words: list[str]) -> None:
    assert old in GOOD
    path = write(tmp_path, GOOD.replace(old, new))
    with pytest.raises(OvrikError) as caught:
        load_plan(path)
    for word in [str(path), *words]:
        assert word in str(caught.value)
    assert "\n" not in str(caught.value).replace(str(path), "")


def test_an_unknown_encoder_does_not_stop_the_others(tmp_path: Path) -> None:
    question = load_plan(write(tmp_path, GOOD.replace('"libx265"', '"libx999"')))
    assert [c.label for c in question.contenders] == ["x264 medium"]
    assert question.refused[0][0] == "contender 2"
    assert "libx999" in question.refused[0][1]


def test_missing_and_unreadable_plans(tmp_path: Path) -> None:
    with pytest.raises(OvrikError, match="is not there"):
        load_plan(tmp_path / "none.toml")
    binary = tmp_path / "binary.toml"
    binary.write_bytes(b"\xff\xfe\x00\x01")
    with pytest.raises(OvrikError, match="can't be read as text"):
        load_plan(binary)


def test_written_plans_read_back_the_same(tmp_path: Path) -> None:
    question = load_plan(write(tmp_path, GOOD.replace("web master", r"\"web\" \\ master")))
    again = load_plan(write(tmp_path, plan_text(question)))
    assert again.title == question.title
    assert [c.recipe for c in again.contenders] == [c.recipe for c in question.contenders]
    assert [c.label for c in again.contenders] == [c.label for c in question.contenders]
    assert (again.limits, again.start_s, again.duration_s) == (
        question.limits, question.start_s, question.duration_s)  # fmt: skip
