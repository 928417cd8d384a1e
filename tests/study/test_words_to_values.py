"""Values as plans and files write them, read one by one."""

from dataclasses import replace
from fractions import Fraction
from pathlib import Path

import pytest

from ovrik.errors import OvrikError
from ovrik.study.clip.footage import ColourTags, Footage
from ovrik.study.contender.as_table import contender_of, parse_intermediate, parse_rate, parse_size
from ovrik.study.encoder.containers import SOUNDS
from ovrik.study.encoder.intermediate import intermediate
from ovrik.study.facts.output_facts import OutputFacts
from ovrik.study.programme.excerpt import Excerpt
from ovrik.study.programme.excerpt_pieces import pieces_of
from ovrik.study.programme.methods import RESIZE, idle
from ovrik.study.programme.programme import GAP, Overlay, Programme, Shot, of_clip
from ovrik.study.programme.treatment import checked_value, treatment
from ovrik.study.programme.treatment_kinds import KINDS
from ovrik.study.timeline.media_finder import exact_rate


@pytest.mark.parametrize(
    ("text", "size"),
    [
        ("1280x720", (1280, 720)),
        ("1280×720", (1280, 720)),
        (" 64 X 36 ", (64, 36)),
        ("999999x100000", (999999, 100000)),
    ],
)
def test_sizes(text: str, size: tuple[int, int]) -> None:
    assert parse_size(text) == size


@pytest.mark.parametrize(
    "text", ["", "1280", "1280x", "x720", "1280x72o", "1000000x2", "-4x4", "४x4", "1280x720x3"]
)
def test_what_is_no_size(text: str) -> None:
    with pytest.raises(OvrikError, match="is not a size"):
        parse_size(text)


@pytest.mark.parametrize(
    ("said", "rate"),
    [
        (25, "25"),
        ("30000/1001", "30000/1001"),
        (23.976, "24000/1001"),
        (29.97, "30000/1001"),
        (59.94, "60000/1001"),
        (12.5, "25/2"),
        (1, "1"),
        (1000, "1000"),
    ],
)
def test_rates(said: str | float, rate: str) -> None:
    assert parse_rate(said) == rate


@pytest.mark.parametrize("said", ["", "fast", "25/0", 0.9, 1001, float("inf"), float("nan")])
def test_what_is_no_rate(said: str | float) -> None:
    with pytest.raises(OvrikError, match="is not a frame rate"):
        parse_rate(said)


@pytest.mark.parametrize(
    ("decimal", "exact"),
    [
        (24, Fraction(24)),
        (23.98, Fraction(24000, 1001)),
        (24.004, Fraction(24)),
        (24.01, Fraction(2401, 100)),
        (15, Fraction(15)),
    ],
)
def test_a_decimal_near_a_usual_rate_is_meant_as_that(decimal: float, exact: Fraction) -> None:
    assert exact_rate(decimal) == exact


def test_intermediates() -> None:
    assert parse_intermediate(None) is None
    assert parse_intermediate("") is None
    assert parse_intermediate("prores-hq") == intermediate("prores-hq")
    assert parse_intermediate("ffv1 960x540 yuv420p") == intermediate("ffv1", 960, 540, "yuv420p")
    assert parse_intermediate({"codec": "ffv1", "size": "64x36"}) == intermediate("ffv1", 64, 36)
    for wrong in (
        "ffv1 960x540 64x36",
        "ffv1 yuv420p yuv422p",
        {"size": "64x36"},
        {"codec": "ffv1", "speed": 1},
    ):
        with pytest.raises(OvrikError, match=r"codec, (a )?size"):
            parse_intermediate(wrong)  # type: ignore[arg-type]


def test_a_number_may_be_at_either_end_of_its_range() -> None:
    numbers = [
        (k.key, p)
        for k in KINDS.values()
        for p in k.parameters
        if not (p.choices or p.is_file or isinstance(p.default, str))
    ]
    assert len(numbers) > 20
    for kind, p in numbers:
        assert checked_value(kind, p, p.low) == p.low
        assert checked_value(kind, p, p.high) == p.high
        for beyond in (p.low - 0.001, p.high + 0.001, float("nan")):
            with pytest.raises(OvrikError, match="out of its range"):
                checked_value(kind, p, beyond)
        with pytest.raises(OvrikError, match="to be a number"):
            checked_value(kind, p, True)


