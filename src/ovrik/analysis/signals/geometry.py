"""Where one sequence of pictures lies within another: moved, larger or smaller, mirrored.

One displacement and one scale for all frames, by least squares on the pictures' slopes (Lucas and Kanade, 1981),
begun where their cross-correlation is highest.
"""

from dataclasses import dataclass

import numpy as np
from scipy import ndimage

FURTHEST = 12
"""Displacements of up to so many pixels either way are looked at."""
STEPS, DONE = 4, 2e-3
"""So many steps at most, or until one is as small as that, pixels."""
MARGIN = 4
"""Pixels at the edges that are left out."""


@dataclass(frozen=True)
class Geometry:
    """Fields: `across`, `down`, by how many pixels the one picture's content lies further right and down; `wide`,
    `high`, by what share it is larger; `doubt`, the standard error of the displacement as frames have it, pixels;
    `spread`, by how much the frames' own displacements vary about the common one, pixels; `before`, `after`, the mean
    correlation with the other as it is, and brought to its place."""

    across: float
    down: float
    wide: float
    high: float
    doubt: float
    spread: float
    before: float
    after: float

    @property
    def explains(self) -> float:
        """Which share of what the pictures have apart is left when they are brought to their place."""
        return (1 - self.after) / max(1 - self.before, 1e-9)


IN_PLACE_LIKE, FEW = 0.9, 8
"""So much alike must pictures be, and as many of them are looked at, for a look at their slopes to tell that they are
in place."""


def in_place_already(ours: np.ndarray, theirs: np.ndarray, least: float, least_scale: float) -> bool:
    """Whether some of the pictures alone, both of shape (frames, height, width), show that neither displacement nor
    scale comes near those, pixels and a share. Much quicker than `geometry`; False where that takes a closer look."""
    every = max(1, len(ours) // FEW)
    a, b = _normal(ours[::every]), _normal(theirs[::every])
    seen = a.any(axis=(1, 2)) & b.any(axis=(1, 2))
    if not seen.any() or _like(a[seen], b[seen]) < IN_PLACE_LIKE:
        return False
    found = _fitted(a[seen] - b[seen], b[seen])
    return found is not None and bool(
        np.abs(found[:2]).max() < least / 3 and np.abs(found[2:]).max() < least_scale / 3
    )


def geometry(ours: np.ndarray, theirs: np.ndarray) -> Geometry | None:
    """From pairs of pictures, both of shape (frames, height, width); None where nothing in them shows it."""
    a, b = _normal(ours), _normal(theirs)
    seen = a.any(axis=(1, 2)) & b.any(axis=(1, 2))
    if not seen.any():
        return None
    a, b = a[seen], b[seen]
    shift = _coarse(a, b)
    found = np.array([shift[0], shift[1], 0.0, 0.0])
    for _step in range(STEPS):
        moved = warped(b, *found)
        update = _fitted(a - moved, moved)
        if update is None:
            return None
        found += update
        if np.abs(update).max() < DONE:
            break
        if np.abs(found[2:]).max() > 0.5:
            return None
    moved = warped(b, *found)
    each = np.array(
        [_fitted(x[None] - m[None], m[None], scales=False) for x, m in zip(a, moved, strict=True)]
    )
    spread = float(1.4826 * np.median(np.abs(each[:, :2] - np.median(each[:, :2], axis=0))))
    return Geometry(
        across=float(found[0]),
        down=float(found[1]),
        wide=float(found[2]),
        high=float(found[3]),
        doubt=spread / np.sqrt(len(a)),
        spread=spread,
        before=_like(a, b),
        after=_like(a, moved),
    )


def warped(pictures: np.ndarray, across: float, down: float, wide: float, high: float) -> np.ndarray:
    """Pictures moved and scaled about their centre; what comes in from outside repeats the edge."""
    _n, rows, columns = pictures.shape
    zoom = np.array([1 / (1 + high), 1 / (1 + wide)])
    centre = np.array([(rows - 1) / 2, (columns - 1) / 2])
    offset = centre - zoom * (centre + np.array([down, across]))
    return np.stack([ndimage.affine_transform(p, zoom, offset, order=1, mode="nearest") for p in pictures])


def _normal(pictures: np.ndarray) -> np.ndarray:
    out = pictures.astype(np.float32)
    out = out - out.mean(axis=(1, 2), keepdims=True)
    spread = out.std(axis=(1, 2), keepdims=True)
    return np.asarray(np.where(spread < 2.0, 0, out / np.maximum(spread, 2.0)))


def _coarse(a: np.ndarray, b: np.ndarray) -> tuple[int, int]:
    """Whole pixels, across and down, where all frames together correlate most."""
    _n, rows, columns = a.shape
    size = (rows + 2 * FURTHEST, columns + 2 * FURTHEST)
    both = (np.fft.rfft2(a, size) * np.conj(np.fft.rfft2(b, size))).sum(axis=0)
    found = np.fft.irfft2(both, size)
    around = range(-FURTHEST, FURTHEST + 1)
    near = np.array([[found[i, j] for j in around] for i in around])
    # Pictures moved further share less: what they share is weighed.
    share = np.array([[(rows - abs(i)) * (columns - abs(j)) for j in around] for i in around])
    i, j = np.unravel_index(np.argmax(near / share), near.shape)
    return int(j) - FURTHEST, int(i) - FURTHEST


def _fitted(off: np.ndarray, moved: np.ndarray, scales: bool = True) -> np.ndarray | None:
    """What displacement (and scale) is left between pictures, from their difference and their slopes."""
    _n, rows, columns = moved.shape
    inner = (slice(None), slice(MARGIN, rows - MARGIN), slice(MARGIN, columns - MARGIN))
    gy, gx = np.gradient(moved, axis=(1, 2))
    y, x = np.mgrid[:rows, :columns] - np.array([(rows - 1) / 2, (columns - 1) / 2])[:, None, None]
    parts = [-gx, -gy, *((-gx * x, -gy * y) if scales else ())]
    flat = np.stack([p[inner].ravel() for p in parts])
    square = flat @ flat.T
    if np.linalg.cond(square) > 1e8 or not np.isfinite(square).all():
        return None if scales else np.zeros(2)
    return np.linalg.solve(square, flat @ off[inner].ravel())


def _like(a: np.ndarray, b: np.ndarray) -> float:
    """Mean correlation of pairs, without the edges."""
    inner = (slice(None), slice(MARGIN, -MARGIN), slice(MARGIN, -MARGIN))
    p, q = (x[inner] - x[inner].mean(axis=(1, 2), keepdims=True) for x in (a, b))
    lengths = np.sqrt((p**2).sum(axis=(1, 2)) * (q**2).sum(axis=(1, 2)))
    return float(np.mean((p * q).sum(axis=(1, 2)) / np.maximum(lengths, 1e-9)))
