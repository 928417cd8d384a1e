"""Matrices as they are published, and colours that went from one to another."""

import numpy as np
import pytest

from ovrik.analysis.signals.colours import RIGHT, colours
from ovrik.analysis.signals.levels import KR_KB, matrix_of

RANDOM = np.random.default_rng(6)
SCALE, ZERO = np.array([[219.0], [224.0], [224.0]]), np.array([[16.0], [128.0], [128.0]])


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
    light = RANDOM.uniform(0, 1, (3, 400))
    theirs, ours = (matrix_of(n) @ light * SCALE + ZERO for n in (own, made))
    found = colours(ours + RANDOM.normal(0, 0.5, ours.shape), theirs, own).made
    assert found == (RIGHT if own == made else made)
