"""How loud sound is, as ITU-R BS.1770-4 measures it and EBU R 128 uses it."""

import numpy as np
from scipy import fft

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
    if rate != RATE:
        raise ValueError("the filters are for 48 kHz")
    weighted = k_weighted(sound.astype(float))
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


LONG = 8192
"""Samples that a sound rings on in the filters: after them less than 1e-17 of it is left."""
PIECE = 1 << 17


def k_weighted(sound: np.ndarray) -> np.ndarray:
    """Sound of shape (samples, channels) through both stages, piece by piece with what rings on added to the next
    (overlap-add). By spectra, because what filters by recursion takes two seconds to load."""
    size = fft.next_fast_len(min(len(sound), PIECE) + LONG, real=True)
    shelf, high_pass = (fft.rfft(above, size) / fft.rfft(below, size) for above, below in (SHELF, HIGH_PASS))
    response = (shelf * high_pass)[:, None]
    out = np.zeros((len(sound) + size, sound.shape[1]))
    for at in range(0, len(sound), PIECE):
        piece = sound[at : at + PIECE]
        out[at : at + size] += fft.irfft(fft.rfft(piece, size, axis=0) * response, size, axis=0)
    return out[: len(sound)]


def _lufs(power: np.ndarray) -> np.ndarray:
    with np.errstate(divide="ignore"):
        return np.asarray(-0.691 + 10 * np.log10(power))
