"""Could someone tell two outputs apart without knowing which was which?"""

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cache

import numpy as np

from ovrik.analysis.special import beta_quantile, binomial_above

OPEN, ONE, OTHER, NEITHER = "open", "one", "other", "neither"
RISK = 0.05
"""How often somebody who only guesses may seem to tell them apart."""
USUAL_MOST, LEAST, MOST = 20, 6, 60
"""Trials: at the most, where nothing else is asked for, and what may be asked for."""


@dataclass(frozen=True)
class Told:
    """What a blind comparison has come to.

    Fields: `answer`: "open" while it goes on, "one" or "other" for what was taken for the nearer to the reference
    more often than by guessing, "neither" where they could not be told apart; `chose_one` of `trials`; `low`, `high`,
    the 95 % interval of the share in which "one" is chosen (Clopper and Pearson 1934).
    """

    answer: str
    chose_one: int
    trials: int
    low: float
    high: float


@cache
def needed(most: int, risk: float = RISK) -> tuple[int, ...]:
    """How often one of the two must have been chosen after each number of trials, 1 to `most`, to be told from the
    other; more than there are trials where it can't be yet.

    The same tail probability at every look, as large as it can be for somebody who guesses to be called a seer in no
    more than `risk` of all comparisons, whenever they stop: computed exactly over all sequences of guesses.
    """
    tails = sorted(
        {
            float(2 * binomial_above(k - 1, n, 0.5))
            for n in range(1, most + 1)
            for k in range(n // 2 + 1, n + 1)
        }
    )
    allowed = [t for t in tails if t <= risk]
    low, high = -1, len(allowed) - 1
    while low < high:
        middle = (low + high + 1) // 2
        if _called(_bounds(most, allowed[middle])) <= risk:
            low = middle
        else:
            high = middle - 1
    return _bounds(most, allowed[low] if low >= 0 else 0.0)


def _bounds(most: int, tail: float) -> tuple[int, ...]:
    out = []
    for n in range(1, most + 1):
        able = [k for k in range(n // 2 + 1, n + 1) if 2 * binomial_above(k - 1, n, 0.5) <= tail * (1 + 1e-9)]
        out.append(min(able, default=n + 1))
    return tuple(out)


def _called(bounds: Sequence[int]) -> float:
    """How often somebody who guesses reaches a bound, either way."""
    alive, called = np.array([1.0]), 0.0
    for n, bound in enumerate(bounds, 1):
        spread = np.zeros(n + 1)
        spread[:n] += alive / 2
        spread[1:] += alive / 2
        at = np.arange(n + 1)
        ended = (at >= bound) | (n - at >= bound)
        called += float(spread[ended].sum())
        alive = np.where(ended, 0.0, spread)
    return called


@cache
def power(most: int, share: float, risk: float = RISK) -> float:
    """How often somebody who chooses one of the two in this share of trials is told to see it, in comparisons of at
    most so many: exactly, over all sequences of answers."""
    alive, found = np.array([1.0]), 0.0
    for n, bound in enumerate(needed(most, risk), 1):
        spread = np.zeros(n + 1)
        spread[:n] += alive * (1 - share)
        spread[1:] += alive * share
        at = np.arange(n + 1)
        found += float(spread[at >= bound].sum())
        alive = np.where((at >= bound) | (n - at >= bound), 0.0, spread)
    return found


def told(chose_one: Sequence[bool], most: int = USUAL_MOST, risk: float = RISK) -> Told:
    """What the answers so far come to. Raises ValueError for more answers than trials."""
    n, k = len(chose_one), sum(chose_one)
    if n > most:
        raise ValueError("more answers than trials")
    return Told(_answer(n, k, most, risk), k, n, *_interval(k, n))


@cache
def _interval(k: int, n: int) -> tuple[float, float]:
    if not n:
        return 0.0, 1.0
    low = float(beta_quantile(k, n - k + 1, 0.025)) if k else 0.0
    high = float(beta_quantile(k + 1, n - k, 0.975)) if k < n else 1.0
    return low, high


def _answer(n: int, k: int, most: int, risk: float) -> str:
    bounds = needed(most, risk)
    if n and k >= bounds[n - 1]:
        return ONE
    if n and n - k >= bounds[n - 1]:
        return OTHER
    # Over as soon as no run of answers can reach a bound any more.
    ahead = range(n + 1, most + 1)
    reach = any(k + m - n >= bounds[m - 1] or m - k >= bounds[m - 1] for m in ahead)
    return OPEN if reach else NEITHER
