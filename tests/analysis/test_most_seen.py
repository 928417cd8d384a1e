"""Where a difference is seen: in light and texture, not in the dark, wherever it is put."""

import numpy as np
import pytest
from scipy import ndimage

from ovrik.analysis.signals.seen import most_seen


def pictures(seed: int) -> tuple[np.ndarray, np.random.Generator]:
    """A textured picture that is dark in its left half."""
    random = np.random.default_rng(seed)
    picture = 120 + 60 * ndimage.gaussian_filter(random.normal(size=(360, 640)), 2) / 0.15
    picture[:, :320] *= 0.08
    return np.clip(picture, 0, 240).astype(np.float32), random


@pytest.mark.parametrize("seed", [1, 20261201])
def test_a_difference_is_found_where_it_was_put(seed: int) -> None:
    reference, random = pictures(seed)
    output = reference + random.normal(0, 0.3, reference.shape).astype(np.float32)
    top, left = int(random.integers(20, 250)), int(random.integers(360, 540))
    output[top : top + 40, left : left + 60] += 6
    found = most_seen(output, reference)
    x, y, wide, high = (v * s for v, s in zip(found.area, (640, 360, 640, 360), strict=True))
    assert x <= left + 15
    assert left + 45 <= x + wide
    assert y <= top + 15
    assert top + 25 <= y + high
    assert 1 < found.levels < 6


def test_what_lies_in_the_dark_is_passed_over_for_less_in_the_light() -> None:
    reference, _random = pictures(3)
    output = reference.copy()
    output[100:200, 60:200] += 8
    dark = most_seen(output, reference)
    output[100:200, 420:560] += 3
    assert most_seen(output, reference).area[0] > 0.5
    assert dark.levels < most_seen(output, reference).levels


@pytest.mark.parametrize("shape", [(1, 1), (2, 9), (90, 160), (1080, 1920)])
def test_pictures_of_any_size(shape: tuple[int, int]) -> None:
    flat = np.full(shape, 100.0)
    found = most_seen(flat, flat)
    assert found.levels == 0
    left, top, wide, high = found.area
    assert left >= 0 <= top
    assert left + wide <= 1 + 1e-9
    assert top + high <= 1 + 1e-9
