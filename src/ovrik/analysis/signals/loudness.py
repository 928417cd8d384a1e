"""How loud sound is, as ITU-R BS.1770-4 measures it and EBU R 128 uses it."""

import numpy as np

RATE = 48_000
"""Samples per second that the filters below are for."""
SHELF = ((1.53512485958697, -2.69169618940638, 1.19839281085285), (1.0, -1.69065929318241, 0.73248077421585))
HIGH_PASS = ((1.0, -2.0, 1.0), (1.0, -1.99004745483398, 0.99007225036621))
"""The two stages of K-weighting, numerator and denominator (BS.1770-4, tables 1 and 2)."""
BLOCK_S, STEP_S = 0.4, 0.1
ABSOLUTE, RELATIVE = -70.0, -10.0
"""Gates, LUFS and LU below the loudness of what passes the first."""


def loudness(sound: np.ndarray, rate: int = RATE) -> float:
    """Integrated loudness in LUFS of sound of shape (samples, channels), left and right, 1 for full scale; −inf where
    nothing passes the gates, which also holds for sound shorter than 0.4 s.

    Raises ValueError on another rate than 48 kHz.
    """
    from scipy.signal import lfilter  # only here: it takes a second to load

    if rate != RATE:
        raise ValueError("the filters are for 48 kHz")
    weighted = lfilter(*HIGH_PASS, lfilter(*SHELF, sound.astype(float), axis=0), axis=0)
    size, step = round(BLOCK_S * rate), round(STEP_S * rate)
    if len(weighted) < size:
        return float("-inf")
    total = np.concatenate([[0.0], np.cumsum((weighted**2).sum(axis=1))])
    starts = np.arange(0, len(weighted) - size + 1, step)
    power = (total[starts + size] - total[starts]) / size
    kept = power[_lufs(power) > ABSOLUTE]
    if not len(kept):
        return float("-inf")
    kept = kept[_lufs(kept) > _lufs(kept.mean()) + RELATIVE]
    return float(_lufs(kept.mean())) if len(kept) else float("-inf")


def _lufs(power: np.ndarray) -> np.ndarray:
    with np.errstate(divide="ignore"):
        return np.asarray(-0.691 + 10 * np.log10(power))
