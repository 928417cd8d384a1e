"""How fast frames follow one another, of stamps that are made here."""

import bisect
from fractions import Fraction

import numpy as np
import pytest

from ovrik.quality.decode.pace import COMMON_RATES, grid_of, pace_of, snapped

USUAL = [
    *(Fraction(n) for n in (12, 15, 24, 25, 30, 48, 50, 60, 90, 100, 120)),
    *(Fraction(n, 1001) for n in (24_000, 30_000, 48_000, 60_000, 120_000)),
]
"""Rates of film, television and cameras."""
TICKS = [Fraction(1, n) for n in (1000, 90_000, 48_000, 12_800, 1_000_000)]


def stamps_at(rate: Fraction, tick: Fraction, frames: int) -> np.ndarray:
    """Frames of an even rate, each at the nearest tick, from somewhere on."""
    return np.array([7 + round(n / rate / tick) for n in range(frames)], np.int64)


@pytest.mark.parametrize("tick", TICKS)
@pytest.mark.parametrize("rate", USUAL)
def test_a_common_rate_is_found_though_the_file_states_none(rate: Fraction, tick: Fraction) -> None:
    found = pace_of(stamps_at(rate, tick, 240), tick, [], 0.0, "all")
    assert found.constant
    assert found.rate == rate
    assert found.frames == 240
    assert found.duration_s == pytest.approx(240 / float(rate))
    assert found.jitter_s <= float(tick)


def test_those_are_all_that_count_as_common() -> None:
    assert set(COMMON_RATES) == set(USUAL)


@pytest.mark.parametrize("rate", [Fraction(37, 2), Fraction(10), Fraction(144), Fraction(200, 3)])
def test_so_is_one_that_is_not(rate: Fraction) -> None:
    found = pace_of(stamps_at(rate, Fraction(1, 90_000), 300), Fraction(1, 90_000), [], 0.0, "all")
    assert found.constant
    assert float(found.rate) == pytest.approx(float(rate), rel=2e-4)


def test_a_measured_rate_is_taken_for_a_common_one_up_to_half_a_per_cent() -> None:
    assert snapped(25.1) == 25
    assert snapped(24.9) == 25
    assert snapped(25.2) == Fraction(126, 5)
    assert snapped(29.97) == Fraction(30_000, 1001)
    assert snapped(23.98) == Fraction(24_000, 1001)
    assert snapped(17.77) == pytest.approx(17.77, rel=1e-5)


def test_a_stated_rate_that_fits_is_trusted_before_a_measured_one() -> None:
    tick = Fraction(1, 1000)
    few = stamps_at(Fraction(24_000, 1001), tick, 12)
    assert pace_of(few, tick, [Fraction(24)], 0.0, "all").rate == 24
    many = stamps_at(Fraction(24_000, 1001), tick, 3000)
    assert pace_of(many, tick, [Fraction(24)], 0.0, "all").rate == Fraction(24_000, 1001)


def test_one_frame_has_the_stated_rate() -> None:
    found = pace_of(np.array([5]), Fraction(1, 1000), [Fraction(50)], 0.0, "all")
    assert (found.rate, found.frames, found.duration_s, found.longest_s) == (50, 1, 0.02, 0.02)
    assert pace_of(np.array([5]), Fraction(1, 1000), [], 0.0, "all").rate == 25


def test_uneven_stamps_are_brought_to_the_usual_step_and_the_last_frame_keeps_its_time() -> None:
    tick = Fraction(1, 1000)
    stamps = np.array([0, 40, 80, 120, 400, 440, 480], np.int64)
    found = pace_of(stamps, tick, [], 0.2, "all")
    assert not found.constant
    assert found.rate == 25
    assert found.duration_s == pytest.approx(0.48 + 0.2)
    assert found.frames == 17
    assert found.longest_s == pytest.approx(0.28)
    assert pace_of(stamps, tick, [], 0.5, "all").longest_s == pytest.approx(0.5)
    # Where the file does not say how long the last one stands, it stands for the usual step.
    assert pace_of(stamps, tick, [], 0.0, "all").duration_s == pytest.approx(0.48 + 0.04)
    assert "10 frames are repeated, 0 left out" in found.evidence


def test_a_burst_leaves_frames_out() -> None:
    stamps = np.array([0, 40, 80, 84, 88, 120, 160, 200, 240], np.int64)
    found = pace_of(stamps, Fraction(1, 1000), [], 0.0, "all")
    shown = set(grid_of(stamps / 1000, found.rate, found.frames).tolist())
    assert f"{len(stamps) - len(shown)} left out" in found.evidence
    assert f"{found.frames - len(shown)} frames are repeated" in found.evidence
    assert len(shown) < len(stamps)
    # Steps of 4 and 40 ms are what the clip shows at its fastest and slowest.
    assert found.evidence.startswith("25 to 250 fps")


@pytest.mark.parametrize("seed", [20261130, 7])
def test_the_grid_shows_the_last_frame_that_has_come(seed: int) -> None:
    draw = np.random.default_rng(seed)
    for _ in range(30):
        times = np.cumsum(draw.uniform(0.005, 0.12, 40))
        times -= times[0]
        rate = Fraction(int(draw.integers(10, 60)))
        frames = int(times[-1] * float(rate)) + 1
        # The nearest place on the grid, halves up, by whole numbers of ten thousandths of a frame.
        places = [int((t * float(rate) + 0.5) * 1e6) // 1_000_000 for t in times]
        wanted = [bisect.bisect_right(places, n) - 1 for n in range(frames)]
        assert grid_of(times, rate, frames).tolist() == wanted
