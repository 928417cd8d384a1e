"""What an export loses is said, each loss in a clause, and nothing else."""

from dataclasses import replace

import pytest

from ovrik.study.clip.footage import ColourTags, Footage, Sound
from ovrik.study.contender.losses import losses_together, programme_losses, recipe_losses
from ovrik.study.encoder.recipe import recipe
from ovrik.study.programme.programme import of_clip
from ovrik.study.programme.treatment import treatment

FIVE = Sound("pcm_s16le", 48000, 6, "5.1", 0)
BT709 = ColourTags(matrix="bt709", primaries="bt709", transfer="bt709", range="tv")
FULL = replace(BT709, range="pc")


@pytest.fixture
def plain(footage: Footage) -> Footage:
    """8 bit 4:2:0 of a constant rate, with stereo sound."""
    return replace(
        footage, pixel_format="yuv420p", bit_depth=8, chroma="4:2:0", colour=BT709, stream_colour=BT709
    )


@pytest.mark.parametrize(
    ("change", "treated", "said"),
    [
        ({}, False, ()),
        ({}, True, ()),
        ({"constant_rate": False}, False, ("the variable rate of tiny clip.mkv is made constant at 25 fps",)),
        ({"colour": FULL, "stream_colour": FULL}, False, ("full-range levels",)),
        ({"field_order": "upper field first"}, False, ("its fields are woven into progressive frames",)),
        ({"field_order": "upper field first"}, True, ("woven into progressive frames, and treatments mix",)),
        ({"pixel_format": "yuva420p"}, False, ()),
        ({"pixel_format": "yuva420p"}, True, ("the transparency of",)),
        ({"sounds": (FIVE,)}, False, ()),
        ({"sounds": (FIVE,)}, True, ("the 6 channels of",)),
        ({"sounds": (FIVE, FIVE)}, False, ("of the 2 audio streams",)),
        (
            {"stream_colour": replace(BT709, transfer="smpte2084")},
            False,
            ("its colour transfer is tagged bt709",),
        ),
        ({"stream_colour": ColourTags()}, False, ()),
    ],
)
def test_what_every_export_changes(
    plain: Footage, change: dict[str, object], treated: bool, said: tuple[str, ...]
) -> None:
    programme = of_clip(replace(plain, **change))  # type: ignore[arg-type]
    if treated:
        programme = replace(programme, treatments=(treatment("blur"),))
    found = programme_losses(programme)
    assert len(found) == len(said), found
    assert all(words in clause for words, clause in zip(said, found, strict=True)), found


@pytest.mark.parametrize(
    ("change", "encoder", "delivered", "said"),
    [
        ({}, "libx264", "yuv420p", ()),
        ({}, "libx264", "yuv422p", ()),
        ({"bit_depth": 10}, "libx264", "yuv420p", ("10 bit becomes 8 bit",)),
        ({"bit_depth": 10}, "libx265", "yuv420p10le", ()),
        ({"chroma": "4:2:2"}, "libx264", "yuv420p", ("4:2:2 becomes 4:2:0",)),
        ({"chroma": "RGB"}, "libx264", "yuv422p", ("RGB becomes 4:2:2",)),
        ({"chroma": "RGB"}, "libx264", "yuv444p", ()),
        ({"chroma": "4:1:1"}, "libx264", "yuv420p", ()),
        ({"pixel_format": "yuva420p"}, "libx264", "yuv420p", ("transparency is dropped",)),
        ({}, "libx264", "yuv420p10le", ("H.264 of more than 8 bit",)),
        ({"colour": replace(BT709, transfer="smpte2084")}, "libx265", "yuv420p", ("HDR",)),
        ({"colour": replace(BT709, transfer="smpte2084")}, "libx265", "yuv420p10le", ()),
    ],
)
def test_what_a_recipe_loses(
    plain: Footage, change: dict[str, object], encoder: str, delivered: str, said: tuple[str, ...]
) -> None:
    programme = of_clip(replace(plain, **change))  # type: ignore[arg-type]
    found = recipe_losses(programme, replace(recipe(encoder), pixel_format=delivered))
    assert len(found) == len(said), found
    assert all(words in clause for words, clause in zip(said, found, strict=True)), found


def test_another_height_mixes_fields(plain: Footage) -> None:
    woven = of_clip(replace(plain, field_order="upper field first"))
    for high, said in ((plain.height, ()), (90, ("scaling mixes the fields of interlaced frames",))):
        made = replace(recipe("libx264"), pixel_format="yuv420p", width=160, height=high)
        assert recipe_losses(woven, made) == said
        assert recipe_losses(of_clip(plain), made) == ()


def test_what_all_lose_is_said_once_and_the_rest_by_name() -> None:
    losses = {"a": ["soft", "pale"], "b": ["soft"], "c": ["soft", "pale"], "d": ["soft", "loud"]}
    assert losses_together(losses) == ["soft in every export", "pale (a, c)", "loud (d)"]
    many = {n: ["pale"] if n in "abc" else [] for n in "abcd"}
    assert losses_together(many) == ["pale in 3 of 4 contenders"]
    assert losses_together({"a": ["soft"]}) == ["soft (a)"]
