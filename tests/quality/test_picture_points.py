"""Each frame in its place: what fades from black is right, what changed places in it is found."""

import numpy as np
import pytest

from ovrik.analysis.signals.alignment import normal
from ovrik.quality.checks.picture_points import misplaced

FRAMES = 40


@pytest.fixture
def film() -> np.ndarray:
    """A picture that moves, shape (frames, 24, 40)."""
    across, down = np.meshgrid(np.arange(40), np.arange(24))
    return np.stack([90 + 60 * np.sin(across / 5 + n / 4) * np.cos(down / 4 - n / 9) for n in range(FRAMES)])


def faded(film: np.ndarray, black: int) -> np.ndarray:
    """The first frames black, then a fade over as many."""
    rise = np.clip((np.arange(FRAMES) - black + 1) / (black + 1), 0, 1)
    return 16 + rise[:, None, None] * (film - 16)


@pytest.mark.parametrize("black", [1, 3, 10, 20])
def test_what_fades_from_black_is_in_its_place(film: np.ndarray, black: int) -> None:
    theirs = faded(film, black)
    coded = theirs + np.random.default_rng(black).normal(0, 0.6, theirs.shape)
    assert misplaced(normal(coded), normal(theirs), 0) == {}


@pytest.mark.parametrize("black", [0, 3, 10])
def test_two_that_changed_places_are_found_in_it(film: np.ndarray, black: int) -> None:
    theirs = faded(film, black)
    order = np.arange(FRAMES)
    order[[30, 31]] = 31, 30
    assert misplaced(normal(theirs[order]), normal(theirs), 0) == {30: "shows frame 31", 31: "shows frame 30"}


def test_what_is_black_and_should_not_be_is_blank(film: np.ndarray) -> None:
    wrong = film.copy()
    wrong[12] = 16
    assert misplaced(normal(wrong), normal(film), 0) == {12: "is blank"}


def test_a_film_of_black_is_in_its_place(film: np.ndarray) -> None:
    black = normal(np.full_like(film, 16))
    assert misplaced(black, black, 0) == {}
