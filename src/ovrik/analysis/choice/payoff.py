"""After how many exports of a film what comes first has paid for itself."""

import math
from dataclasses import dataclass

from ovrik.analysis.times.bounded import ratio_of


@dataclass(frozen=True)
class Payoff:
    """Fields: `prerender_s`, what comes first; `direct_s`, an export without it; `from_s`, an export after it;
    `exports` after which the sum is smaller, None when it never is; `low` and `high`, between how many that lies
    (95 %), None for never; `bytes` of the intermediate."""

    prerender_s: float
    direct_s: float
    from_s: float
    exports: int | None
    low: int | None = None
    high: int | None = None
    bytes: int = 0


def exports_until(first_s: float, direct_s: float, from_s: float) -> int | None:
    """n exports cost n·direct without and first + n·from with what comes first: the smallest n with
    n·direct > first + n·from, in whole exports; None where there is none."""
    saved = direct_s - from_s
    return math.floor(first_s / saved) + 1 if saved > 0 else None


def payoff(
    first_s: float, direct_s: float, from_s: float, first_half: float, ratio_half: float, size: int = 0
) -> Payoff:
    """`first_half`, half the interval of ln(first / direct), and `ratio_half`, of ln(from / direct): each of a level
    at which both hold together. The fewest exports belong to the least that may come first and the most that may be
    saved, the most to the opposite."""
    low = exports_until(first_s * ratio_of(-first_half), direct_s, from_s * ratio_of(-ratio_half))
    high = exports_until(first_s * ratio_of(first_half), direct_s, from_s * ratio_of(ratio_half))
    return Payoff(first_s, direct_s, from_s, exports_until(first_s, direct_s, from_s), low, high, size)
