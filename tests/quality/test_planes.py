"""Planes in 8-bit levels of limited range, of frames whose levels are known."""

import itertools

import av
import numpy as np
import pytest

from ovrik.quality.scores.planes import Taken, planes_of

WIDE, HIGH = 64, 32


def ramp(name: str, scale: float = 1.0) -> av.VideoFrame:
    """Levels rise along luma's rows; Cb and Cr are even."""
    made = av.VideoFrame(WIDE, HIGH, name)
    for plane, levels in zip(made.planes, (np.linspace(16, 235, WIDE), 60.0, 200.0), strict=False):
        bits = made.format.components[0].bits
        rows = np.frombuffer(memoryview(plane), np.uint8 if bits == 8 else np.uint16).reshape(
            plane.height, -1
        )
        rows[:, : plane.width] = np.round(levels * scale * (1 << (bits - 8)))
    return made


@pytest.mark.parametrize(
    "name", [f"yuv{s}p{d}" for s, d in itertools.product(("420", "422", "444"), ("", "10le", "12le"))]
)
def test_levels_are_those_that_were_coded_whatever_the_depth(name: str) -> None:
    found = planes_of(ramp(name))
    finest = 0.5 / (1 << (int(name.split("p")[1].removesuffix("le") or 8) - 8))
    assert np.abs(found.luma - np.linspace(16, 235, WIDE)).max() <= finest
    assert np.abs(found.cb - 60).max() <= finest
    assert np.abs(found.cr - 200).max() <= finest
    across, down = {"420": (2, 2), "422": (2, 1), "444": (1, 1)}[name[3:6]]
    assert found.cb.shape == (HIGH // down, WIDE // across)
    assert found.luma.dtype == np.float32


@pytest.mark.parametrize("name", ["yuv420p", "yuv422p10le"])
def test_full_range_becomes_limited_by_the_published_excursions(name: str) -> None:
    """ITU-R BT.601-7, 2.5: luma has 219 of 255 steps, from 16; chroma 224, around 128."""
    made, full = planes_of(ramp(name)), planes_of(ramp(name), Taken(full_range=True))
    assert np.allclose(full.luma, np.interp(made.luma, (0, 255), (16, 235)), atol=1e-3)
    for ours, theirs in ((full.cb, made.cb), (full.cr, made.cr)):
        assert np.allclose(ours, np.interp(theirs, (0, 127.99998, 255), (15.56, 128, 239.56)), atol=0.01)


def test_frames_are_brought_to_a_size() -> None:
    found = planes_of(ramp("yuv420p"), Taken(size=(WIDE * 2, HIGH // 2)))
    assert found.luma.shape == (HIGH // 2, WIDE * 2)
    assert found.cb.shape == (HIGH // 4, WIDE)
    assert np.abs(found.luma[:, 8:-8] - np.linspace(16, 235, WIDE * 2)[8:-8]).max() < 2.5
    assert planes_of(ramp("yuv420p"), Taken(size=(WIDE, HIGH))).luma.shape == (HIGH, WIDE)


@pytest.mark.parametrize("name", ["nv12", "p010le", "rgb24"])
def test_what_is_packed_is_taken_apart(name: str) -> None:
    plain = ramp("yuv444p" if name == "rgb24" else "yuv420p")
    found = planes_of(plain.reformat(format=name))
    assert found.luma.shape == (HIGH, WIDE)
    assert found.cb.shape == (HIGH, WIDE)
    if name != "rgb24":  # saturated beyond what RGB holds
        assert np.abs(found.luma - np.linspace(16, 235, WIDE)).max() <= 1.5
        assert np.abs(found.cr - 200).max() <= 1.5
