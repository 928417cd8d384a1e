"""By how much one sound lags behind another."""

from dataclasses import dataclass

import numpy as np

CERTAIN = 0.5
"""Normalised correlation from which two sounds are the same one."""
AMBIGUOUS = 0.98
"""Share of the highest peak that another may reach elsewhere: a steady tone fits in many places."""


@dataclass(frozen=True)
class Delay:
    """Fields: `seconds` by which the one comes later than the other; `likeness`, their normalised correlation there,
    0 to 1; `certain`, whether they are the same sound and no other delay fits as well."""

    seconds: float
    likeness: float
    certain: bool


def delay(ours: np.ndarray, theirs: np.ndarray, rate: int, most_s: float) -> Delay:
    """From two signals of shape (samples,) at the same rate; delays of up to `most_s` either way are looked at.

    The highest normalised cross-correlation, by the convolution theorem; of silence nothing is known.
    """
    a, b = (x.astype(float) - x.mean() if len(x) else np.zeros(1) for x in (ours, theirs))
    power = float(np.linalg.norm(a) * np.linalg.norm(b))
    if power == 0:
        return Delay(0.0, 0.0, False)
    size = 1 << (len(a) + len(b) - 1).bit_length()
    found = np.fft.irfft(np.fft.rfft(a, size) * np.fft.rfft(b, size).conj(), size) / power
    most = min(round(most_s * rate), len(a) - 1, len(b) - 1)
    lags = np.arange(-most, most + 1)
    values = np.abs(found[lags])  # a phase turned over is the same sound
    best = int(values.argmax())
    # What is not next to the highest peak: beyond where it first falls to half.
    apart = np.abs(lags - lags[best]) > max(1, round(0.002 * rate))
    rival = float(values[apart].max()) if apart.any() else 0.0
    certain = values[best] >= CERTAIN and rival < AMBIGUOUS * values[best]
    return Delay(float(lags[best] / rate), float(values[best]), bool(certain))
