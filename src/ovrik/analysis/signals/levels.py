"""Constants of levels and of colour matrices."""

import numpy as np

FULL_OVER_LIMITED = 255 / 219
"""By so much the contrast grows when limited levels are stretched to full range (ITU-T H.273, 8.3)."""
NEAR = 0.04
KR_KB = {"bt709": (0.2126, 0.0722), "smpte170m": (0.299, 0.114), "bt2020nc": (0.2627, 0.0593)}
"""Weights of red and blue in luma (ITU-T H.273, table 4)."""


def matrix_of(name: str) -> np.ndarray:
    """R'G'B' to Y'CbCr, luma 0 to 1 and chroma −0.5 to 0.5 (ITU-T H.273, equations 38 to 40)."""
    red, blue = KR_KB[name]
    luma = np.array([red, 1 - red - blue, blue])
    return np.array(
        [luma, (np.array([0, 0, 1]) - luma) / (2 - 2 * blue), (np.array([1, 0, 0]) - luma) / (2 - 2 * red)]
    )
