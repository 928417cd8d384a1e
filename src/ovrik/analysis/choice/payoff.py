"""After how many exports a pre-render has paid for itself."""

import math
from dataclasses import dataclass


@dataclass(frozen=True)
class Payoff:
    """Fields: `prerender_s`, what the intermediate cost; `direct_s`, an export without it; `from_s`, an
    export from it; `exports` after which the sum is smaller, None when it never is; `bytes` of the intermediate."""

    prerender_s: float
    direct_s: float
    from_s: float
    exports: int | None
    bytes: int = 0


def payoff(prerender_s: float, direct_s: float, from_s: float, size: int = 0) -> Payoff:
    """n exports cost n·direct without and prerender + n·from with an intermediate: the smallest n with
    n·direct > prerender + n·from, in whole exports."""
    saved = direct_s - from_s
    exports = math.floor(prerender_s / saved) + 1 if saved > 0 else None
    return Payoff(prerender_s, direct_s, from_s, exports, size)
