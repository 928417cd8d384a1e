"""Plan files: read, refused with key and remedy, and written back."""

from pathlib import Path

import pytest

from ovrik.errors import OvrikError
from ovrik.study.question.asked import Span
from ovrik.study.question.plan import load_plan
from ovrik.study.question.plan_text import plan_text

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
    assert question.source.clips == (tmp_path / "casting-day.mov",)
    assert question.excerpts == (Span("", 2.0, 4.0),)
    assert (question.rounds, question.warmup) == (3, 1)
    assert question.limits.get("megabytes_per_minute") == 60
    first, second = question.contenders
    assert (first.label, first.label_given, first.recipe.quality) == ("x264 medium", True, 21)
    assert second.label == "x265 medium 8 Mb/s ffmpeg"
    assert second.recipe.bit_rate == 8_000_000
    assert second.recipe.quality is None
    assert second.build == str(tmp_path / "tools/ffmpeg")


def test_left_out_means_whole_clip_and_first_baseline(tmp_path: Path) -> None:
    question = load_plan(
        write(tmp_path, '[study]\ntitle="t"\nfootage="/f.mov"\n[[contender]]\nencoder="libx264"')
    )
    assert question.excerpts == (Span(),)
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
    assert (again.limits, again.excerpts) == (question.limits, question.excerpts)


GRID = """
[study]
title = "Grid"
footage = "a.mov"
treatments = "light finish"

[[excerpt]]
name = "calm"
start_frame = 10
frames = 50

[[excerpt]]
name = "busy"
start = 4.0
duration = 2.5

[[grid]]
encoder = ["libx264", "libx265"]
preset = ["fast", "medium"]
quality = [20, 24]
container = ["mp4", "webm"]

[[grid]]
combine = "one at a time"
encoder = "libsvtav1"
preset = [8, 10]
pixel_format = ["yuv420p10le", "yuv420p"]
prerendered = ["", "prores-hq"]
raw = { "svtav1-params" = "tune=0" }
"""


def test_a_grid_is_expanded_and_what_can_not_be_is_reported(tmp_path: Path) -> None:
    question = load_plan(write(tmp_path, GRID))
    assert len(question.contenders) == 2 * 2 * 2 + 4
    assert len(question.refused) == 8
    assert all("WebM (.webm) can't hold" in why for _label, why in question.refused)
    last = question.contenders[-4:]
    assert [(c.recipe.preset, c.recipe.pixel_format, c.prerendered is not None) for c in last] == [
        ("8", "yuv420p10le", False),
        ("10", "yuv420p10le", False),
        ("8", "yuv420p", False),
        ("8", "yuv420p10le", True),
    ]
    assert last[0].recipe.raw == (("svtav1-params", "tune=0"),)
    assert question.excerpts[0] == Span("calm", start_frame=10, frames=50)
    assert question.source.ready_set == "light finish"


def test_a_grid_can_be_filtered(tmp_path: Path) -> None:
    text = GRID.replace('container = ["mp4", "webm"]', 'only = "x265 -fast"')
    assert [c.label for c in load_plan(write(tmp_path, text)).contenders][:2] == [
        "x265 medium CRF 20",
        "x265 medium CRF 24",
    ]


@pytest.mark.parametrize(
    ("old", "new", "words"),
    [
        ('footage = "a.mov"', 'footage = "a.mov"\ntimeline = "b.otio"', ["footage and timeline contradict"]),
        ('footage = "a.mov"', "", ["give footage", "timeline"]),
        ("light finish", "shiny finish", ["ready set", "heavy finish"]),
        ("start = 4.0", "start = 4.0\nstart_frame = 3", ["excerpt 2", "contradict"]),
        ("quality = [20, 24]", "qualty = [20, 24]", ["grid 1", "qualty is not a factor"]),
        ("one at a time", "some", ["grid 2", "combine can't be"]),
        ("preset = [8, 10]", "preset = []", ["grid 2", "no level"]),
        ('title = "Grid"', 'title = "Grid"\nexcerpt = { start = 1.0 }', ["contradict each other"]),
    ],
)
def test_contradictions_are_reported(tmp_path: Path, old: str, new: str, words: list[str]) -> None:
    assert old in GRID
    with pytest.raises(OvrikError) as caught:
        load_plan(write(tmp_path, GRID.replace(old, new)))
    for word in words:
        assert word in str(caught.value)


