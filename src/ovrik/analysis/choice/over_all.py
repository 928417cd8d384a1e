"""Times over several kinds of footage: weighted geometric means, with the same bounds as those of one."""

from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from ovrik.analysis.times.joint import Joint


def over_all(found: Sequence[Joint], rows: Sequence[Sequence[int]], weights: Sequence[float]) -> Joint:
    """One joint fit out of several: of contender k, row `rows[f][k]` in the f-th.

    ln T = Σ w_f · ln T_f with weights that add up to 1, so that a ratio over all is the weighted geometric mean of
    the ratios; fits of different footage share no runs, so that its variance is Σ w_f² · s_f². Degrees of freedom
    after F. E. Satterthwaite. A contender that lacks a time on footage that counts has none over all. Raises
    ValueError when no weight is above 0."""
    share = np.asarray(weights, float)
    if not (share > 0).any():
        raise ValueError("no kind of footage counts")
    kept = [int(f) for f in np.flatnonzero(share > 0)]
    share = share[kept] / share[kept].sum()
    own = [rows_of(found[f], rows[f]) for f in kept]
    logs = sum(w * f.logs for w, f in zip(share, own, strict=True))
    cover = sum(w**2 * f.cover for w, f in zip(share, own, strict=True))
    parts = np.array([w**2 * f.parts for w, f in zip(share, own, strict=True)])
    with np.errstate(invalid="ignore"):  # no variance at all leaves no freedoms to be known
        freedoms = parts.sum(axis=0) ** 2 / sum(
            part**2 / f.noise.freedoms for part, f in zip(parts, own, strict=True)
        )
    seen = np.concatenate([f.seen for f in own], axis=1) & ~np.isnan(logs)[:, None]
    counts = seen.sum(axis=1)
    noise = replace(
        own[0].noise,
        variances=parts.sum(axis=0) * np.maximum(counts, 1),
        freedoms=freedoms,
        alike_all=all(f.noise.alike_all for f in own),
        total=float(sum(f.noise.total for f in own)),
    )
    read = sum(w * f.read for w, f in zip(share, own, strict=True))
    return replace(
        own[0],
        logs=np.asarray(logs),
        cover=np.asarray(cover),
        noise=noise,
        seen=seen,
        read=np.asarray(read),
        parts=parts.sum(axis=0),
    )


def rows_of(found: Joint, rows: Sequence[int]) -> Joint:
    """The same fit, of these rows in this order."""
    rows = list(rows)
    noise = replace(found.noise, variances=found.noise.variances[rows], freedoms=found.noise.freedoms[rows])
    return replace(
        found,
        logs=found.logs[rows],
        cover=found.cover[np.ix_(rows, rows)],
        noise=noise,
        seen=found.seen[rows],
        read=found.read[rows],
        parts=found.parts[rows],
    )
