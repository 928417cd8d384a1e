"""Pictures that are moved or scaled by a known amount, against SciPy's own interpolation."""

import numpy as np
import pytest
from scipy import ndimage

from ovrik.analysis.signals.geometry import geometry, in_place_already, warped


@pytest.fixture(scope="module")
def large() -> np.ndarray:
    """Pictures of a few sizes of detail, larger than what is looked at, shape (6, 120, 180)."""
    draw = np.random.default_rng(3)
    out = sum(s * ndimage.gaussian_filter(draw.normal(size=(6, 120, 180)), (0, s, s)) for s in (1.5, 4, 9))
    return np.asarray(110 + 40 * out / out.std())


def seen(large: np.ndarray, across: float = 0.0, down: float = 0.0) -> np.ndarray:
    """The inner part of it, whose content lies further right and down by so much."""
    return ndimage.shift(large, (0, down, across), order=3)[:, 33:87, 42:138]


@pytest.mark.parametrize(("across", "down"), [(0.3, 0.0), (-1.5, 0.7), (4.0, -6.0), (0.0, 0.05)])
def test_a_displacement_is_read_off(large: np.ndarray, across: float, down: float) -> None:
    found = geometry(seen(large, across, down), seen(large))
    assert found is not None
    assert (found.across, found.down) == pytest.approx((across, down), abs=0.02)
    assert (found.wide, found.high) == pytest.approx((0, 0), abs=0.001)
    assert found.after > 0.995


def test_a_scale_is_read_off(large: np.ndarray) -> None:
    bigger = ndimage.zoom(large, (1, 1.05, 1.05), order=3)
    rows, columns = bigger.shape[1:]
    top, left = (rows - 54) // 2, (columns - 96) // 2
    found = geometry(bigger[:, top : top + 54, left : left + 96], seen(large))
    assert found is not None
    assert (found.wide, found.high) == pytest.approx((0.05, 0.05), abs=0.004)


def test_warping_is_what_was_found(large: np.ndarray) -> None:
    ours, theirs = seen(large, 2.3, -1.1), seen(large)
    found = geometry(ours, theirs)
    assert found is not None
    back = warped(theirs, found.across, found.down, found.wide, found.high)
    inner = np.s_[:, 6:-6, 6:-6]
    assert np.abs(back - ours)[inner].mean() < 0.1 * np.abs(theirs - ours)[inner].mean()


def test_coding_noise_moves_nothing(large: np.ndarray) -> None:
    plain = seen(large)
    blurred = ndimage.gaussian_filter(plain, (0, 1.2, 1.2)) + np.random.default_rng(5).normal(
        0, 6, plain.shape
    )
    found = geometry(blurred, plain)
    assert found is not None
    assert max(abs(found.across), abs(found.down)) < 0.05
    assert found.explains > 0.9


def test_levels_are_no_matter_and_flat_pictures_tell_nothing(large: np.ndarray) -> None:
    found = geometry(0.5 * seen(large, 1.0) + 60, seen(large))
    assert found is not None
    assert found.across == pytest.approx(1.0, abs=0.02)
    assert geometry(np.full((3, 54, 96), 16.0), seen(large)[:3]) is None


@pytest.mark.parametrize(
    ("across", "down", "there"), [(0.0, 0.0, True), (0.3, 0.0, False), (0.0, -0.1, False), (4.0, -6.0, False)]
)
def test_a_quick_look_never_takes_what_is_moved_for_in_place(
    large: np.ndarray, across: float, down: float, there: bool
) -> None:
    noise = np.random.default_rng(9).normal(0, 2, (6, 54, 96))
    assert in_place_already(seen(large, across, down) + noise, seen(large), 0.1, 0.008) is there


def test_a_quick_look_sees_a_scale_and_says_nothing_of_flat_pictures(large: np.ndarray) -> None:
    rows, columns = (120 - 54) // 2, (180 - 96) // 2
    bigger = warped(large, 0, 0, 0.02, 0.02)[:, rows : rows + 54, columns : columns + 96]
    plain = large[:, rows : rows + 54, columns : columns + 96]
    assert not in_place_already(bigger, plain, 0.1, 0.008)
    assert not in_place_already(np.full((3, 54, 96), 16.0), plain[:3], 0.1, 0.008)
