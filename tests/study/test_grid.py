"""Levels and their combinations."""

from pathlib import Path

import pytest

from ovrik.errors import OvrikError
from ovrik.study.contender.as_table import contender_of, intermediate_text, table_of
from ovrik.study.contender.grid import (
    FULL,
    ONE_AT_A_TIME,
    combined,
    expanded,
    filtered,
    in_order,
    level_of,
    parse_raw,
    passing,
)

LEVELS = {"encoder": ["libx264", "libx265"], "preset": ["slow", "ultrafast", "medium"], "quality": [30, 20]}


def test_a_full_grid_and_one_at_a_time() -> None:
    assert len(combined(LEVELS, FULL)) == 12
    around = combined(LEVELS, ONE_AT_A_TIME)
    assert len(around) == 1 + 1 + 2 + 1
    first = around[0]
    assert all(sum(row[k] != first[k] for k in row) == 1 for row in around[1:])


def test_labels_name_what_differs_and_are_unique() -> None:
    found = expanded(combined(LEVELS), Path("/"))
    labels = [c.contender.label for c in found if c.contender]
    assert labels[0] == "x264 slow CRF 30"
    assert len(set(labels)) == 12


def test_the_same_thing_twice_is_one() -> None:
    assert len(expanded([*combined(LEVELS), *combined(LEVELS)], Path("/"))) == 12


def test_what_can_not_be_stays_with_its_reason() -> None:
    found = expanded(
        combined({**LEVELS, "pixel_format": ["yuv420p", "yuv420p12le"], "gop": [50, -3]}), Path("/")
    )
    assert len(found) == 48
    wrong = {c.reason for c in found if c.reason}
    assert any("x264 takes" in w for w in wrong)
    assert any(w.startswith("gop: input should be greater") for w in wrong)
    assert sum(not c.reason for c in found) == 6 + 12


def test_a_word_is_left_out_only_whole() -> None:
    assert passing("x264 -fast")("x264 faster CRF 20")
    assert not passing("x264 -fast")("x264 fast CRF 20")
    assert passing("svt")("SVT-AV1 8")


def test_filter_and_order() -> None:
    found = expanded(combined(LEVELS), Path("/"))
    assert {c.values["preset"] for c in filtered(found, "x265 -slow")} == {"ultrafast", "medium"}
    ordered = in_order(found, "preset")
    assert [c.values["preset"] for c in ordered[:6:2]] == ["ultrafast", "medium", "slow"]
    assert in_order(found, "rate")[0].values["quality"] == 20


def test_impossible_ones_come_last() -> None:
    found = expanded(combined({**LEVELS, "container": ["webm", "mp4"]}), Path("/"))
    assert [bool(c.reason) for c in in_order(found, "preset")] == [False] * 12 + [True] * 12


def test_every_factor_survives_being_written_down() -> None:
    words = {
        "encoder": "libx264",
        "preset": "fast",
        "quality": 21,
        "rate_control": "capped",
        "bit_rate": "9M",
        "tune": "film",
        "profile": "high",
        "gop": 50,
        "b_frames": 2,
        "threads": 3,
        "size": "1280x720",
        "rate": 23.976,
        "container": "mov",
        "sound": "aac",
        "sound_bit_rate": "96k",
        "raw": {"refs": 2},
        "decode": "vaapi",
        "treatments": "opencl",
        "build": "system",
        "prerendered": {"codec": "dnxhr-hq", "size": "640x360"},
    }
    made = contender_of(words, Path("/"))
    assert made.recipe.rate == "24000/1001"
    assert contender_of(table_of(made), Path("/")).identity == made.identity


@pytest.mark.parametrize(
    ("key", "text", "value"),
    [
        ("quality", "21", 21.0),
        ("gop", "50", 50),
        ("raw", "refs=2 x264-params=a=1:b=2", {"refs": "2", "x264-params": "a=1:b=2"}),
        ("tune", "none", ""),
        ("prerendered", "source", ""),
        ("preset", " fast ", "fast"),
        ("raw", "none", {}),
    ],
)
def test_levels_as_they_are_written(key: str, text: str, value: object) -> None:
    assert level_of(key, text) == value


@pytest.mark.parametrize(
    ("levels", "said"),
    [
        ({"colour": ["red"]}, "not a factor"),
        ({"encoder": []}, "no level"),
        (
            {"encoder": ["libx264"], "quality": list(range(200)), "gop": list(range(200))},
            "40000 combinations",
        ),
    ],
)
def test_wrong_grids(levels: dict[str, list[object]], said: str) -> None:
    with pytest.raises(OvrikError, match=said):
        combined(levels)


def test_wrong_levels_are_reported() -> None:
    with pytest.raises(OvrikError, match="not a number"):
        level_of("gop", "often")
    with pytest.raises(OvrikError, match="not a raw option"):
        parse_raw("refs")


def test_one_at_a_time_goes_around_the_baseline() -> None:
    baseline = {"encoder": "libx265", "preset": "medium", "quality": 24.0, "container": "mkv"}
    around = combined(LEVELS, ONE_AT_A_TIME, baseline)
    assert around[0] == {"encoder": "libx265", "preset": "medium", "quality": 24.0}
    assert [{k: v for k, v in row.items() if v != around[0][k]} for row in around[1:]] == [
        {"encoder": "libx264"},
        {"preset": "slow"},
        {"preset": "ultrafast"},
        {"quality": 30},
        {"quality": 20},
    ]


def test_a_level_of_pre_rendering_has_a_size_and_a_format() -> None:
    row = {"encoder": "libx264", "prerendered": "ffv1 960x540 yuv420p"}
    (found,) = expanded(combined({k: [v] for k, v in row.items()}), Path("/"))
    assert found.contender is not None
    into = found.contender.prerendered
    assert into is not None
    assert (into.codec, into.width, into.height, into.pixel_format) == ("ffv1", 960, 540, "yuv420p")
    assert intermediate_text(into) == "ffv1 960x540 yuv420p"
    wrong = expanded([{"encoder": "libx264", "prerendered": "prores 12 24"}], Path("/"))[0]
    assert "a codec, a size and a pixel format" in wrong.reason
