"""What was done to a picture's colours, from pairs of small pictures of Y, Cb and Cr.

Each way in which colours go wrong predicts how far the output's samples would be off. How much of that there is in
them is found by least squares, beside what coding does: paler colours and less contrast. It is about 0 where colours
are right, about 1 where they went wrong in this way.
"""

from dataclasses import dataclass

import numpy as np

from ovrik.analysis.signals.levels import KR_KB, matrix_of

RIGHT, NO_COLOUR, SWAPPED, RED_BLUE = "right", "none", "Cb and Cr", "red and blue"
"""As they should be; all grey; the planes exchanged; the primaries exchanged. Else the name of a matrix."""
TELLING = 0.5
"""Root mean square by which a way must put samples off to be told, levels."""
WHOLLY, CERTAIN = 0.3, 4.0
"""So far from 1 what there is of it may be, and it must be so many times its standard error."""
ALIKE = 20
"""So many neighbouring samples say no more than one."""
EXPLAINS = 0.5
"""And with it no more than so much may stay unexplained of what does without: coarse coding has more."""
GREY = 0.1
"""Share of the chroma that is left where there is said to be none."""
LEAST_CHROMA = 3.0
"""Root mean square about grey from which a picture has colour, levels."""
ROUNDING = 0.35


@dataclass(frozen=True)
class Colours:
    """Fields: `made`, one of the words above or the name of a matrix, None where it can't be told; `coloured`,
    whether there is enough colour to tell by."""

    made: str | None
    coloured: bool = True


def colours(ours: np.ndarray, theirs: np.ndarray, own: str) -> Colours:
    """Of samples of shape (3, n), 8-bit limited levels, of a reference of the matrix `own`."""
    if own not in KR_KB or theirs.shape[1] < 30:
        return Colours(None, coloured=False)
    zero = np.array([[16.0], [128.0], [128.0]])
    seen, made = theirs - zero, ours - zero
    if np.sqrt((seen[1:] ** 2).mean()) < LEAST_CHROMA:
        return Colours(None, coloured=False)
    kept = float((made[1:] * seen[1:]).sum() / (seen[1:] ** 2).sum())
    left = np.sqrt((made[1:] ** 2).mean())
    if abs(kept) < GREY and left < GREY * np.sqrt((seen[1:] ** 2).mean()) + ROUNDING:
        return Colours(NO_COLOUR)
    able, doubtful, best = False, False, (RIGHT, np.inf)
    apart = _unexplained(made - seen, seen)
    for name, predicted in _ways(seen, own).items():
        off = predicted - seen
        if np.sqrt((off**2).mean()) < TELLING:
            continue
        able = True
        found = _share(apart, _unexplained(off, seen))
        if abs(found.share - 1) > WHOLLY or found.share < CERTAIN * found.error:
            continue
        if found.left > EXPLAINS * found.without:
            doubtful = True
        elif found.left < best[1]:
            best = name, found.left
    if best[0] == RIGHT and (doubtful or not able):
        return Colours(None, coloured=able)
    return Colours(best[0])


@dataclass(frozen=True)
class _Share:
    """Fields: `share` of what a way predicts that there is in the samples, and its `error`; `left`, the mean square
    that stays unexplained, and what does `without` it."""

    share: float
    error: float
    left: float
    without: float


def _unexplained(values: np.ndarray, seen: np.ndarray) -> np.ndarray:
    """What offsets, contrast and paleness of either colour leave of values: residuals of each plane's regression on
    its own samples and a constant."""
    values, seen = (x - x.mean(axis=1, keepdims=True) for x in (values, seen))
    power = (seen**2).sum(axis=1, keepdims=True)
    along = (values * seen).sum(axis=1, keepdims=True)
    return values - np.divide(along, power, out=np.zeros_like(power), where=power > 0) * seen


def _share(off: np.ndarray, predicted: np.ndarray) -> _Share:
    """What there is of a way in how far samples are off, both without what is explained otherwise: the same as in a
    regression on all of it at once (Frisch and Waugh, 1933)."""
    power, without = float((predicted**2).sum()), float((off**2).mean()) + ROUNDING**2
    if not power:
        return _Share(0.0, 0.0, without, without)
    share = float((off * predicted).sum()) / power
    left = float(((off - share * predicted) ** 2).mean()) + ROUNDING**2
    return _Share(share, float(np.sqrt(left * ALIKE / power)), left, without)


def _ways(seen: np.ndarray, own: str) -> dict[str, np.ndarray]:
    """What the output would hold, each way."""
    scale = np.array([[219.0], [224.0], [224.0]])
    back = np.linalg.inv(matrix_of(own))
    light = back @ (seen / scale)
    out = {SWAPPED: seen[[0, 2, 1]], RED_BLUE: matrix_of(own) @ light[::-1] * scale}
    for name in KR_KB:
        if name != own:
            out[name] = matrix_of(name) @ light * scale
    return out
