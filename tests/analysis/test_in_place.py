"""Each frame in its place: what fades from black is right, what changed places in it is found."""

import numpy as np
import pytest

from ovrik.analysis.signals.in_place import InPlace, in_place

FRAMES = 40


@pytest.fixture
def film() -> np.ndarray:
    """A picture that moves, shape (frames, 24, 40)."""
    across, down = np.meshgrid(np.arange(40), np.arange(24))
    return np.stack([90 + 60 * np.sin(across / 5 + n / 4) * np.cos(down / 4 - n / 9) for n in range(FRAMES)])


def laid(ours: np.ndarray, theirs: np.ndarray, lag: int = 0) -> InPlace:
    return in_place(ours.reshape(len(ours), -1), theirs.reshape(len(theirs), -1), lag)


def faded(film: np.ndarray, black: int) -> np.ndarray:
    """The first frames black, then a fade over as many."""
    rise = np.clip((np.arange(FRAMES) - black + 1) / (black + 1), 0, 1)
    return 16 + rise[:, None, None] * (film - 16)


@pytest.mark.parametrize("black", [1, 3, 10, 20])
def test_what_fades_from_black_is_in_its_place(film: np.ndarray, black: int) -> None:
    theirs = faded(film, black)
    coded = theirs + np.random.default_rng(black).normal(0, 0.6, theirs.shape)
    found = laid(coded, theirs)
    assert (found.shows, found.blank) == ({}, ())
    assert found.told > 0.8


@pytest.mark.parametrize("black", [0, 3, 10])
def test_two_that_changed_places_are_found_in_it(film: np.ndarray, black: int) -> None:
    theirs = faded(film, black)
    order = np.arange(FRAMES)
    order[[30, 31]] = 31, 30
    assert laid(theirs[order], theirs).shows == {30: 31, 31: 30}


def test_what_is_black_and_should_not_be_is_blank(film: np.ndarray) -> None:
    wrong = film.copy()
    wrong[12] = 16
    found = laid(wrong, film)
    assert (found.blank, found.shows) == ((12,), {})


def test_a_film_of_black_tells_nothing(film: np.ndarray) -> None:
    black = np.full_like(film, 16)
    found = laid(black, black)
    assert (found.shows, found.blank, found.differ) == ({}, (), 0)


def test_frames_are_named_by_their_place_in_the_output(film: np.ndarray) -> None:
    """Which begins two frames early."""
    early = np.concatenate([film[:1] + 9, film[:1] - 9, film])
    early[[20, 21]] = early[[21, 20]]
    assert laid(early, film, 2).shows == {20: 21, 21: 20}


def test_another_picture_is_no_neighbours(film: np.ndarray) -> None:
    wrong = film.copy()
    wrong[7] = 90 + 60 * np.random.default_rng(1).normal(size=film.shape[1:]).cumsum(axis=0) / 5
    assert laid(wrong, film).shows == {7: None}


def test_levels_and_contrast_are_no_matter(film: np.ndarray) -> None:
    found = laid(0.7 * film + 30, film)
    assert (found.shows, found.told) == ({}, 1.0)


@pytest.mark.parametrize("kept", [0.5, 0.6, 0.7])
def test_of_a_picture_that_lags_nothing_is_told(film: np.ndarray, kept: float) -> None:
    """As coarse coding leaves it: a share of the frame before in every frame."""
    lagging = film.copy()
    for k in range(1, FRAMES):
        lagging[k] = kept * lagging[k - 1] + (1 - kept) * film[k]
    found = laid(lagging, film)
    assert found.shows == {}
    assert found.told < 0.5


@pytest.mark.parametrize("at", [0, FRAMES - 2])
def test_the_first_and_the_last_are_looked_at_too(film: np.ndarray, at: int) -> None:
    order = np.arange(FRAMES)
    order[[at, at + 1]] = at + 1, at
    assert laid(film[order], film).shows == {at: at + 1, at + 1: at}


@pytest.mark.parametrize(("away", "named"), [(3, True), (4, False)])
def test_no_frame_further_off_is_named(film: np.ndarray, away: int, named: bool) -> None:
    order = np.arange(FRAMES)
    order[20] += away
    assert (laid(film[order], film).shows.get(20) == 20 + away) is named


def mouthed(film: np.ndarray) -> np.ndarray:
    """A still picture in which something small opens and closes."""
    theirs = np.repeat(film[:1], FRAMES, axis=0)
    theirs[:, 10:12, 18:22] = (60 + 50 * np.sin(np.arange(FRAMES) * 0.9))[:, None, None]
    return theirs


def test_what_an_encoder_does_to_a_small_thing_is_no_other_moment_of_it() -> None:
    """One frame of a mouth looks as two frames later, and those stay where they are."""
    theirs = mouthed(np.stack([90 + 40 * np.random.default_rng(2).normal(size=(24, 40))]))
    ours = theirs.copy()
    ours[10] = theirs[12]
    found = laid(ours, theirs)
    assert found.shows == {}
    assert found.told < 1


def test_small_things_that_changed_places_or_go_on_elsewhere_are_found() -> None:
    theirs = mouthed(np.stack([90 + 40 * np.random.default_rng(2).normal(size=(24, 40))]))
    order = np.arange(FRAMES)
    order[[10, 12]] = 12, 10
    order[[20, 21]] = 22, 23
    order[30] = 31
    assert laid(theirs[order], theirs).shows == {10: 12, 12: 10, 20: 22, 21: 23, 30: 31}
