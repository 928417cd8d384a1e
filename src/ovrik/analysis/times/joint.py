"""All times of a line-up at once: what each contender takes, round effects removed, and how surely that is known."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from ovrik.analysis.times.noise import STATED, Noise, Prior, moderated
from ovrik.analysis.times.succession import Likeness, likeness

ROUND_EFFECT = 0.08
"""How far a whole round may lie from another at the most that is usual, as a standard deviation of log times. So wide
that runs are compared within their rounds wherever they share one; the rest says what rounds that share nothing
do."""


EQUAL = 1e-12
"""Logs no farther apart differ by the order in which sums were added up."""


@dataclass(frozen=True)
class Times:
    """One contender's counted times.

    Fields: `rounds`, what names the round of each, shape (n,); `seconds`, shape (n,); `doubt_s`, how far each may be
    off for the way it was read, or all of them, 0 for exact ones; `slowed`, by how much something may have slowed
    each down at the most, as a log of times, shape (n,), () where nothing did."""

    rounds: tuple[Any, ...]
    seconds: tuple[float, ...]
    doubt_s: float | tuple[float, ...] = 0.0
    slowed: tuple[float, ...] = ()


@dataclass(frozen=True, eq=False)
class Joint:
    """What the times say together. k contenders.

    Fields: `logs`, log of the usual time of each in an average round, shape (k,), NaN without times; `cover`, their
    covariance, shape (k, k); `noise`, the spread of one run of each; `seen`, who has a time in which round, shape
    (k, rounds) of bool; `read`, how far each log time may be off for the way it was read, shape (k,); `parts`,
    variance of each log for its own runs' noise, shape (k,), in which it is allowed for that runs resemble those
    before them as `alike` says; `alike_shown`, what these times alone show of that.
    """

    logs: np.ndarray
    cover: np.ndarray
    noise: Noise
    seen: np.ndarray
    read: np.ndarray
    parts: np.ndarray
    alike: Likeness
    alike_shown: Likeness

    @property
    def counts(self) -> np.ndarray:
        """Runs of each, shape (k,)."""
        return np.asarray(self.seen.sum(axis=1))

    def shared(self, one: int, other: int) -> int:
        """Rounds in which both have a time."""
        return int((self.seen[one] & self.seen[other]).sum())

    def gap(self, one: int, other: int) -> float:
        """ln of T_one / T_other."""
        return float(self.logs[one] - self.logs[other])

    def errors_to(self, one: int) -> np.ndarray:
        """Standard errors of the gaps between this contender and each, shape (k,)."""
        spread = self.cover[one, one] + np.diag(self.cover) - 2 * self.cover[one]
        return np.asarray(np.sqrt(np.maximum(spread, 0.0)))

    def freedoms_to(self, one: int) -> np.ndarray:
        """Degrees of freedom of those errors, shape (k,), after F. E. Satterthwaite, "An approximate distribution of
        estimates of variance components", Biometrics Bulletin 2, 1946."""
        part, own = self.parts, self.noise.freedoms
        mine = part[one]
        found = (mine + part) ** 2 / (mine**2 / own[one] + part**2 / own)
        # Both rest on the same common variance: together they have no more freedom than there is.
        return np.asarray(np.minimum(found, self.noise.total))


def joint(contenders: Sequence[Times], prior: Prior = STATED) -> Joint:
    """Fit log times = contender + round + noise by weighted least squares.

    Each run weighs 1 / (its contender's variance + what reading it leaves open); rounds count as random with standard
    deviation `ROUND_EFFECT`, or what they show if that is more (the mixed model of C. R. Henderson, "Best linear
    unbiased estimation and prediction under a selection model", Biometrics 31, 1975). With every contender in every
    round this gives geometric means and paired ratios. How much a contender's runs resemble those before them widens
    the variances. Raises ValueError on times that are not positive.
    """
    table, reading, slowed = _table(contenders)
    seen = ~np.isnan(table)
    counts = seen.sum(axis=1)
    variances = np.full(len(contenders), prior.spread**2)
    effect = ROUND_EFFECT**2
    wide = np.ones(len(contenders))
    for _again in range(3):
        mean_of = (variances * wide)[
            :, None
        ] + slowed**2  # what a run adds to the variance of its contender's mean
        logs, rounds, _cover = _solved(table, _weights(seen, mean_of + reading**2), effect)
        left = np.where(seen, table - logs[:, None] - rounds[None, :], 0.0)
        one = variances[:, None] + slowed**2 + reading**2
        shown_alike = likeness([row[there] for row, there in zip(left / np.sqrt(one), seen, strict=True)])
        alike = prior.alike.and_also(shown_alike)
        # Of the deviation of a disturbed run, or of one that is not known well, only so much is its contender's own.
        own = np.where(seen, variances[:, None] / one, 0.0) ** 2
        told = [alike.told(int(n)) for n in counts]
        share, freedom = (np.array([getattr(t, name) for t in told]) for name in ("share", "freedom"))
        freedoms = _freedoms(_weights(seen, mean_of + reading**2), effect) * freedom
        squares = (own * left**2).sum(axis=1) * freedom / share
        noise = moderated(squares, freedoms * own.sum(axis=1) / np.maximum(counts, 1), prior)
        variances, wide = noise.variances, np.array([alike.widening(int(n)) for n in counts])
        effect = max(ROUND_EFFECT**2, 2 * float(np.var(rounds))) if len(rounds) else effect
    mean_of = (variances * wide)[:, None] + slowed**2
    weights = _weights(seen, mean_of + reading**2)
    logs, _rounds, cover = _solved(table, weights, effect)
    # One that is known well says more than one that is not, and so the mean is known nearly as well.
    read = np.sqrt(3) * (weights * reading).sum(axis=1) / np.maximum(weights.sum(axis=1), 1e-12)
    parts = 1 / np.maximum(_weights(seen, mean_of).sum(axis=1), 1e-12)
    logs = _equal_where_they_are(logs)
    return Joint(np.where(counts > 0, logs, np.nan), cover, noise, seen, read, parts, alike, shown_alike)


