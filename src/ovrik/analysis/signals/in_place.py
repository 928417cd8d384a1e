"""Does each frame of an output show the frame that belongs there? Judged where frames differ from their neighbours.

For a frame o of the output, the reference's frame r in its place and another one q near it, let D = q − r. Both
distances are taken where the two differ, with D² as weight:

    far(x) = Σ D² (o − x)² / Σ D⁴,   x = r or q

(o and q brought to r's mean and contrast first: a fade is no motion.)

A frame in its place has far(r) near 0 and far(q) near 1, one that shows q the reverse. What coding does to a frame
(noise, a picture that lags) moves both away from 0: then nothing is told of that frame.
"""

from dataclasses import dataclass

import numpy as np

from ovrik.analysis.signals.alignment import paired

AROUND = 3
"""Frames either way that one may have changed places with."""
NEAR, FAR = 0.2, 0.6
"""`far` of the one that is shown at most, and of the other at least."""
DIFFER = 3.0
"""Weighted root mean square of D from which two frames differ, in 8-bit levels."""
OVER_CODING, OVER_THERE = 4.0, 8.0
"""And it is so many times what coding does to the better frames, by the root mean square over all of a frame, and
where the two differ: a coarse encoder lets stand what hardly moves."""
BETTER = 0.25
"""The better ones: this quantile."""
CONTRAST, FLAT = 8.0, 2.0
"""Standard deviation of a frame that shows something, and of one that is blank, levels."""
SMALL, STRONG = 0.05, 0.1
"""A share of the picture, counted where D² is over the second share of its greatest, in which what an encoder does to
something small that opens and closes may look like another moment of it."""
UNLIKE, LIKE, APART = 0.5, 0.85, 5.0
"""A frame shows another picture if its correlation with its own is under the first where the median is over the
second, and it is so many times as far off as nine in ten of the others."""


@dataclass(frozen=True, eq=False)
class InPlace:
    """Fields: `shows`, by the output's frame the frame that it shows instead of its own, None for another picture;
    `blank`, frames that are; `told`, the share of the frames that differ from their neighbours of which it can be
    told that they are in place or not; `differ`, how many differ."""

    shows: dict[int, int | None]
    blank: tuple[int, ...]
    told: float
    differ: int


def in_place(ours: np.ndarray, theirs: np.ndarray, lag: int) -> InPlace:
    """Of two sequences of small pictures, shape (frames, pixels), in 8-bit levels; frame k + lag of the one lies
    beside frame k of the other."""
    first, count = paired(len(ours), len(theirs), lag)
    places = np.arange(first, first + count)
    mine, spread = _as(ours[places + lag], theirs[places])
    wanted = theirs[places].astype(np.float32)
    contrast = wanted.std(axis=1) if count else np.zeros(0)
    blank = (contrast >= CONTRAST) & (spread < FLAT)
    shown = (contrast >= FLAT) & (spread >= FLAT)
    coding = np.sqrt(((mine - wanted) ** 2).mean(axis=1)[shown])
    usual = OVER_CODING * float(np.quantile(coding, BETTER)) if len(coding) else 0.0
    best, shows, small = np.full(count, np.inf), places.copy(), np.zeros(count, bool)
    differs, seen, held = np.zeros(count, bool), np.zeros(count, bool), np.ones(count, bool)
    for step in (s for s in range(-AROUND, AROUND + 1) if s):
        there = places + step
        able = (there >= 0) & (there < len(theirs)) & shown
        other, far_spread = _as(theirs[np.clip(there, 0, len(theirs) - 1)], theirs[places])
        able &= far_spread >= FLAT
        weight = (other - wanted) ** 2
        whole = (weight**2).sum(axis=1)
        apart = np.sqrt(whole / np.maximum(weight.sum(axis=1), 1e-9))
        able &= apart >= DIFFER
        differs |= able
        there_off = np.sqrt(
            (weight * (mine - wanted) ** 2).sum(axis=1) / np.maximum(weight.sum(axis=1), 1e-9)
        )
        local = OVER_THERE * float(np.quantile(there_off[able], BETTER)) if able.any() else 0.0
        able &= apart >= max(usual, local)
        own, far = ((weight * (mine - x) ** 2).sum(axis=1) / np.maximum(whole, 1e-9) for x in (wanted, other))
        seen |= able
        held &= ~able | (own <= NEAR)
        closer = able & (far <= NEAR) & (own >= FAR) & (far < best)
        best[closer], shows[closer] = far[closer], there[closer]
        strong = weight[closer] > STRONG * weight[closer].max(axis=1, keepdims=True)
        small[closer] = strong.mean(axis=1) < SMALL
    shows = np.where(small & _by_itself(shows - places), places, shows)
    moved = shows != places
    found = {int(p + lag): int(s + lag) for p, s in zip(places[moved], shows[moved], strict=True)}
    elsewhere = _another(mine, wanted, shown & (contrast >= CONTRAST) & ~moved)
    told = seen & (held | moved)
    return InPlace(
        shows={**found, **{int(p + lag): None for p in places[elsewhere]}},
        blank=tuple(int(p + lag) for p in places[blank]),
        told=float(told.sum() / max(differs.sum(), 1)),
        differ=int(differs.sum()),
    )


def _by_itself(steps: np.ndarray) -> np.ndarray:
    """Which frames show one that is two and more away, while neither the next ones are as far off nor the two have
    changed places: no fault makes that, which repeats, drops or exchanges frames."""
    at = np.arange(len(steps))
    partner = np.clip(at + steps, 0, len(steps) - 1)
    beside = np.zeros(len(steps), bool)
    beside[1:] |= steps[1:] == steps[:-1]
    beside[:-1] |= steps[:-1] == steps[1:]
    return np.asarray((np.abs(steps) > 1) & ~beside & (steps[partner] != -steps))


def _as(ours: np.ndarray, theirs: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Each frame with the mean and the contrast of its partner; and its own contrast."""
    mine, wanted = ours.astype(np.float32), theirs.astype(np.float32)
    spread = mine.std(axis=1)
    scale = wanted.std(axis=1) / np.maximum(spread, 1e-3)
    off = mine - mine.mean(axis=1, keepdims=True)
    return wanted.mean(axis=1, keepdims=True) + off * scale[:, None], spread


def _another(mine: np.ndarray, wanted: np.ndarray, seen: np.ndarray) -> np.ndarray:
    """Which frames are like nothing that is near them."""
    a, b = (x - x.mean(axis=1, keepdims=True) for x in (mine, wanted))
    lengths = np.linalg.norm(a, axis=1) * np.linalg.norm(b, axis=1)
    like = (a * b).sum(axis=1) / np.maximum(lengths, 1e-9)
    if seen.sum() < 4 or np.median(like[seen]) < LIKE:
        return np.zeros(len(mine), bool)
    usual = float(np.quantile(1 - like[seen], 0.9))
    return np.asarray(seen & (like < UNLIKE) & (1 - like > APART * usual))
