"""What tables and small steps of a study promise, whatever their numbers are."""

from dataclasses import replace
from fractions import Fraction
from types import SimpleNamespace
from typing import Any

import pytest

from ovrik.study.clip.footage import Footage
from ovrik.study.encoder.encoders import ENCODERS
from ovrik.study.programme.excerpt import Excerpt
from ovrik.study.programme.excerpt_pieces import pieces_of
from ovrik.study.programme.programme import Shot, of_clip
from ovrik.study.question.limit_kinds import LIMIT_KINDS, MEMORY, SECONDS, SPREAD
from ovrik.study.timeline.cut import Item, start_within
from ovrik.study.timeline.speed import FCP, remap_speed


@pytest.mark.parametrize("metric", sorted({k.metric for k in LIMIT_KINDS.values() if k.metric}))
def test_the_lower_the_percentile_the_lower_the_usual_floor(metric: str) -> None:
    usual = {k.statistic: k.usual for k in LIMIT_KINDS.values() if k.metric == metric}
    by_name = {name: value for key, value in usual.items() for name in ("mean", "p5", "p1") if name in key}
    assert by_name["p1"] <= by_name["p5"] <= by_name["mean"]
    assert all(k.least <= k.usual <= k.most for k in LIMIT_KINDS.values())


@pytest.mark.parametrize("key", [SECONDS, SPREAD, MEMORY])
def test_the_least_that_can_be_asked_is_one_of_the_last_digit_shown(key: str) -> None:
    kind = LIMIT_KINDS[key]
    assert kind.least == pytest.approx(10.0**-kind.digits)


def test_devices_take_the_scale_of_their_drivers() -> None:
    """As their documentation has them: CQ of NVENC and ICQ of QSV go from 1 to 51, QP of VAAPI to 52."""
    for encoder, high in (("h264_nvenc", 51), ("hevc_qsv", 51), ("h264_vaapi", 52)):
        scale = ENCODERS[encoder].quality
        assert (scale.low, scale.high, scale.default) == (1, high, 23)
    assert ENCODERS["h264_nvenc"].presets == ("p1", "p2", "p3", "p4", "p5", "p6", "p7")


def test_a_segment_that_ends_where_a_dissolve_begins_needs_nothing_of_it(footage: Footage) -> None:
    one = of_clip(footage)
    cut = replace(one, shots=(Shot(0, 0, 15), Shot(0, 2, 15, dissolve=5)), sound=())
    begins = cut.starts[1]
    assert len(pieces_of(cut, Excerpt(0, begins)).base) == 1
    within = pieces_of(cut, Excerpt(0, begins + 2))
    assert len(within.base) == 2
    assert within.frames == begins + 2


@pytest.mark.parametrize(
    ("percent", "left_out"),
    [("100", ""), ("2000", ""), ("1", ""), ("2001", "the speed 2001 %"), ("0.5", "the speed 0.5 %"),
     ("-50", "the reverse motion"), ("x", "a speed that can't be read")],
)  # fmt: skip
def test_a_remapped_speed_is_one_that_can_be_played(percent: str, left_out: str) -> None:
    values = [{"parameterid": "speed", "value": percent}]
    effect: Any = SimpleNamespace(metadata={FCP: {"parameter": values}})
    found = remap_speed(effect, Fraction(0))
    assert found.left_out == left_out
    if not left_out:
        assert found.factor == Fraction(percent) / 100


def test_an_item_begins_with_its_clip_unless_it_says_otherwise() -> None:
    item = Item(Fraction(10), Fraction(4))
    assert start_within(item, Fraction(10), Fraction(14)) == 0
    assert item.into == (0, 0), "a plain cut leads to it"
    assert start_within(item, Fraction(11), Fraction(14)) == 1
    assert start_within(replace(item, start=Fraction(3)), Fraction(11), Fraction(14)) == 4
    assert start_within(replace(item, reverse=True), Fraction(10), Fraction(13)) == 1
