"""A picture drawn over a ground, here and there."""

import numpy as np
import pytest

from ovrik.analysis.signals.drawn import moved


def letters(seed: int, at: tuple[int, int], size: tuple[int, int] = (144, 256)) -> np.ndarray:
    """Strokes like those of a line of text, over nothing."""
    strokes = np.random.default_rng(seed).random((12, 60)) < 0.4
    out = np.zeros(size)
    out[at[0] : at[0] + 12, at[1] : at[1] + 60] = 160 * strokes
    return out


@pytest.mark.parametrize(("down", "across"), [(3, 0), (-2, 0), (0, 5), (4, -7), (20, 0)])
def test_it_is_found_where_it_was_drawn(down: int, across: int) -> None:
    ground = np.random.default_rng(1).normal(110, 12, (144, 256))
    noise = np.random.default_rng(2).normal(0, 1, ground.shape)
    here, there = ground + letters(3, (80, 90)), ground + letters(3, (80 + down, 90 + across)) + noise
    found = moved(there, here, ground)
    assert found is not None
    assert (found.down, found.across) == (down, across)
    assert found.explained


def test_other_letters_are_not_moved_ones() -> None:
    ground = np.full((144, 256), 90.0)
    found = moved(ground + letters(4, (80, 90)), ground + letters(3, (80, 90)), ground)
    assert found is not None
    assert not found.explained


def test_in_its_place_nothing_is_said() -> None:
    ground = np.full((144, 256), 90.0)
    found = moved(ground + letters(3, (80, 90)), ground + letters(3, (80, 90)), ground)
    assert found is not None
    assert (found.down, found.across, found.explained) == (0, 0, False)


def test_what_adds_nothing_or_covers_all_has_no_place() -> None:
    ground = np.full((144, 256), 90.0)
    assert moved(ground, ground + letters(3, (80, 90)), ground) is None
    assert moved(ground + 40, ground + 30, ground) is None
