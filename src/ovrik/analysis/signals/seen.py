"""Where two pictures differ so that a reader sees it: in light and in texture, not in the dark."""

from dataclasses import dataclass

import numpy as np
from scipy import ndimage

SHARE, LEAST_PX = 0.14, 96
"""The region's share of width and height, and the width in pixels that it has at least."""
DARK, LIT, BRIGHT, BURNT = 24.0, 56.0, 225.0, 245.0
"""8-bit levels between which a difference comes into view, and goes out of it."""
PLAIN, TEXTURED, IN_PLAIN = 1.0, 5.0, 0.3
"""Local standard deviations, 8-bit levels, of plain and of textured ground, and how much plain ground counts."""
NEAR_PX = 7


@dataclass(frozen=True)
class Seen:
    """A region. Fields: `area`, left, top, width and height as shares of the picture; `levels`, by how many 8-bit
    levels the two differ there on average, each pixel as far as it is seen."""

    area: tuple[float, float, float, float]
    levels: float


def most_seen(output: np.ndarray, reference: np.ndarray) -> Seen:
    """The region in which the difference is seen most. Luma in 8-bit levels, both of shape (height, width)."""
    ours, theirs = (np.asarray(plane, np.float32) for plane in (output, reference))
    weighted = np.abs(ours - theirs) * _in_view(theirs)
    high, wide = weighted.shape
    share = min(1.0, max(SHARE, LEAST_PX / wide))
    size = max(1, round(share * high)), max(1, round(share * wide))
    sums = np.pad(weighted.cumsum(0, dtype=np.float64).cumsum(1), ((1, 0), (1, 0)))
    down, across = size
    every = sums[down:, across:] - sums[:-down, across:] - sums[down:, :-across] + sums[:-down, :-across]
    top, left = np.unravel_index(int(np.argmax(every)), every.shape)
    levels = float(every[top, left]) / (down * across)
    return Seen((float(left) / wide, float(top) / high, across / wide, down / high), levels)


def _in_view(luma: np.ndarray) -> np.ndarray:
    """How well a difference is seen at each pixel, 0 to 1."""
    light = np.clip((luma - DARK) / (LIT - DARK), 0, 1) * np.clip((BURNT - luma) / (BURNT - BRIGHT), 0, 1)
    mean = ndimage.uniform_filter(luma, NEAR_PX)
    spread = np.sqrt(np.maximum(ndimage.uniform_filter(luma * luma, NEAR_PX) - mean * mean, 0))
    texture = np.clip((spread - PLAIN) / (TEXTURED - PLAIN), 0, 1)
    return np.asarray(light * (IN_PLAIN + (1 - IN_PLAIN) * texture))
