"""How fast the frames of a clip follow one another, read from their time stamps."""

from collections.abc import Sequence
from dataclasses import dataclass
from fractions import Fraction

import numpy as np

COMMON_RATES = (
    *(Fraction(n) for n in (24, 25, 30, 48, 50, 60, 90, 100, 120, 12, 15)),
    *(Fraction(n * 1000, 1001) for n in (24, 30, 48, 60, 120)),
)
NEAR_RATE = Fraction(1, 200)
"""Relative distance within which a measured rate is taken for a common one."""
MOST_WANDER = 0.35
"""Share of a frame by which stamps may leave an even grid: beyond it two frames could change places."""


@dataclass(frozen=True)
class DecodePace:
    """Fields: `rate` in frames per second, of a variable clip the rate at which it is made constant; `constant`;
    `jitter_s`, the largest distance of a stamp from the even grid, seconds; `longest_s`, the longest frame;
    `frames` on the grid: of a constant clip its own; `duration_s`; `evidence`, how it was established, in words."""

    rate: Fraction
    constant: bool
    jitter_s: float
    longest_s: float
    frames: int
    duration_s: float
    evidence: str


def snapped(rate: float) -> Fraction:
    """The common rate nearest to a measured one, or the measured one itself where none is near."""
    nearest = min(COMMON_RATES, key=lambda r: abs(float(r) / rate - 1))
    return nearest if abs(float(nearest) / rate - 1) <= NEAR_RATE else Fraction(rate).limit_denominator(1001)


def pace_of(
    stamps: np.ndarray, tick: Fraction, stated: Sequence[Fraction], last_s: float, seen: str
) -> DecodePace:
    """The pace of frames at `stamps` (integers in units of `tick` seconds, rising).

    `stated` are rates that the file states, the most trusted first; `last_s` is how long its last frame stands,
    0 where it does not say; `seen` says in words what the stamps are of.
    """
    if len(stamps) < 2:
        rate = stated[0] if stated else Fraction(25)
        return DecodePace(
            rate=rate,
            constant=True,
            jitter_s=0.0,
            longest_s=float(1 / rate),
            frames=len(stamps),
            duration_s=len(stamps) / float(rate),
            evidence="a single frame",
        )
    times = (stamps - stamps[0]) * float(tick)
    steps = np.diff(times)
    measured = (len(stamps) - 1) / float(times[-1])
    for rate in dict.fromkeys([*stated, snapped(measured), Fraction(measured).limit_denominator(1001)]):
        off = float(np.abs(times - np.arange(len(times)) / float(rate)).max())
        if off <= _tolerance(float(tick), float(rate)):
            longest = round(float(steps.max()), 6)
            return DecodePace(
                rate=rate,
                constant=True,
                jitter_s=round(off, 6),
                longest_s=longest,
                frames=len(stamps),
                duration_s=len(stamps) / float(rate),
                evidence=f"time stamps of {seen}",
            )
    return _made_constant(times, steps, last_s, float(tick), seen)


def _tolerance(tick: float, rate: float) -> float:
    return min(max(1.6 * tick, 1e-4, 0.1 / rate), MOST_WANDER / rate)


def grid_of(times: np.ndarray, rate: Fraction, frames: int) -> np.ndarray:
    """Which of a variable clip's own frames stands at each frame of an even grid: the last one whose time,
    rounded to the grid (halves up), is not after it. `times` in seconds from the first frame."""
    places = np.floor(times * float(rate) + 0.5 + 1e-9)
    return np.searchsorted(places, np.arange(frames), side="right") - 1


def _made_constant(times: np.ndarray, steps: np.ndarray, last_s: float, tick: float, seen: str) -> DecodePace:
    """The rate of the usual step; the frame that stands longest keeps its time."""
    usual = float(np.median(steps[steps > 0])) if (steps > 0).any() else 0.04
    rate = snapped(1 / usual)
    duration = float(times[-1]) + (last_s if last_s > 0 else usual)
    frames = max(1, round(duration * float(rate)))
    shown = len(np.unique(grid_of(times, rate, frames)))
    lost = len(times) - shown
    slowest, fastest = 1 / float(steps.max()), 1 / max(float(steps.min()), tick)
    words = f"{slowest:.3g} to {fastest:.3g} fps by the time stamps of {seen}; "
    words += f"made constant at {float(rate):.5g} fps: {frames - shown} frames are repeated, {lost} left out"
    return DecodePace(
        rate=rate,
        constant=False,
        jitter_s=tick,
        longest_s=round(max(float(steps.max()), last_s), 6),
        frames=frames,
        duration_s=duration,
        evidence=words,
    )
