"""How much faster one contender is than another, with what certainty."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from scipy.special import ndtri, stdtrit

CONFIDENCE = 0.95
ALPHA = 1 - CONFIDENCE
USUAL_SPREAD = 0.08
"""Taken for the spread of runs where a single pair can't show it: the most that is usual between equal runs."""


@dataclass(frozen=True)
class Ratio:
    """Speed of a contender as a multiple of the baseline's: T_baseline / T.

    Fields: `value`, geometric mean of the paired ratios; `low`, `high`, its 95 % interval, None
    with fewer than two pairs; `pairs`, rounds in which both were timed; `spread`, standard
    deviation of the log ratios (about the relative spread of one pair), None likewise.
    """

    value: float
    low: float | None
    high: float | None
    pairs: int
    spread: float | None

    @property
    def saved(self) -> float:
        """Share of the baseline's time that is saved: 1 − 1 / value."""
        return 1.0 - 1.0 / self.value


def paired_ratio(
    baseline_s: Sequence[float], contender_s: Sequence[float], alpha: float = ALPHA, doubt_s: float = 0.0
) -> Ratio | None:
    """Ratio from times of the same rounds, shapes (n,) and (n,), seconds; None when n is 0.

    With d_i = ln(T_baseline,i / T_i): value = exp(mean d), interval =
    exp(mean d ± t(1 − α/2, n − 1) · s / √n), s the sample standard deviation of d. This is the paired
    t interval (W. S. Gosset, "The probable error of a mean", Biometrika 6, 1908) on log times. `alpha` is the
    chance that it misses: 0.05 for one comparison by itself.

    `doubt_s` is half the step in which times were read, seconds (0.5 for whole seconds by a stopwatch): no
    interval is narrower than what both readings leave open. A single pair of such times gets that interval,
    widened by z(1 − α/2) · √2 · `USUAL_SPREAD`; a single pair of exact ones gets none: a second one is cheap.
    Raises ValueError on unequal lengths or times that are not positive.
    """
    base, other = np.asarray(baseline_s, float), np.asarray(contender_s, float)
    if base.shape != other.shape or base.ndim != 1:
        raise ValueError("paired times need the same number of rounds")
    if np.any(base <= 0) or np.any(other <= 0):
        raise ValueError("times must be positive")
    count = len(base)
    if count == 0:
        return None
    logs = np.log(base / other)
    mean = float(logs.mean())
    read = float(np.mean(_open_by_reading(base, doubt_s) + _open_by_reading(other, doubt_s)))
    if count == 1:
        wide = read + float(ndtri(1 - alpha / 2)) * 2**0.5 * USUAL_SPREAD
        low, high = (float(np.exp(mean - wide)), float(np.exp(mean + wide))) if doubt_s else (None, None)
        return Ratio(float(np.exp(mean)), low, high, 1, None)
    spread = float(logs.std(ddof=1))
    half = max(t_quantile(count - 1, 1 - alpha) * spread / count**0.5, read)
    return Ratio(float(np.exp(mean)), float(np.exp(mean - half)), float(np.exp(mean + half)), count, spread)


def _open_by_reading(times: np.ndarray, doubt_s: float) -> np.ndarray:
    """How far a log time may be off when it was read in steps of twice `doubt_s`."""
    return np.asarray(np.log((times + doubt_s) / np.maximum(times - doubt_s, times * 0.05)) / 2)


def t_quantile(freedom: int, confidence: float = CONFIDENCE) -> float:
    """Two-sided Student t quantile."""
    return float(stdtrit(freedom, 0.5 + confidence / 2))


def answer(ratio: Ratio | None, band: float) -> str:
    """One of "faster", "slower", "tie", "unsure".

    A tie is claimed only when the whole interval lies within 1 ± `band`; faster or slower only
    when the interval lies wholly on one side of 1.
    """
    if ratio is None or ratio.low is None or ratio.high is None:
        return "unsure"
    if ratio.low >= 1 - band and ratio.high <= 1 + band:
        return "tie"
    if ratio.low > 1:
        return "faster"
    if ratio.high < 1:
        return "slower"
    return "unsure"


def rounds_to_decide(ratio: Ratio | None, band: float, alpha: float = ALPHA, most: int = 200) -> int | None:
    """About how many more rounds would turn "unsure" into an answer; None if more than `most`.

    Takes the present mean and spread for true and looks for the smallest n whose interval is
    clear of 1, or inside the tie band. With no spread known yet, two rounds are needed to begin.
    """
    if ratio is None or ratio.spread is None:
        return 2 - (ratio.pairs if ratio else 0)
    mean = float(np.log(ratio.value))
    inner_low, inner_high = np.log(1 - band) if band < 1 else -np.inf, np.log(1 + band)
    for count in range(max(ratio.pairs + 1, 2), ratio.pairs + most + 1):
        half = t_quantile(count - 1, 1 - alpha) * ratio.spread / count**0.5
        inside = mean - half >= inner_low and mean + half <= inner_high
        if inside or abs(mean) > half:
            return count - ratio.pairs
    return None
