"""The edge of what can't be beaten: whatever is better in one respect is worse in the other."""

import numpy as np


def edge(across: np.ndarray, up: np.ndarray, more_across: bool = False, more_up: bool = False) -> np.ndarray:
    """Indices of the points that no other equals or beats in both respects, from the best `across` on; of two equal
    points the first. `more_across`, `more_up` say that more is better there; NaN is never on the edge.

    The Pareto front, by sweeping over points sorted by one respect and keeping those that improve the other."""
    x = -across if more_across else across
    y = -up if more_up else up
    known = np.flatnonzero(~(np.isnan(x) | np.isnan(y)))
    order = known[np.lexsort((known, y[known], x[known]))]
    kept, least = [], np.inf
    for at in order:
        if y[at] < least:
            kept.append(int(at))
            least = y[at]
    return np.array(kept, int)
