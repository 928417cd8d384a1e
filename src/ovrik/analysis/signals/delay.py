"""By how much one sound lags behind another."""

from dataclasses import dataclass

import numpy as np

from ovrik.analysis.signals.correlated import correlated

CERTAIN = 0.5
"""Normalised correlation from which two sounds are the same one."""
AMBIGUOUS = 0.98
"""Share of the highest peak that another may reach elsewhere: a steady tone fits in many places."""

BESIDE_S = 0.002
"""A peak's own width: what is nearer to it is no other peak."""


@dataclass(frozen=True)
class Delay:
    """Fields: `seconds` by which the one comes later than the other; `likeness`, their normalised correlation there,
    0 to 1; `certain`, whether they are the same sound and no other delay fits as well."""

    seconds: float
    likeness: float
    certain: bool


def delay(
    ours: np.ndarray, theirs: np.ndarray, rate: int, most_s: float, beside_s: float = BESIDE_S
) -> Delay:
    """From two signals of shape (samples,) at the same rate; delays of up to `most_s` either way are looked at, and
    what is nearer to the best than `beside_s` is no other one.

    The highest normalised cross-correlation; of silence nothing is known.
    """
    a, b = (x.astype(float) - x.mean() if len(x) else np.zeros(1) for x in (ours, theirs))
    power = float(np.linalg.norm(a) * np.linalg.norm(b))
    if power == 0:
        return Delay(0.0, 0.0, False)
    found = correlated(a[:, None], b[:, None]) / power
    lags = np.arange(1 - len(b), len(a))
    near = np.abs(lags) <= round(most_s * rate)
    lags, values = lags[near], np.abs(found[near])  # a phase turned over is the same sound
    best = int(values.argmax())
    apart = np.abs(lags - lags[best]) > beside_s * rate
    rival = float(values[apart].max()) if apart.any() else 0.0
    certain = values[best] >= CERTAIN and rival < AMBIGUOUS * values[best]
    return Delay(float(lags[best] / rate), float(values[best]), bool(certain))