@pytest.mark.parametrize(
    ("tags", "chroma", "delivered"),
    [
        (ColourTags(matrix="bt709", range="pc"), "4:2:0", ColourTags(matrix="bt709", range="tv")),
        (ColourTags(matrix="bt709", range="tv"), "4:2:0", ColourTags(matrix="bt709", range="tv")),
        (ColourTags(), "4:2:0", ColourTags()),
        (ColourTags(range="pc"), "RGB", ColourTags(matrix="bt709", range="tv")),
        (ColourTags(), "RGB", ColourTags(matrix="bt709", range="tv")),
        (
            ColourTags(primaries="bt2020"),
            "RGB",
            ColourTags(primaries="bt2020", matrix="bt2020nc", range="tv"),
        ),
    ],
)
def test_what_is_delivered_is_limited_and_has_a_matrix(
    footage: Footage, tags: ColourTags, chroma: str, delivered: ColourTags
) -> None:
    clip = replace(footage, pixel_format="yuv420p", colour=tags, chroma=chroma)
    assert clip.delivered_colour == delivered


def test_an_output_of_which_nothing_is_said_was_measured_frame_by_frame() -> None:
    assert (OutputFacts().every, OutputFacts().lag, OutputFacts().frames) == (1, 0, 0)


@pytest.fixture
def cut(footage: Footage) -> Programme:
    """Ten frames, a gap, ten backwards, and ten that dissolve over four."""
    shots = (Shot(0, 2, 10), Shot(GAP, 0, 5), Shot(0, 10, 10, reverse=True), Shot(0, 3, 10, dissolve=4))
    return replace(of_clip(footage), shots=shots)


def test_which_picture_of_which_clip_stands_where(cut: Programme) -> None:
    wanted = [(0, 2 + n) for n in range(10)] + [(GAP, 0)] * 5 + [(0, 19 - n) for n in range(6)]
    wanted += [(0, 3 + n) for n in range(10)]
    assert [cut.source_of(n) for n in range(cut.frames)] == wanted
    assert cut.starts == (0, 10, 15, 21)
    assert cut.frames == 31


@pytest.mark.parametrize(
    ("first", "frames", "there"), [(12, 4, True), (13, 4, False), (0, 9, False), (0, 10, True), (10, 2, True)]
)
def test_an_overlay_belongs_to_the_excerpts_it_touches(
    cut: Programme, first: int, frames: int, there: bool
) -> None:
    """It lies over frames 9 to 12."""
    made = replace(cut, overlays=(Overlay(9, Shot(0, 0, 4)),))
    assert bool(pieces_of(made, Excerpt(first, frames)).overlays) == there


def test_methods_of_what_the_programme_lacks_are_idle(cut: Programme) -> None:
    blurred = replace(cut, treatments=(treatment("blur"),))
    methods = (("blur", "box"), ("deinterlace", "yadif"), (RESIZE, "lanczos"))
    assert len(idle(blurred, methods, resized=True)) == 1
    assert len(idle(blurred, methods, resized=False)) == 2
    assert len(idle(cut, methods, resized=True)) == 2
    assert idle(blurred, (("blur", "box"),), resized=False) == []


@pytest.mark.parametrize(
    ("said", "rate"), [({"sound_bit_rate": "192k"}, 192_000), ({"sound_bit_rate": ""}, 0), ({}, 0)]
)
def test_a_rate_of_sound_in_a_plan(tmp_path: Path, said: dict[str, str], rate: int) -> None:
    made = contender_of({"encoder": "libx264", "sound": "aac", **said}, tmp_path)
    assert made.recipe.sound_bit_rate == rate


def test_pcm_and_lossless_sound_have_no_rate_to_set() -> None:
    assert [name for name, usual in SOUNDS.items() if not usual] == ["pcm_s16le", "pcm_s24le", "flac", "none"]


@pytest.mark.parametrize(("kind", "names"), [("title", ("x", "y", "opacity")), ("picture", ("x", "y"))])
def test_places_in_a_picture_are_shares_of_it(kind: str, names: tuple[str, ...]) -> None:
    ranges = {p.name: (p.low, p.high) for p in KINDS[kind].parameters}
    assert [ranges[n] for n in names] == [(0, 100)] * len(names)
