"""The lag of two sequences against a search of all lags with SciPy's correlation, and bars against what was drawn."""

import numpy as np
import pytest
from scipy.stats import pearsonr

from ovrik.analysis.signals.alignment import (
    SAME,
    aligned,
    at_lag,
    inside,
    margins,
    normal,
    paired,
    same_coarsely,
)


def film(frames: int, seed: int = 1) -> np.ndarray:
    """Pictures that drift, shape (frames, 18, 32): neighbours are alike, as in a shot."""
    rng = np.random.default_rng(seed)
    wide = np.cumsum(rng.normal(0, 12, (18, 32 + frames)), axis=1)
    return np.clip(120 + np.stack([wide[:, n : n + 32] for n in range(frames)]), 0, 255)


@pytest.mark.parametrize(("begin", "frames"), [(0, 40), (7, 40), (0, 25), (13, 20)])
def test_the_lag_is_that_of_a_search_by_hand(begin: int, frames: int) -> None:
    every, rng = film(60), np.random.default_rng(5)
    theirs = every[10:50]
    ours = every[begin : begin + frames] * 0.7 + 20 + rng.normal(0, 3, (frames, 18, 32))
    best, found_by_hand = -2.0, 0
    for lag in range(-39, frames):
        first, count = paired(frames, 40, lag)
        if count >= 8:
            pairs = [(ours[k + lag].ravel(), theirs[k].ravel()) for k in range(first, first + count)]
            mean = float(np.mean([np.corrcoef(a, b)[0, 1] for a, b in pairs]))
            if mean > best:
                best, found_by_hand = mean, lag
    found = aligned(normal(ours), normal(theirs), 8, None)
    assert found.lag == found_by_hand == 10 - begin
    assert found.likeness == pytest.approx(best, abs=1e-5)
    assert found.certain
    assert found.same


def test_pairs_are_pearsons() -> None:
    a, b = film(12), film(9, 2)
    found = at_lag(normal(a), normal(b), 2)
    assert found == pytest.approx([pearsonr(a[k + 2].ravel(), b[k].ravel()).statistic for k in range(9)])


def test_other_pictures_are_not_the_same() -> None:
    found = aligned(normal(film(40)), normal(film(40, 9)), 20)
    assert found.likeness < SAME


def test_what_stands_still_is_where_it_is_expected() -> None:
    still = np.repeat(film(1), 30, axis=0)
    found = aligned(normal(still), normal(still), 15)
    assert (found.lag, found.certain) == (0, False)
    noisy = still + np.random.default_rng(3).normal(0, 2, still.shape)
    assert aligned(normal(noisy), normal(still), 15).lag == 0
    flat = np.full((30, 18, 32), 90.0)
    assert not aligned(normal(flat), normal(flat), 15).same


def test_flat_frames_say_nothing() -> None:
    ours, theirs = film(30), film(30)
    ours[:5] = 16
    assert aligned(normal(ours[2:]), normal(theirs), 10).lag == -2


def test_bars_and_what_is_within() -> None:
    rows, columns = np.full(100, 200.0), np.full(160, 200.0)
    rows[:12] = rows[90:] = 17
    columns[150:] = 20
    assert margins(rows, columns) == pytest.approx((0.12, 0.1, 0, 0.0625))
    assert margins(np.full(100, 16.0), np.full(50, 16.0)) == (0, 0, 0, 0)
    pictures = np.zeros((2, 10, 16))
    pictures[:, 2:8, 4:12] = np.arange(48).reshape(6, 8)
    kept = inside(pictures, (0.2, 0.2, 0.25, 0.25), (4, 3))
    assert kept[1] == pytest.approx(np.arange(48).reshape(3, 2, 4, 2).mean(axis=(1, 3)))


def areas_and_details(seed: int) -> tuple[np.ndarray, np.ndarray]:
    """Pictures of squares of 6 pixels, and detail within the squares of 20 levels, which their means know nothing
    of; both of shape (4, 36, 60)."""
    rng = np.random.default_rng(seed)
    squares = np.kron(rng.normal(120, 40, (4, 6, 10)), np.ones((1, 6, 6)))
    fine = rng.normal(0, 20, (4, 6, 6, 10, 6))
    fine -= fine.mean(axis=(2, 4), keepdims=True)
    return squares, fine.reshape(4, 36, 60)


@pytest.mark.parametrize(
    ("kept", "foreign", "same"), [(0.0, 0.0, True), (0.5, 0.4, True), (0.0, 0.9, True), (0.5, 1.2, False)]
)
def test_coarse_coding_may_lose_detail_and_not_make_some(kept: float, foreign: float, same: bool) -> None:
    """`foreign`, the power of detail that the reference has not, as a share of the power of what it has."""
    squares, fine = areas_and_details(1)
    _other, strange = areas_and_details(2)
    strange *= np.sqrt(foreign * (fine**2).sum() / (strange**2).sum())
    assert same_coarsely(squares + kept * fine + strange, squares + fine) == same


def test_other_areas_are_another_picture_unless_hardly_anything_is_apart() -> None:
    squares, fine = areas_and_details(1)
    others, _fine = areas_and_details(3)
    assert not same_coarsely(others, squares + fine)
    fog = 120 + 0.1 * (squares - 120)
    assert same_coarsely(np.full_like(fog, 120.0), fog), "4 levels apart"
    assert not same_coarsely(120 + 0.5 * (others - 120), 120 + 0.5 * (squares - 120)), "28 levels apart"


@pytest.mark.parametrize(
    ("apart", "foreign", "same"), [(0.2, 0.7, True), (0.8, 0.4, True), (0.8, 0.7, False)]
)
def test_the_less_alike_the_areas_the_less_strange_detail(apart: float, foreign: float, same: bool) -> None:
    """Areas that are alike by 0.98 and by 0.78: blocks of a coding's own are believed only of the former."""
    squares, fine = areas_and_details(1)
    others, strange = areas_and_details(4)
    strange *= np.sqrt(foreign * (fine**2).sum() / (strange**2).sum())
    off = squares + apart * (others - others.mean())
    assert same_coarsely(off + strange, squares + fine) == same
