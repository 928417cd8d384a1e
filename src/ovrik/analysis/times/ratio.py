"""How much faster one contender is than another, with what certainty."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from ovrik.analysis.special import student_quantile
from ovrik.analysis.times.bounded import ratio_of

CONFIDENCE = 0.95
ALPHA = 1 - CONFIDENCE


@dataclass(frozen=True)
class Ratio:
    """Speed of a contender as a multiple of the baseline's: T_baseline / T.

    Fields: `value`, the quotient of their usual times; `low`, `high`, its interval, None where there is none;
    `pairs`, rounds in which both were timed."""

    value: float
    low: float | None
    high: float | None
    pairs: int

    @property
    def saved(self) -> float:
        """Share of the baseline's time that is saved: 1 − 1 / value."""
        return 1.0 - 1.0 / self.value


def paired_ratio(
    baseline_s: Sequence[float], contender_s: Sequence[float], alpha: float = ALPHA
) -> Ratio | None:
    """Ratio from times of the same rounds, shapes (n,) and (n,), seconds; None when n is 0.

    With d_i = ln(T_baseline,i / T_i): value = exp(mean d), interval =
    exp(mean d ± t(1 − α/2, n − 1) · s / √n), s the sample standard deviation of d. This is the paired
    t interval (W. S. Gosset, "The probable error of a mean", Biometrika 6, 1908) on log times. `alpha` is the
    chance that it misses: 0.05 for one comparison by itself. A single pair gets no interval.
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
    if count == 1:
        return Ratio(float(np.exp(mean)), None, None, 1)
    half = t_quantile(count - 1, 1 - alpha) * float(logs.std(ddof=1)) / count**0.5
    return Ratio(float(np.exp(mean)), ratio_of(mean - half), ratio_of(mean + half), count)


def t_quantile(freedom: float, confidence: float = CONFIDENCE) -> float:
    """Two-sided Student t quantile."""
    return float(student_quantile(freedom, 0.5 + confidence / 2))


def answer(ratio: Ratio | None, band: float) -> str:
    """One of "faster", "slower", "tie", "unsure".

    A tie is claimed only when the whole interval lies within the band, from 1 / (1 + `band`) to 1 + `band`, so that
    it is one from both sides; faster or slower only when the interval lies wholly on one side of 1."""
    if ratio is None or ratio.low is None or ratio.high is None:
        return "unsure"
    if ratio.low * (1 + band) >= 1 and ratio.high <= 1 + band:
        return "tie"
    if ratio.low > 1:
        return "faster"
    if ratio.high < 1:
        return "slower"
    return "unsure"


def rounds_to_decide(ratio: Ratio | None, band: float, most: int = 200) -> int | None:
    """About how many more rounds would turn "unsure" into an answer; None if more than `most`.

    Takes the present value for true and lets the interval of n rounds narrow as √n / √(n + m), until it is clear of 1
    or inside the tie band. Without an interval, one shared round is needed to begin.
    """
    if ratio is None or ratio.low is None or ratio.high is None or not ratio.pairs:
        return 1
    mean, half = float(np.log(ratio.value)), float(np.log(ratio.high / ratio.value))
    reach = float(np.log1p(band))
    for more in range(1, most + 1):
        now = half * (ratio.pairs / (ratio.pairs + more)) ** 0.5
        if abs(mean) > now or (abs(mean) + now <= reach):
            return more
    return None
