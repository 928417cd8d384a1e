"""Where an interval of logs has no end that anybody could use, it ends at a thousandfold."""

import numpy as np

FARTHEST = float(np.log(1000.0))
"""Further no ratio of times is told: of two runs by one degree of freedom an interval may reach beyond what a number
holds, and its ends would be nought and no number at all."""

TOO_FEW, UNSHOWN = 2, 2.2
"""After two runs one that spreads five times as much as the others looks like them in three cases of ten: what it
could still gain is told with so many times its error, so that it is not given up for good. After one run the bound
is wide by itself."""


def ratio_of(log: float) -> float:
    """e to it, a thousandfold at the most and a thousandth at the least."""
    return float(np.exp(np.clip(log, -FARTHEST, FARTHEST)))
