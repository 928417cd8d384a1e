"""Are left and right where they should be? Told by what the two have apart, S = L − R, of an output and its source.

Right, both have the same S; exchanged, the one is the other's negative while L + R is the same; made mono, it is
gone. What coding takes away (a coarse codec joins the channels) only brings their correlation nearer to 0.
"""

from dataclasses import dataclass
from enum import StrEnum

import numpy as np

APART = 0.02
"""The share of the sound's energy that the source must have in S for its channels to be told apart."""
TOLD = 0.5
"""Correlation of both S from which, and under whose negative, it is told."""
GONE = 1e-4
"""The share of the source's S that is left where both channels are the same: codecs leave more of it, or the level of
each."""


class Channels(StrEnum):
    """What became of left and right."""

    RIGHT = "right"
    EXCHANGED = "exchanged"
    ALIKE = "alike"
    HALF = "one side silent"
    UNTOLD = "untold"


@dataclass(frozen=True)
class Stereo:
    """Fields: `channels`; `likeness`, the correlation of both S, NaN where there is none."""

    channels: Channels
    likeness: float = float("nan")


def stereo(ours: np.ndarray, theirs: np.ndarray) -> Stereo:
    """Of two sounds that lie beside one another, shape (samples, 2)."""
    count = min(len(ours), len(theirs))
    a, b = ours[:count].astype(float), theirs[:count].astype(float)
    s, wanted = a[:, 0] - a[:, 1], b[:, 0] - b[:, 1]
    power, there = float((wanted**2).sum()), float((s**2).sum())
    if not count or not a.any() or power <= APART * float((b**2).sum()):
        return Stereo(Channels.UNTOLD)
    sides, whole = (a**2).sum(axis=0), (b**2).sum(axis=0)
    if whole.min() >= APART * whole.sum() and sides.min() / sides.max() <= GONE * whole.min() / whole.max():
        return Stereo(Channels.HALF)
    level = float((a**2).sum()) / max(float((b**2).sum()), 1e-20)
    if there <= GONE * power * level:
        return Stereo(Channels.ALIKE)
    like = _like(s, wanted)
    both = _like(a.sum(axis=1), b.sum(axis=1))
    if abs(both) < TOLD:
        return Stereo(Channels.UNTOLD, like)
    like *= np.sign(both)  # a phase turned over is the same sound
    if like >= TOLD:
        return Stereo(Channels.RIGHT, like)
    return Stereo(Channels.EXCHANGED if like <= -TOLD else Channels.UNTOLD, like)


def _like(one: np.ndarray, other: np.ndarray) -> float:
    power = float(np.linalg.norm(one) * np.linalg.norm(other))
    return float((one * other).sum()) / power if power else 0.0
