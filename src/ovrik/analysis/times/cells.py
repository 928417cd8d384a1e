"""Times of many cells of a grid, with how surely any comparison among them is known."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from ovrik.analysis.times.joint import Joint


@dataclass(frozen=True, eq=False)
class Cells:
    """n cells: each a contender on a kind of footage. Fields: `logs` of their usual times, shape (n,), NaN untimed;
    `cover`, their covariance, shape (n, n); `parts`, variance of each one's own noise over its runs, shape (n,);
    `freedoms` of those; `total` degrees of freedom that there are."""

    logs: np.ndarray
    cover: np.ndarray
    parts: np.ndarray
    freedoms: np.ndarray
    total: float

    def contrast(self, weights: np.ndarray) -> tuple[float, float, float]:
        """The value of a weighted sum of the logs, its standard error, and its degrees of freedom after F. E.
        Satterthwaite (Biometrics Bulletin 2, 1946). Weights, shape (n,), are 0 where a cell is not timed."""
        used = np.flatnonzero(weights)
        w = weights[used]
        value = float(w @ self.logs[used])
        error = float(np.sqrt(max(w @ self.cover[np.ix_(used, used)] @ w, 0.0)))
        own = w**2 * self.parts[used]
        freedom = float(own.sum() ** 2 / max((own**2 / self.freedoms[used]).sum(), 1e-300))
        return value, error, min(freedom, self.total)


def _along_the_diagonal(squares: Sequence[np.ndarray]) -> np.ndarray:
    """Square matrices after one another in one, 0 beside them."""
    starts = np.cumsum([0, *(len(s) for s in squares)])
    out = np.zeros((starts[-1], starts[-1]))
    for start, square in zip(starts, squares, strict=False):
        out[start : start + len(square), start : start + len(square)] = square
    return out


def cells_of(found: Sequence[Joint]) -> Cells:
    """The contenders of each joint fit after one another: fits of different footage share no runs."""
    return Cells(
        np.concatenate([f.logs for f in found]),
        _along_the_diagonal([f.cover for f in found]),
        np.concatenate([f.parts for f in found]),
        np.concatenate([f.noise.freedoms for f in found]),
        float(sum(f.noise.total for f in found)),
    )
