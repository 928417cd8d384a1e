"""Is what one picture adds to a ground the same as what another adds, only elsewhere?

Both additions are laid over one another by their cross-correlation (Kuglin and Hines, 1975, without the whitening).
"""

from dataclasses import dataclass

import numpy as np

LEAST = 8.0
"""Difference from the ground, 8-bit levels, from which a sample is drawn."""
EXPLAINS = 0.35
"""Share of what the two additions have apart that may be left once one is moved."""


@dataclass(frozen=True)
class Moved:
    """Fields: `across`, `down`, by how many samples the one addition lies further right and down; `left`, the share
    of what they had apart that is left when it is brought to the other's place."""

    across: int
    down: int
    left: float

    @property
    def explained(self) -> bool:
        """Whether being drawn elsewhere is what sets the two apart."""
        return bool((self.across or self.down) and self.left <= EXPLAINS)


def moved(ours: np.ndarray, theirs: np.ndarray, ground: np.ndarray) -> Moved | None:
    """Of three pictures, shape (height, width), in 8-bit levels; None where one of them adds nothing, or covers most
    of the ground, so that there is no place it could be moved from."""
    a, b = (np.where(np.abs(p - ground) >= LEAST, p - ground, 0.0).astype(float) for p in (ours, theirs))
    covered = [float(np.mean(x != 0)) for x in (a, b)]
    if min(covered) == 0 or max(covered) > 0.5:
        return None
    size = [2 * n for n in a.shape]
    found = np.fft.irfft2(np.fft.rfft2(a, size) * np.conj(np.fft.rfft2(b, size)), size)
    peak = np.unravel_index(int(np.argmax(found)), found.shape)
    down, across = (int(n) - (m if n > m // 2 else 0) for n, m in zip(peak, size, strict=True))
    brought = np.zeros_like(b)
    rows, columns = b.shape
    to = (slice(max(down, 0), rows + min(down, 0)), slice(max(across, 0), columns + min(across, 0)))
    of = (slice(max(-down, 0), rows - max(down, 0)), slice(max(-across, 0), columns - max(across, 0)))
    brought[to] = b[of]
    before = float(((a - b) ** 2).sum())
    return Moved(across, down, float(((a - brought) ** 2).sum()) / before if before else 0.0)
