"""What is held of a machine whose runs are known not to resemble those before them."""

from ovrik.analysis.times.noise import Prior
from ovrik.analysis.times.succession import Likeness

NEVER_ALIKE = Likeness(0.0, 1e9)


def independent(spread: float = 0.03, freedom: float = 3.0) -> Prior:
    """Known from earlier runs, to spread so."""
    return Prior(spread, freedom, 30, NEVER_ALIKE)


QUIET = independent()
