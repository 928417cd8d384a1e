"""Left and right, beside sounds whose channels are known."""

import numpy as np
import pytest

from ovrik.analysis.signals.stereo import Channels, stereo


def sound(seed: int = 1, wide: float = 0.6, count: int = 8000) -> np.ndarray:
    """Common and own noise, shape (samples, 2)."""
    draw = np.random.default_rng(seed)
    common, own = draw.normal(size=(count, 1)), draw.normal(size=(count, 2))
    return 0.1 * (common + wide * own)


@pytest.mark.parametrize("noise", [0.0, 0.03, 0.06])
def test_in_their_places(noise: float) -> None:
    heard = sound() + np.random.default_rng(2).normal(0, noise, (8000, 2))
    assert stereo(heard, sound()).channels is Channels.RIGHT
    assert stereo(0.3 * heard, sound()).channels is Channels.RIGHT, "quieter is no other place"
    assert stereo(-heard, sound()).channels is Channels.RIGHT, "nor is a phase turned over"


@pytest.mark.parametrize("noise", [0.0, 0.03, 0.06])
def test_exchanged(noise: float) -> None:
    heard = sound()[:, ::-1] + np.random.default_rng(2).normal(0, noise, (8000, 2))
    assert stereo(heard, sound()).channels is Channels.EXCHANGED
    assert stereo(-heard, sound()).channels is Channels.EXCHANGED


def test_made_mono() -> None:
    mono = np.repeat(sound().mean(axis=1, keepdims=True), 2, axis=1)
    assert stereo(mono, sound()).channels is Channels.ALIKE
    joined = mono + 0.05 * (sound() - mono)
    assert stereo(joined, sound()).channels is not Channels.ALIKE, (
        "a coarse codec leaves the channels' own levels"
    )


def test_what_has_no_sides_tells_nothing() -> None:
    mono = np.repeat(sound()[:, :1], 2, axis=1)
    assert stereo(mono, mono).channels is Channels.UNTOLD
    assert stereo(sound(), mono).channels is Channels.UNTOLD
    assert stereo(np.zeros((100, 2)), np.zeros((100, 2))).channels is Channels.UNTOLD
    assert stereo(sound(3), sound(4)).channels is Channels.UNTOLD, "another sound"


def test_one_side_silent() -> None:
    left = sound() * np.array([1.0, 0.0])
    assert stereo(left, sound()).channels is Channels.HALF
    assert stereo(left, left).channels is Channels.RIGHT, "as the source has it"
