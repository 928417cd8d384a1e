"""Levels and matrices against pictures to which a known thing was done."""

import numpy as np
import pytest

from ovrik.analysis.signals.levels import KR_KB, LevelsFound, converted_as, levels, matrix_of, shifted

RANDOM = np.random.default_rng(6)
PICTURES = RANDOM.uniform(20, 230, (6, 36, 64))


@pytest.mark.parametrize(
    ("contrast", "offset", "said"),
    [(1.0, 0.0, ""), (255 / 219, -16 * 255 / 219, "full"), (219 / 255, 16.0, "limited"), (1.08, 0.0, None)],
)
def test_levels_that_were_shifted(contrast: float, offset: float, said: str | None) -> None:
    ours = np.clip(contrast * PICTURES + offset + RANDOM.normal(0, 2, PICTURES.shape), 0, 255)
    found = levels(ours, PICTURES)
    assert found.contrast == pytest.approx(contrast, abs=0.02)
    assert found.offset == pytest.approx(offset, abs=2.0)
    assert shifted(found) == said


def test_what_was_expected_is_no_shift_and_flat_pictures_tell_nothing() -> None:
    assert shifted(LevelsFound(255 / 219, -18.6), 255 / 219) == ""
    assert shifted(LevelsFound(1.0, 0.0), 255 / 219) == "limited"
    flat = np.full((2, 36, 64), 90.0) + RANDOM.normal(0, 1, (2, 36, 64))
    assert levels(flat, flat).contrast is None
    assert shifted(levels(flat, flat)) is None


@pytest.mark.parametrize("name", KR_KB)
def test_matrices_are_the_published_ones(name: str) -> None:
    red, blue = KR_KB[name]
    white, green = matrix_of(name) @ np.ones(3), matrix_of(name) @ np.array([0, 1, 0])
    assert white == pytest.approx([1, 0, 0], abs=1e-12)
    assert green == pytest.approx(
        [1 - red - blue, -(1 - red - blue) / (2 * (1 - blue)), -(1 - red - blue) / (2 * (1 - red))]
    )


@pytest.mark.parametrize("own", KR_KB)
@pytest.mark.parametrize("made", KR_KB)
def test_the_matrix_that_was_used_is_found(own: str, made: str) -> None:
    colours = RANDOM.uniform(0, 1, (3, 400))
    scale, zero = np.array([[219.0], [224.0], [224.0]]), np.array([[16.0], [128.0], [128.0]])
    theirs, ours = (matrix_of(n) @ colours * scale + zero for n in (own, made))
    assert converted_as(ours + RANDOM.normal(0, 1.5, ours.shape), theirs, own) == made


def test_grey_pictures_show_no_matrix() -> None:
    grey = np.stack([RANDOM.uniform(20, 230, 400), np.full(400, 128.0), np.full(400, 128.0)])
    assert converted_as(grey, grey, "bt709") is None
    assert converted_as(grey, grey, "fcc") is None


@pytest.mark.parametrize("axis", [1, 2])
def test_colour_along_one_axis_is_enough_to_tell(axis: int) -> None:
    theirs = np.stack([RANDOM.uniform(60, 190, 400), np.full(400, 128.0), np.full(400, 128.0)])
    theirs[axis] = RANDOM.uniform(90, 160, 400)
    scale, zero = np.array([[219.0], [224.0], [224.0]]), np.array([[16.0], [128.0], [128.0]])
    rgb = np.linalg.inv(matrix_of("bt709")) @ ((theirs - zero) / scale)
    ours = matrix_of("smpte170m") @ rgb * scale + zero
    assert converted_as(ours, theirs, "bt709") == "smpte170m"
