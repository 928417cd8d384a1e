"""What was done to a picture's levels and colours, from pairs of small pictures."""

from dataclasses import dataclass

import numpy as np

FULL_OVER_LIMITED = 255 / 219
"""By so much the contrast grows when limited levels are stretched to full range (ITU-T H.273, 8.3)."""
NEAR = 0.04
LEAST_SPREAD = 8.0
"""Standard deviation in 8-bit levels under which a picture does not show its contrast."""
KR_KB = {"bt709": (0.2126, 0.0722), "smpte170m": (0.299, 0.114), "bt2020nc": (0.2627, 0.0593)}
"""Weights of red and blue in luma (ITU-T H.273, table 4)."""
LEAST_COLOUR, CLEARLY = 4.0, 1.0


@dataclass(frozen=True)
class LevelsFound:
    """Fields: `contrast` and `offset` of y = contrast · x + offset, in 8-bit levels; None where nothing shows it."""

    contrast: float | None
    offset: float | None


def levels(ours: np.ndarray, theirs: np.ndarray) -> LevelsFound:
    """The straight line through samples of pictures of the same shape, by least squares on what both hold. Samples
    at either end of the range were clipped and are left out."""
    y, x = ours.astype(float).ravel(), theirs.astype(float).ravel()
    whole = (y > 2) & (y < 253) & (x > 2) & (x < 253)
    x, y = x[whole], y[whole]
    if len(x) < 100 or x.std() < LEAST_SPREAD:
        return LevelsFound(None, None)
    offset, contrast = np.polynomial.polynomial.polyfit(x, y, 1)
    return LevelsFound(float(contrast), float(offset))


def shifted(found: LevelsFound, expected: float = 1.0) -> str | None:
    """ "full" where limited levels were stretched beyond what is expected, "limited" where full ones were squeezed,
    "" where neither was done, None where that can't be told."""
    if found.contrast is None:
        return None
    ratio = found.contrast / expected
    for name, wanted in (("", 1.0), ("full", FULL_OVER_LIMITED), ("limited", 1 / FULL_OVER_LIMITED)):
        if abs(ratio / wanted - 1) <= NEAR:
            return name
    return None


def matrix_of(name: str) -> np.ndarray:
    """R'G'B' to Y'CbCr, luma 0 to 1 and chroma −0.5 to 0.5 (ITU-T H.273, equations 38 to 40)."""
    red, blue = KR_KB[name]
    luma = np.array([red, 1 - red - blue, blue])
    return np.array(
        [luma, (np.array([0, 0, 1]) - luma) / (2 - 2 * blue), (np.array([1, 0, 0]) - luma) / (2 - 2 * red)]
    )


def converted_as(ours: np.ndarray, theirs: np.ndarray, own: str) -> str | None:
    """The matrix by which an output's samples were made from those of a reference of the matrix `own`: its own name
    where they are the same, another where R'G'B' of the one came out as Y'CbCr of the other, None where too little
    colour shows it. Both of shape (3, n), 8-bit limited levels of Y, Cb and Cr."""
    if own not in KR_KB or theirs[1:].std() < LEAST_COLOUR:
        return None
    scale, zero = np.array([[219.0], [224.0], [224.0]]), np.array([[16.0], [128.0], [128.0]])
    seen = (theirs - zero) / scale
    off = {}
    for name in KR_KB:
        made = matrix_of(name) @ np.linalg.inv(matrix_of(own)) @ seen * scale + zero
        off[name] = float(np.abs(made - ours).mean())
    best = min(off, key=off.__getitem__)
    return best if off[own] > off[best] + CLEARLY else own
