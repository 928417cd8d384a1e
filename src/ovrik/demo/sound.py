"""The sound of "Casting Day": furnace, wind, and a bell."""

import numpy as np
from scipy import signal

RATE = 48_000

PARTIALS = (
    (0.5, 0.9, 9.0),
    (1.0, 0.7, 5.5),
    (1.2, 0.6, 4.0),
    (1.5, 0.35, 3.0),
    (2.0, 0.8, 3.2),
    (2.67, 0.3, 1.6),
    (3.01, 0.28, 1.2),
    (4.17, 0.18, 0.7),
)
"""Hum, prime, tierce, quint, nominal and upper partials of a bell: ratio, strength, decay in s."""


def sound(seconds: float, seed: int, strikes: tuple[float, ...]) -> np.ndarray:
    """Stereo sound, shape (samples, 2), 16-bit; `strikes` are times in seconds."""
    random = np.random.default_rng([seed, 9])
    count = round(seconds * RATE)
    time = np.arange(count) / RATE
    out = np.zeros((count, 2))
    out += _noise(random, count, 260) * np.interp(time, [0, 2.2, 2.8, 12], [0.30, 0.30, 0.03, 0.02])[:, None]
    hiss = _noise(random, count, 5200) - _noise(random, count, 1500)
    out += hiss * np.interp(time, [0, 2.2, 2.6, 12], [0.07, 0.07, 0.006, 0.004])[:, None]
    gust = 0.6 + 0.4 * np.sin(2 * np.pi * time / 3.1)
    out += (
        _noise(random, count, 420)
        * (gust * np.interp(time, [0, 4.6, 5.2, 7.4, 12], [0, 0.02, 0.12, 0.08, 0.02]))[:, None]
    )
    for number, strike in enumerate(strikes):
        pan = 0.5 + (0.12 if number % 2 else -0.12)
        out += _strike(time - strike)[:, None] * np.array([1 - pan, pan]) * 0.55
    return np.clip(np.rint(out * 32767 * 0.8), -32768, 32767).astype(np.int16)


def _noise(random: np.random.Generator, count: int, cutoff: float) -> np.ndarray:
    low = signal.butter(2, cutoff, fs=RATE, output="sos")
    made = signal.sosfilt(low, random.standard_normal((count, 2)), axis=0)
    return made / made.std()


def _strike(time: np.ndarray) -> np.ndarray:
    after = np.maximum(time, 0)
    ring = sum(a * np.exp(-after / d) * np.sin(2 * np.pi * 233 * r * after) for r, a, d in PARTIALS)
    return np.where(time >= 0, ring, 0.0) * (1 - np.exp(-after / 0.002)) / 3
