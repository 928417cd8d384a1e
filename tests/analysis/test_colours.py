"""How colours went wrong is named; that they are paler, coarser or noisy is no such thing.

Matrices are those that Rec. ITU-R BT.601, BT.709 and BT.2020 print."""

import numpy as np
import pytest

from ovrik.analysis.signals.colours import NO_COLOUR, RED_BLUE, RIGHT, SWAPPED, colours

LIGHT = np.random.default_rng(2).uniform(0.1, 0.9, (3, 900)) * 0.7 + 0.15
BT709 = np.array([[0.2126, 0.7152, 0.0722], [-0.1146, -0.3854, 0.5], [0.5, -0.4542, -0.0458]])
BT601 = np.array([[0.299, 0.587, 0.114], [-0.1687, -0.3313, 0.5], [0.5, -0.4187, -0.0813]])
BT2020 = np.array([[0.2627, 0.678, 0.0593], [-0.1396, -0.3604, 0.5], [0.5, -0.4598, -0.0402]])


def coded(light: np.ndarray, matrix: np.ndarray) -> np.ndarray:
    """Limited 8-bit levels."""
    return matrix @ light * np.array([[219.0], [224.0], [224.0]]) + np.array([[16.0], [128.0], [128.0]])


SOURCE = coded(LIGHT, BT709)


@pytest.mark.parametrize(
    ("made", "name"),
    [
        (SOURCE, RIGHT),
        (coded(LIGHT, BT601), "smpte170m"),
        (coded(LIGHT, BT2020), "bt2020nc"),
        (SOURCE[[0, 2, 1]], SWAPPED),
        (coded(LIGHT[::-1], BT709), RED_BLUE),
        (np.stack([SOURCE[0], *np.full((2, 900), 128.0)]), NO_COLOUR),
    ],
)
@pytest.mark.parametrize("noise", [0.0, 0.5, 2.0])
@pytest.mark.parametrize("pale", [1.0, 0.8])
def test_each_way_is_named(made: np.ndarray, name: str, noise: float, pale: float) -> None:
    shown = made.copy()
    shown[1:] = 128 + pale * (shown[1:] - 128)
    shown += np.random.default_rng(1).normal(0, noise, shown.shape)
    allowed = {name, None} if noise > 1 and name not in (SWAPPED, RED_BLUE, NO_COLOUR) else {name}
    assert colours(shown, SOURCE, "bt709").made in allowed


@pytest.mark.parametrize("pale", [1.0, 0.6, 0.3])
@pytest.mark.parametrize("noise", [1.0, 6.0, 15.0])
def test_coarse_colours_are_not_blamed(pale: float, noise: float) -> None:
    shown = SOURCE.copy()
    shown[1:] = 128 + pale * (shown[1:] - 128)
    shown += np.random.default_rng(4).normal(0, noise, shown.shape)
    assert colours(shown, SOURCE, "bt709").made == RIGHT


def test_a_grey_picture_tells_nothing() -> None:
    grey = np.full((3, 900), 128.0)
    assert colours(grey, grey, "bt709").made is None
    assert colours(SOURCE, SOURCE, "ycgco").made is None


def test_little_colour_of_the_least_telling_hue_is_enough_where_it_is_kept_exactly() -> None:
    """Along Cr ≈ Cb = −Y every other way puts samples off by less than a fifth of their chroma: 0.6 levels here."""
    along = np.random.default_rng(0).normal(0, 1, 2000)
    seen = np.stack([-along, along, 0.95 * along])
    seen *= 3.2 / np.sqrt((seen[1:] ** 2).mean())
    samples = seen + np.array([[16.0], [128.0], [128.0]])
    found = colours(samples, samples, "bt709")
    assert (found.made, found.coloured) == (RIGHT, True)
