"""What deciding will still take: runs and machine time, with an interval."""

from dataclasses import dataclass, replace

import numpy as np

from ovrik.analysis.times.bounded import TOO_FEW, UNSHOWN
from ovrik.analysis.times.critical import alpha_for, one_sided
from ovrik.analysis.times.joint import Joint
from ovrik.analysis.times.noise import Noise

DRAWS = 200
LOW, HIGH = 0.04, 0.96
"""The interval shown holds nine of ten outcomes; a little more, since the noise it draws from is itself estimated."""
FREEDOMS = np.concatenate([np.arange(1, 40), np.geomspace(40, 4000, 40)])


@dataclass(frozen=True)
class Ahead:
    """Fields: `runs` still to come, half of the outcomes need fewer, with `runs_low` and `runs_high`; `seconds` of
    machine time likewise; `undecided`, the share of outcomes in which the limit of rounds comes first."""

    runs: int
    runs_low: int
    runs_high: int
    seconds: float
    seconds_low: float
    seconds_high: float
    undecided: float


@dataclass(frozen=True, eq=False)
class Position:
    """Where a study stands. m contenders that may win, and the baseline.

    Fields: `logs`, estimated log seconds, shape (m,); `errors`, how far off those may be, shape (m,); `counts`,
    runs so far, shape (m,); `able`, who may win; `noise` of one run of each; `also`, the row that is timed in every
    round besides, or None; `rounds`, made so far; `most_rounds`, the limit; `band` of a tie; `beside`, seconds of
    each that are part of its cost and no machine time of a run, shape (m,)."""

    logs: np.ndarray
    errors: np.ndarray
    counts: np.ndarray
    able: np.ndarray
    noise: Noise
    also: int | None
    rounds: int
    most_rounds: int
    band: float
    beside: np.ndarray


def ahead(now: Position, seed: int = 0) -> Ahead:
    """Play the rest `DRAWS` times: true times and the noise are drawn from what is known of them, each round is run
    for whoever could still win, and it ends as the study will."""
    draw = np.random.default_rng(seed)
    shape = (DRAWS, len(now.logs))
    truth = now.logs + now.errors * draw.standard_normal(shape)
    noisy = draw.chisquare(now.noise.total, (DRAWS, 1)) / now.noise.total
    variances = np.maximum(now.noise.variances / noisy, 1e-8)
    counts, logs = np.broadcast_to(now.counts, shape).copy(), np.broadcast_to(now.logs, shape).copy()
    runs, seconds = np.zeros(DRAWS), np.zeros(DRAWS)
    total = np.full((DRAWS, 1), now.noise.total)
    reach = _Reach(now)
    wide = reach.of(total, counts)
    active = _active(logs, counts, variances, wide, now)
    for _round in range(now.rounds, now.most_rounds):
        if not active.any():
            break
        timed = active.copy()
        if now.also is not None:
            timed[:, now.also] |= active.any(axis=1) & _open(logs, counts, variances, wide, now)
        took = truth + np.sqrt(variances) * draw.standard_normal(shape)
        logs = np.where(timed, (logs * counts + took) / (counts + 1), logs)
        counts = counts + timed
        runs += timed.sum(axis=1)
        seconds += (np.maximum(np.exp(took) - now.beside, 0.0) * timed).sum(axis=1)
        total = total + np.maximum(timed.sum(axis=1, keepdims=True) - 1, 0)
        wide = reach.of(total, counts)
        active = _active(logs, counts, variances, wide, now)
    part = np.quantile(runs, (LOW, 0.5, HIGH)), np.quantile(seconds, (LOW, 0.5, HIGH))
    (r_low, r, r_high), (s_low, s, s_high) = part
    return Ahead(
        runs=round(r),
        runs_low=int(r_low),
        runs_high=int(np.ceil(r_high)),
        seconds=s,
        seconds_low=s_low,
        seconds_high=s_high,
        undecided=float(active.any(axis=1).mean()),
    )


class _Reach:
    """Standard errors up to a bound, for many degrees of freedom at once: from a table."""

    def __init__(self, now: Position) -> None:
        self._alike = now.noise.alike
        self._table = one_sided(FREEDOMS, int(now.able.sum()) - 1, alpha_for(now.most_rounds))

    def of(self, total: np.ndarray, counts: np.ndarray) -> np.ndarray:
        """For each contender of each outcome: no more freedom than there is, nor than two contenders have."""
        freedom = np.minimum(total, 2 * (self._alike + counts))
        return np.asarray(np.interp(freedom, FREEDOMS, self._table))


def _active(
    logs: np.ndarray, counts: np.ndarray, variances: np.ndarray, wide: np.ndarray, now: Position
) -> np.ndarray:
    """Who is timed in the next round of each outcome, shape (draws, m): the choice and its rivals, or nobody."""
    untimed = counts == 0
    part = np.where(untimed, np.inf, variances / np.maximum(counts, 1))
    choice = np.argmin(np.where(untimed | ~now.able, np.inf, logs), axis=1)[:, None]
    best, own = np.take_along_axis(logs, choice, 1), np.take_along_axis(part, choice, 1)
    unshown = np.where(counts == TOO_FEW, UNSHOWN**2, 1.0)
    reach = best - logs + wide * np.sqrt(part * unshown + own)
    rivals = now.able & (untimed | (reach > np.log1p(now.band)))
    np.put_along_axis(rivals, choice, False, 1)
    any_left = rivals.any(axis=1)
    rivals[np.arange(len(logs)), choice[:, 0]] = any_left
    return np.asarray(rivals)


def position(
    found: Joint,
    able: np.ndarray,
    also: int | None,
    band: float,
    rounds: int,
    most_rounds: int,
    runs: np.ndarray | None = None,
) -> Position:
    """Where a study stands that was timed: `able` as for a contest; `also`, the baseline's row while it is timed in
    every round; `rounds` made, of at most `most_rounds`; `runs`, log seconds of a run of each where what was `found`
    are whole costs, shape (k,)."""
    wins = able & (found.counts > 0)
    rows = np.flatnonzero(wins | (np.arange(len(able)) == (-1 if also is None else also)))
    own, counts = found.noise, found.counts[rows]
    # As if runs were independent, with a variance that gives the errors that they have.
    alone = found.parts[rows] * np.maximum(counts, 1)
    noise = replace(own, variances=alone, freedoms=own.freedoms[rows])
    errors = np.sqrt(found.parts[rows])
    place = None if also is None else int(np.searchsorted(rows, also))
    return Position(
        logs=found.logs[rows],
        errors=errors,
        counts=counts,
        able=wins[rows],
        noise=noise,
        also=place,
        rounds=rounds,
        most_rounds=most_rounds,
        band=band,
        beside=np.exp(found.logs[rows]) - np.exp((found.logs if runs is None else runs)[rows]),
    )


def _open(
    logs: np.ndarray, counts: np.ndarray, variances: np.ndarray, wide: np.ndarray, now: Position
) -> np.ndarray:
    """In which outcomes it can't be told yet what the choice gains over the baseline, shape (draws,)."""
    assert now.also is not None
    part = variances / np.maximum(counts, 1)
    choice = np.argmin(np.where(now.able & (counts > 0), logs, np.inf), axis=1)
    rows = np.arange(len(logs))
    half = wide[:, now.also] * np.sqrt(part[rows, choice] + part[:, now.also])
    gap = np.abs(logs[:, now.also] - logs[rows, choice])
    return np.asarray((choice != now.also) & (gap < half) & (gap + half > np.log1p(now.band)))
