"""What was done to a picture's levels, from pairs of small pictures.

Coding takes detail away, and so draws levels towards their mean; that is no change of tones. Of a true change both
regressions tell, that of the output on the reference and the reverse: what is lost only flattens the one, what is
added only the other (bounds of Frisch, 1934).
"""

from dataclasses import dataclass

import numpy as np

from ovrik.analysis.signals.levels import FULL_OVER_LIMITED, NEAR

STEADY = 2.0
"""A frame counts while its neighbours' mean levels are within so many of its own: a coarse fade comes late."""
LEAST_SPREAD = 8.0
"""Standard deviation in 8-bit levels under which pictures do not show their contrast."""
BIN, SHARE, LEAST = 12, 0.02, 60
"""Width of a step of levels; it counts with so large a share of all samples, and so many of them."""
CHANGED, EXPLAINS = 6.0, 0.4
"""Levels by which tones may be off before they are said to be changed; and a change of tones has to leave no more
than so much of what the two have apart: coarse coding has more apart than any curve explains."""
OFF, TIGHT = 3.0, 1.1
"""A change of range is looked for from so many levels on, where the bounds of the contrast are no further apart."""
POOL = 3
"""Side of the squares whose means are compared, pixels of the small pictures."""
FEWEST = 2


@dataclass(frozen=True)
class Tones:
    """Fields: `stretched`, by what the contrast was changed if that is one of the two factors between full and
    limited range, else 1; `off`, the largest change of levels that both regressions tell of, signed, and `at`, the
    level of the reference where it is; `told`, whether anything can be told."""

    stretched: float = 1.0
    off: float = 0.0
    at: float = 0.0
    told: bool = True


UNTOLD = Tones(told=False)


def tones(ours: np.ndarray, theirs: np.ndarray) -> Tones:
    """From pairs of pictures of limited-range 8-bit levels, both of shape (frames, height, width), neighbours in
    time."""
    steady = _steady(theirs.mean(axis=(1, 2)))
    if steady.sum() < FEWEST:
        return UNTOLD
    y, x = (_pooled(p[steady]).ravel() for p in (ours, theirs))
    found = (
        _curve(x, y) if x.std() >= LEAST_SPREAD else None
    )  # an even picture may be off by a coarse step as a whole
    if found is None:
        return UNTOLD
    off, at = found
    return Tones(_stretched(x, y) if abs(off) > OFF else 1.0, off, at)


def _steady(means: np.ndarray) -> np.ndarray:
    if len(means) < 2:
        return np.ones(len(means), bool)
    step = np.abs(np.diff(means))
    return (np.append(step, 0) < STEADY) & (np.insert(step, 0, 0) < STEADY)


def _pooled(pictures: np.ndarray) -> np.ndarray:
    n, rows, columns = pictures.shape
    whole = pictures[:, : rows // POOL * POOL, : columns // POOL * POOL].astype(float)
    return np.asarray(whole.reshape(n, rows // POOL, POOL, columns // POOL, POOL).mean(axis=(2, 4)))


def _curve(x: np.ndarray, y: np.ndarray) -> tuple[float, float] | None:
    """The largest change that is told by levels of the reference and by levels of the output alike, and where; 0
    where a curve does not explain what the two have apart."""
    best, at, seen, left = 0.0, 0.0, False, (y - x).astype(float)
    for low in range(0, 256, BIN):
        here = (x >= low) & (x < low + BIN)
        if not here.any():
            continue
        level, change = float(x[here].mean()), float((y - x)[here].mean())
        left[here] -= change
        if here.sum() < max(LEAST, SHARE * len(x)):
            continue
        beside = np.abs(y - (level + change)) <= BIN / 2
        if beside.sum() < LEAST:
            continue
        seen = True
        back = float((y - x)[beside].mean())
        least = min(abs(change), abs(back)) if change * back > 0 else 0.0
        if least > abs(best):
            best, at = float(np.copysign(least, change)), level
    if not seen:
        return None
    explained = (left**2).mean() <= EXPLAINS * ((y - x) ** 2).mean()
    return (best, at) if explained else (0.0, 0.0)


def _stretched(x: np.ndarray, y: np.ndarray) -> float:
    """One of the two factors between ranges, where the contrast is near it; else 1."""
    whole = (y > 2) & (y < 253) & (x > 2) & (x < 253)
    x, y = x[whole], y[whole]
    if len(x) < LEAST or x.std() < LEAST_SPREAD:
        return 1.0
    both = float(np.mean((x - x.mean()) * (y - y.mean())))
    if both <= 0 or (y.var() / both) > TIGHT * (both / x.var()):
        return 1.0
    contrast = float(y.std() / x.std())
    return next((f for f in (FULL_OVER_LIMITED, 1 / FULL_OVER_LIMITED) if abs(contrast / f - 1) <= NEAR), 1.0)