@pytest.mark.parametrize(
    ("said", "words"),
    [
        ('kind = "blr"', ["treatment 1", 'no treatment "blr"']),
        ('kind = "blur"\nradius = 900', ["treatment 1", "out of its range"]),
        ('kind = "grade"\nlut = "bad.cube"', ["treatment 1", "LUT_3D_SIZE"]),
    ],
)
def test_wrong_treatments_name_their_number(tmp_path: Path, said: str, words: list[str]) -> None:
    (tmp_path / "bad.cube").write_text("0 0 0\n")
    text = GRID.replace('treatments = "light finish"', "").replace(
        "[[grid]]", f"[[treatment]]\n{said}\n[[grid]]", 1
    )
    with pytest.raises(OvrikError) as caught:
        load_plan(write(tmp_path, text))
    for word in words:
        assert word in str(caught.value)


def test_a_plan_with_everything_reads_back_the_same(tmp_path: Path) -> None:
    question = load_plan(write(tmp_path, GRID))
    again = load_plan(write(tmp_path, plan_text(question)))
    assert [c.identity for c in again.contenders] == [c.identity for c in question.contenders]
    assert (again.source, again.excerpts) == (question.source, question.excerpts)


@pytest.mark.parametrize(
    ("line", "words"),
    [
        ('cache = "hot"', ["timing", "cache is one of as it is, cold, warm"]),
        ("nice = 20", ["timing.nice"]),
        ("nice = -1", ["timing.nice"]),
        ("most_rounds = 2", ["timing.most_rounds"]),
        ("most_rounds = 51", ["timing.most_rounds"]),
        ("rest_limit_s = 3601", ["timing.rest_limit_s"]),
        ("most_minutes = -1", ["timing.most_minutes"]),
        ("disturbed_share = 0", ["timing.disturbed_share"]),
        ("disturbed_share = 2.0", ["timing.disturbed_share"]),
        ("resst = true", ["timing.resst"]),
    ],
)
def test_how_runs_are_made_is_checked(tmp_path: Path, line: str, words: list[str]) -> None:
    with pytest.raises(OvrikError) as found:
        load_plan(write(tmp_path, f"{GOOD}\n[timing]\n{line}\n"))
    assert all(word in str(found.value) for word in words), str(found.value)
    ends = "nice = 19\nmost_rounds = 50\nrest_limit_s = 3600\ndisturbed_share = 1"
    assert load_plan(write(tmp_path, f"{GOOD}\n[timing]\n{ends}\n")).conduct.most_rounds == 50
    for cache in ("as it is", "cold", "warm"):
        assert load_plan(write(tmp_path, f'{GOOD}\n[timing]\ncache = "{cache}"\n')).conduct.cache == cache


def test_limits_may_begin_with_a_ready_set(tmp_path: Path) -> None:
    text = GOOD.replace("vmaf_mean = 93", 'ready = "client review"\nvmaf_mean = 91\nspread = 5').replace(
        "megabytes_per_minute = 60\n", ""
    )
    found = load_plan(write(tmp_path, text)).limits
    assert found.plays
    assert dict(found.values) == {"vmaf_mean": 91.0, "vmaf_p5": 85.0, "mbit_s": 20.0, "spread": 5.0}
    with pytest.raises(OvrikError, match="archive master"):
        load_plan(write(tmp_path, text.replace("client review", "cinema")))


def test_one_at_a_time_in_a_plan_goes_around_the_baseline(tmp_path: Path) -> None:
    text = """[study]
title = "t"
footage = "a.mp4"
baseline = "the usual"

[[contender]]
label = "the usual"
encoder = "libx264"
preset = "slow"
quality = 19
prerendered = { codec = "ffv1", size = "640x360" }

[[grid]]
combine = "one at a time"
encoder = "libx264"
preset = ["fast", "slow"]
quality = [23, 19]
prerendered = ["prores-lt", "ffv1 640x360"]
"""
    found = [c for c in load_plan(write(tmp_path, text)).contenders if not c.label_given]
    said = [(c.recipe.preset, c.recipe.quality, c.prerendered.codec if c.prerendered else "") for c in found]
    assert said == [
        ("slow", 19, "ffv1"),
        ("fast", 19, "ffv1"),
        ("slow", 23, "ffv1"),
        ("slow", 19, "prores-lt"),
    ]
