"""Numbers within filter graphs, each against where it comes from."""

import re
from dataclasses import replace
from fractions import Fraction

import numpy as np
import pytest

from ovrik.export.command.export import plain_source
from ovrik.export.graph.assembly import assemble
from ovrik.export.graph.grade import LUMA_709, XYZ_TO_RGB, daylight_rgb
from ovrik.export.graph.source import _ycbcr
from ovrik.study.clip.footage import Footage
from ovrik.study.programme.excerpt import Excerpt
from ovrik.study.programme.programme import Programme, Shot, of_clip
from ovrik.study.programme.treatment import treatment
from ovrik.study.programme.treatment_kinds import SOFTWARE


def test_luma_is_the_y_of_the_primaries() -> None:
    assert np.linalg.inv(XYZ_TO_RGB)[1] == pytest.approx(LUMA_709, abs=1e-4)


@pytest.mark.parametrize(
    ("kelvin", "x", "y"),
    [(5003, 0.34567, 0.35850), (5503, 0.33242, 0.34743), (6504, 0.31271, 0.32902), (7504, 0.29902, 0.31485)],
)
def test_daylight_has_the_published_chromaticities(kelvin: float, x: float, y: float) -> None:
    """D50, D55, D65 and D75 of CIE 15."""
    xyz = np.linalg.inv(XYZ_TO_RGB) @ daylight_rgb(kelvin)
    assert xyz[:2] / xyz.sum() == pytest.approx((x, y), abs=2e-4)
    assert xyz[1] == pytest.approx(1)


@pytest.mark.parametrize(
    ("first", "frames", "at_end"), [(0, 10, False), (5, 10, False), (0, 30, True), (20, 10, True)]
)
def test_as_much_is_read_as_is_wanted(footage: Footage, first: int, frames: int, at_end: bool) -> None:
    """At most half a frame more; to the end of the clip without a limit."""
    options = plain_source(footage, Excerpt(first, frames), True).inputs
    assert ("-t" in options) != at_end
    if not at_end:
        span = float(options[options.index("-t") + 1])
        assert frames / 25 <= span <= (frames + 0.5) / 25
    silent = plain_source(footage, Excerpt(first, frames), False)
    assert (silent.picture, silent.sound) == ("0:V:0", "")


def graph_of(programme: Programme) -> str:
    return assemble(programme, Excerpt(0, programme.frames), SOFTWARE, with_sound=False).graph


@pytest.mark.parametrize(
    ("rate", "retimed", "held"), [(25, False, False), (50, False, True), (25, True, True), (24, False, True)]
)
def test_a_shot_at_another_pace_holds_its_last_frame(
    footage: Footage, rate: int, retimed: bool, held: bool
) -> None:
    """Where rounding leaves it a frame short; a shot at the programme's own pace needs no such thing."""
    clip = replace(footage, rate=Fraction(rate))
    speed = (treatment("retime", {"speed": 50.0}),) if retimed else ()
    programme = replace(of_clip(clip), rate=Fraction(25), shots=(Shot(0, 0, 10, 0, speed),))
    assert ("tpad=stop_mode=clone" in graph_of(programme)) == held


@pytest.mark.parametrize(
    ("size", "aspect", "fitted"),
    [
        ((320, 180), Fraction(1), None),
        ((240, 180), Fraction(1), (240, 180)),
        ((240, 180), Fraction(4, 3), (320, 180)),
        ((320, 180), Fraction(3, 4), (240, 180)),
        ((640, 180), Fraction(1), (320, 90)),
    ],
)
def test_another_shape_is_fitted_with_bars(
    footage: Footage, size: tuple[int, int], aspect: Fraction, fitted: tuple[int, int] | None
) -> None:
    plain = of_clip(footage)
    clip = replace(footage, width=size[0], height=size[1], sample_aspect=aspect)
    programme = replace(plain, clips=(clip,), shots=(Shot(0, 0, 10), Shot(0, 12, 10)))
    graph = graph_of(programme)
    assert ("scale=" in graph and "pad=" in graph) == (fitted is not None)
    if fitted:
        assert f"w={fitted[0]}:h={fitted[1]}:flags=bicubic" in graph


@pytest.mark.parametrize(
    ("depth", "alpha", "full"),
    [
        (8, False, "yuv444p"),
        (8, True, "yuva444p"),
        (10, False, "yuv444p10le"),
        (10, True, "yuva444p10le"),
        (12, False, "yuv444p12le"),
    ],
)
def test_rgb_keeps_its_depth_and_its_transparency(
    footage: Footage, depth: int, alpha: bool, full: str
) -> None:
    clip = replace(footage, bit_depth=depth, pixel_format="gbrap" if alpha else "gbrp", chroma="RGB")
    assert _ycbcr(clip) == full


@pytest.mark.parametrize(("zoom", "crop"), [(125.0, "w=256:h=144"), (200.0, "w=160:h=90")])
def test_what_is_enlarged_is_the_middle(footage: Footage, zoom: float, crop: str) -> None:
    graph = graph_of(replace(of_clip(footage), treatments=(treatment("upscale", {"zoom": zoom}),)))
    assert f"crop={crop}" in graph
    assert "scale=w=320:h=180" in graph


def test_layers_are_each_smaller_and_grain_lies_about_grey(footage: Footage) -> None:
    """By 8 % of the picture; grain is added about the grey that leaves a picture as it is."""
    layers = graph_of(replace(of_clip(footage), treatments=(treatment("layers", {"count": 3.0}),)))
    crops = [(int(w), int(h)) for w, h in re.findall(r"crop=w=(\d+):h=(\d+)", layers)]
    wanted = [(share * 320, share * 180) for share in (0.92, 0.84, 0.76)]
    np.testing.assert_allclose(crops, wanted[: len(crops)], atol=2)
    assert len(crops) >= 2
    assert "lutyuv=y=128:u=128:v=128" in graph_of(replace(of_clip(footage), treatments=(treatment("grain"),)))
