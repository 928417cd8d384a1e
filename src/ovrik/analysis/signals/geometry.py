"""Where one sequence of pictures lies within another: moved, larger or smaller, mirrored.

One displacement and one scale for all frames, by least squares on the pictures' slopes (Lucas and Kanade, 1981),
begun where their cross-correlation is highest.
"""

from dataclasses import dataclass

import numpy as np

FURTHEST = 12
"""Displacements of up to so many pixels either way are looked at."""
STEPS, DONE = 4, 2e-3
"""So many steps at most, or until one is as small as that, pixels."""
MARGIN = 4
"""Pixels at the edges that are left out."""
ILL_CONDITIONED = 1e8
"""Condition of the slopes' products from which they tell nothing."""


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
    each = _displaced(a - moved, moved)
    spread = float(1.4826 * np.median(np.abs(each - np.median(each, axis=0))))
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
    by_row, by_column = (
        _between(count, zoom[i] * np.arange(count) + offset[i]) for i, count in enumerate((rows, columns))
    )
    return np.asarray(by_row @ pictures @ by_column.T)


def _between(count: int, places: np.ndarray) -> np.ndarray:
    """The weights by which neighbours give what lies at these places of a row of so many, shape (places, count):
    linear between two, the edge's own beyond it."""
    at = np.clip(places, 0, count - 1)
    low = np.minimum(at.astype(int), max(count - 2, 0))
    out = np.zeros((len(places), count), np.float32)
    np.add.at(out, (np.arange(len(places)), low), 1 - (at - low))
    np.add.at(out, (np.arange(len(places)), np.minimum(low + 1, count - 1)), at - low)
    return out


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


def _fitted(off: np.ndarray, moved: np.ndarray) -> np.ndarray | None:
    """What displacement and scale is left between pictures, from their difference and their slopes."""
    _n, rows, columns = moved.shape
    gy, gx = _slopes(moved)
    y, x = np.mgrid[:rows, :columns].astype(np.float32)
    y, x = _inner(y - np.float32((rows - 1) / 2)), _inner(x - np.float32((columns - 1) / 2))
    flat = np.stack([p.ravel() for p in (-gx, -gy, -gx * x, -gy * y)])
    square = flat @ flat.T
    if not np.isfinite(square).all() or np.linalg.cond(square) > ILL_CONDITIONED:
        return None
    return np.linalg.solve(square, flat @ _inner(off).ravel())


def _displaced(off: np.ndarray, moved: np.ndarray) -> np.ndarray:
    """What displacement is left in each picture by itself, across and down, shape (pictures, 2); 0 where its slopes
    don't tell."""
    gy, gx = (g.reshape(len(moved), -1) for g in _slopes(moved))
    left = _inner(off).reshape(len(moved), -1)
    slopes = -np.stack([gx, gy], axis=1)
    square = slopes @ slopes.transpose(0, 2, 1)
    tells = np.isfinite(square).all(axis=(1, 2))
    tells[tells] = np.linalg.cond(square[tells]) <= ILL_CONDITIONED
    out = np.zeros((len(moved), 2))
    out[tells] = np.linalg.solve(square[tells], slopes[tells] @ left[tells][:, :, None])[:, :, 0]
    return out


def _slopes(pictures: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Down and across, half the step from one neighbour to the other, without the edges."""
    down, across = (np.gradient(pictures, axis=axis) for axis in (1, 2))
    return _inner(down), _inner(across)


def _inner(pictures: np.ndarray) -> np.ndarray:
    return pictures[..., MARGIN:-MARGIN, MARGIN:-MARGIN]


def _like(a: np.ndarray, b: np.ndarray) -> float:
    """Mean correlation of pairs, without the edges."""
    p, q = (x - x.mean(axis=(1, 2), keepdims=True) for x in map(_inner, (a, b)))
    lengths = np.sqrt((p**2).sum(axis=(1, 2)) * (q**2).sum(axis=(1, 2)))
    return float(np.mean((p * q).sum(axis=(1, 2)) / np.maximum(lengths, 1e-9)))