def _equal_where_they_are(logs: np.ndarray) -> np.ndarray:
    """The same with one value for all that are equal, so that nobody tells them apart."""
    order = np.argsort(logs)
    rising = logs[order]
    first = np.concatenate([[True], np.diff(rising) > EQUAL])[: len(rising)]
    out = np.empty_like(logs)
    out[order] = rising[first][np.cumsum(first) - 1]
    return out


def _weights(seen: np.ndarray, variances: np.ndarray) -> np.ndarray:
    return np.where(seen, 1 / variances, 0.0)


def _table(contenders: Sequence[Times]) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Log times by contender and round, NaN where there is none; how far each may be off for its reading: a step of
    2 `doubt_s` spreads by doubt_s / √3; and for what slowed it down: up to `slowed` spreads by slowed / √12."""
    rounds = sorted({r for c in contenders for r in c.rounds})
    column = {r: n for n, r in enumerate(rounds)}
    table = np.full((len(contenders), len(rounds)), np.nan)
    reading, slowed = np.zeros_like(table), np.zeros_like(table)
    for row, c in enumerate(contenders):
        if not c.rounds:
            continue
        seconds = np.asarray(c.seconds, float)
        if np.any(seconds <= 0):
            raise ValueError("times must be positive")
        at = [column[r] for r in c.rounds]
        table[row, at] = np.log(seconds)
        reading[row, at] = np.asarray(c.doubt_s) / seconds / np.sqrt(3)
        if c.slowed:
            slowed[row, at] = np.asarray(c.slowed, float) / np.sqrt(12)
    return table, reading, slowed


@dataclass(frozen=True, eq=False)
class _Normal:
    """The normal equations with the rounds eliminated, of which there may be many more than contenders. Fields:
    `cover` of the contenders' logs, shape (k, k), 0 of those without a run; `scaled`, each run's weight over that of
    its round, shape (k, rounds); `of_round`, weight of each round, what is held of rounds beforehand included."""

    cover: np.ndarray
    scaled: np.ndarray
    of_round: np.ndarray


def _normal(weights: np.ndarray, effect: float) -> _Normal:
    sums, of_round = weights.sum(axis=1), weights.sum(axis=0) + 1 / effect
    scaled, there = weights / of_round, sums > 0
    apart = np.diag(np.where(there, sums, 1.0)) - scaled @ weights.T
    return _Normal(np.linalg.inv(apart) * np.outer(there, there), scaled, of_round)


def _solved(
    table: np.ndarray, weights: np.ndarray, effect: float
) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Contenders' logs, rounds' effects, and the covariance of the former."""
    n = _normal(weights, effect)
    # About their mean, so that nothing is lost where large sums are taken from one another.
    middle = float(np.nanmean(table)) if np.isfinite(table).any() else 0.0
    pulled = weights * np.where(weights > 0, table - middle, 0.0)
    in_rounds = pulled.sum(axis=0)
    rounds = (in_rounds - (n.cover @ (pulled.sum(axis=1) - n.scaled @ in_rounds)) @ weights) / n.of_round
    # From each one's own runs: equal times give equal logs, wherever in the line-up they stand.
    sums = weights.sum(axis=1)
    own = (weights * np.where(weights > 0, table - middle - rounds, 0.0)).sum(axis=1)
    logs = np.divide(own, sums, out=np.zeros(len(sums)), where=sums > 0) + middle
    return logs, rounds, n.cover


def _freedoms(weights: np.ndarray, effect: float) -> np.ndarray:
    """How many free deviations each contender's runs have left: runs less what the fit takes of each."""
    n = _normal(weights, effect)
    # Leverage of a run: weight × variance of its fitted value (contender + round).
    across = n.cover @ n.scaled
    of_rounds = 1 / n.of_round + (n.scaled * across).sum(axis=0)
    fitted = np.diag(n.cover)[:, None] - 2 * across + of_rounds[None, :]
    return np.asarray(np.maximum(((weights > 0) - weights * fitted).sum(axis=1), 0.0))
