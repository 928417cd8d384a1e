"""Changes of tones are found; what coding does to a picture is none."""

from collections.abc import Callable

import numpy as np
import pytest
from scipy import ndimage

from ovrik.analysis.signals.levels import FULL_OVER_LIMITED
from ovrik.analysis.signals.tones import _stretched, tones


@pytest.fixture(scope="module")
def pictures() -> np.ndarray:
    """Natural enough, still, shape (8, 54, 96), levels 16 to 235."""
    draw = np.random.default_rng(8)
    out = sum(s * ndimage.gaussian_filter(draw.normal(size=(54, 96)), s) for s in (1, 3, 8, 20))
    return np.repeat(np.clip(105 + 45 * out / out.std(), 18, 230)[None], 8, 0)


@pytest.mark.parametrize(
    ("change", "off"),
    [
        (lambda x: x + 9, 9),
        (lambda x: 16 + (x - 16) * 0.9, -15),
        (lambda x: 16 + 219 * ((x - 16) / 219) ** 1.2, -14),
        (lambda x: np.maximum(x, 60), 12),
    ],
)
def test_a_change_is_told_with_its_amount(
    pictures: np.ndarray, change: Callable[[np.ndarray], np.ndarray], off: float
) -> None:
    found = tones(change(pictures), pictures)
    assert found.off == pytest.approx(off, abs=7)
    assert np.sign(found.off) == np.sign(off)


@pytest.mark.parametrize("factor", [FULL_OVER_LIMITED, 1 / FULL_OVER_LIMITED])
def test_ranges_are_told_from_other_changes(pictures: np.ndarray, factor: float) -> None:
    found = tones(128 + (pictures - 128) * factor, pictures)
    assert found.stretched == pytest.approx(factor)
    assert abs(found.off) > 6


@pytest.mark.parametrize("seed", range(6))
def test_blurring_blocks_and_noise_are_no_change(pictures: np.ndarray, seed: int) -> None:
    """However much of them: the picture flattens, or rises, about what it was."""
    draw = np.random.default_rng(seed)
    coarse = ndimage.gaussian_filter(pictures, (0, draw.uniform(1, 6), draw.uniform(1, 6)))
    coarse = np.rint(coarse / 8) * 8 + draw.normal(0, draw.uniform(0, 12), pictures.shape)
    assert abs(tones(coarse, pictures).off) <= 6


def test_a_fade_that_comes_late_tells_nothing(pictures: np.ndarray) -> None:
    rise = np.linspace(0, 1, 8)[:, None, None]
    fade = 16 + rise * (pictures - 16)
    late = np.concatenate([fade[:1], fade[:-1]])
    assert not tones(late, fade).told


def test_only_a_straight_and_rising_line_is_another_range(pictures: np.ndarray) -> None:
    """A negative has the contrast, too; so has a picture with as much of another laid over it."""
    negative = tones(255 - (20 + (pictures - 16) * 195 / 214 * FULL_OVER_LIMITED), pictures)
    assert (negative.stretched, negative.told) == (1.0, True)
    x = np.random.default_rng(2).normal(120, 30, 4000)
    other = np.random.default_rng(3).normal(0, 30 * np.sqrt(FULL_OVER_LIMITED**2 - 1), 4000)
    assert _stretched(x, x + other) == 1.0
    assert _stretched(x, 120 + (x - 120) * FULL_OVER_LIMITED) == FULL_OVER_LIMITED
    assert _stretched(x, 120 + (x - 120) / FULL_OVER_LIMITED) == 1 / FULL_OVER_LIMITED
    assert _stretched(x, 120 + (x - 120) * 1.08) == 1.0


def test_of_too_few_samples_nothing_is_told(pictures: np.ndarray) -> None:
    few = pictures[:, 10:22, 10:22]
    assert few.std() > 5
    assert not tones(few + 9, few).told
    assert tones(pictures + 9, pictures).told
