"""What an output must be, and how a fault is named."""

from dataclasses import replace
from fractions import Fraction

import pytest

from ovrik.quality.checks.conformity import conformity_faults
from ovrik.study.clip.footage import ColourTags, Footage
from ovrik.study.contender.delivery import delivery
from ovrik.study.encoder.recipe import recipe
from ovrik.study.programme.excerpt import Excerpt
from ovrik.study.programme.programme import of_clip

EXCERPT = Excerpt(0, 25)
RECIPE = recipe("libx264")


@pytest.fixture
def right(footage: Footage) -> Footage:
    """An output as it should be."""
    return replace(footage, codec="h264", frames=25, pixel_format="yuv420p", container_s=1.0)


def faults(output: Footage, footage: Footage) -> list[str]:
    return conformity_faults(output, delivery(of_clip(footage), EXCERPT, RECIPE), RECIPE)


def test_a_right_one(right: Footage, footage: Footage) -> None:
    assert faults(right, footage) == []


@pytest.mark.parametrize(
    ("change", "words"),
    [
        ({"codec": "hevc"}, "it holds hevc, not H.264"),
        ({"frames": 24}, "it has 24 frames instead of 25"),
        ({"width": 322}, "322×180 instead of 320×180"),
        ({"rate": Fraction(24)}, "24.000 fps instead of 25.000"),
        ({"container_s": 0.6}, "it lasts 0.60 s instead of 1.00 s"),
        ({"sounds": ()}, "its audio is missing"),
        ({"constant_rate": False}, "its frames are not evenly spaced"),
        ({"rotation": 90}, "its rotation flag is 90°"),
        ({"sample_aspect": Fraction(4, 3)}, "pixel aspect ratio is 4:3 instead of 1:1"),
        ({"pixel_format": "yuv444p"}, "yuv444p instead of yuv420p"),
        ({"colour": ColourTags(matrix="smpte170m")}, "colour matrix is tagged smpte170m instead of bt709"),
    ],
)
def test_each_fault(right: Footage, footage: Footage, change: dict[str, object], words: str) -> None:
    footage = replace(footage, colour=ColourTags("bt709", "bt709", "bt709", "tv"))
    found = faults(replace(right, **change), footage)  # type: ignore[arg-type]
    assert len(found) == 1
    assert words in found[0]


def test_small_deviations_of_containers_are_no_fault(right: Footage, footage: Footage) -> None:
    assert faults(replace(right, rate=Fraction(25001, 1000), container_s=1.06), footage) == []
    assert faults(replace(right, pixel_format="yuvj420p"), footage) == []


def test_a_silent_source_asks_for_no_sound(right: Footage, footage: Footage) -> None:
    assert faults(replace(right, sounds=()), replace(footage, sounds=())) == []
