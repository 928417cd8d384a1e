"""How long the whole programme will take, from segments of it: fixed cost, cost of a picture, forecast."""

import itertools
import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from ovrik.analysis.times.ratio import t_quantile

ENOUGH_STRETCHES = 3
ENOUGH_FOR_COMPLEXITY = 5


@dataclass(frozen=True)
class Timed:
    """A segment that was exported. Fields: `start`, `frames` in frames of the programme; `seconds`;
    `complexity`, its mean over that of the whole programme (1 where it was not measured)."""

    start: int
    frames: int
    seconds: float
    complexity: float = 1.0


@dataclass(frozen=True)
class Costs:
    """T = fixed + pace · frames. Fields, seconds: `fixed`, `fixed_low`, `fixed_high`; `pace` of one frame of the
    excerpt, `pace_low`, `pace_high`; the limits are of 95 % intervals; `lengths`, how many different ones;
    `timings`; `noise`, spread of one timing as a share of it, and `frames`, how many they had on average."""

    fixed: float
    fixed_low: float
    fixed_high: float
    pace: float
    pace_low: float
    pace_high: float
    lengths: int
    timings: int
    noise: float
    frames: float = math.inf

    @property
    def fixed_error(self) -> float:
        """Standard error of `fixed`, as its interval has it."""
        return (self.fixed_high - self.fixed_low) / 4


def costs(timed: Sequence[Timed], start: int, frames: int) -> Costs | None:
    """Fixed cost, and cost of a picture within the segment from `start` on.

    A segment costs T = f + Σ c_j over the atoms that it holds, atoms being the segments between all the places where
    one begins or ends: an export against its own halves or quarters separates f from what is in them. Least squares
    with weights 1 / T², for times spread by a share of themselves; intervals are Student's. None while f can't be
    separated from the c_j, or nothing is left over to judge the spread by.
    """
    inside = [s for s in timed if s.start >= start and s.start + s.frames <= start + frames and s.seconds > 0]
    edges = np.unique([v for s in inside for v in (s.start, s.start + s.frames)])
    if len(edges) < 3:
        return None
    held = np.array([[s.start <= e < s.start + s.frames for e in edges[:-1]] for s in inside], float)
    seconds = np.array([s.seconds for s in inside])
    rows = np.hstack([np.ones((len(inside), 1)), held]) / seconds[:, None]
    freedom = len(inside) - int(np.linalg.matrix_rank(rows))
    if freedom < 1 or np.linalg.matrix_rank(rows[:, 1:]) == np.linalg.matrix_rank(rows):
        return None
    inverse = np.linalg.pinv(rows.T @ rows)
    found = inverse @ rows.T @ np.ones(len(inside))
    noise = float(np.sqrt(np.sum((1 - rows @ found) ** 2) / freedom))
    within = ((edges[:-1] >= start) & (edges[1:] <= start + frames)).astype(float)
    ask = np.concatenate([[0.0], within / (within @ np.diff(edges))])
    half = [t_quantile(freedom) * noise * float(np.sqrt(v)) for v in (inverse[0, 0], ask @ inverse @ ask)]
    fixed, pace = float(found[0]), float(ask @ found)
    return Costs(
        fixed=fixed,
        fixed_low=fixed - half[0],
        fixed_high=fixed + half[0],
        pace=pace,
        pace_low=pace - half[1],
        pace_high=pace + half[1],
        lengths=len({s.frames for s in inside}),
        timings=len(inside),
        noise=noise,
        frames=float(np.mean([s.frames for s in inside])),
    )


@dataclass(frozen=True)
class WholeForecast:
    """Fields: `seconds` for the whole programme; `low`, `high`, between which it is expected; `segments` that it
    rests on; `covered`, share of the programme's frames that they hold; `basis`, in words; `more`, how many more
    segments would make it close, 0 where it is, None where no number of them would."""

    seconds: float
    low: float
    high: float
    segments: int
    covered: float
    basis: str
    more: int | None = None

    @property
    def close(self) -> bool:
        """Whether it says how long it will take: within a tenth."""
        return self.more == 0


EVENED = 0.25
LEAST_SPREAD = 0.02
"""Of a long export, if a short one spreads by as much."""


@dataclass(frozen=True)
class Doubt:
    """What is known of the way times err. Fields: `fixed` seconds that an export pays once, `fixed_error` its
    standard error; `noise`, spread of one timing of `frames` frames as a share of it."""

    fixed: float
    fixed_error: float = 0.0
    noise: float = 0.05
    frames: float = math.inf

    def spread(self, frames: np.ndarray | float) -> np.ndarray:
        """That of a timing of so many frames. What comes and goes while it runs evens out over a longer one, with the
        square root of its length; the clock, the temperature and a drift do not: half of either, by logs."""
        evened = np.minimum((self.frames / np.asarray(frames, float)) ** EVENED, 1.0)
        return np.asarray(np.maximum(self.noise * evened, min(LEAST_SPREAD, self.noise)))


def forecast_whole(
    timed: Sequence[Timed], frames: int, doubt: Doubt, loads: np.ndarray | None = None
) -> WholeForecast | None:
    """Time for all `frames` of a programme; `loads`, the complexity of places all over it, over that of the whole,
    None where it was not measured.

    The pace of segment i is p_i = (T_i − f) / n_i; timings of one segment are averaged first. Its weight w_i is
    the share of the places that are nearest to it in complexity, else of the frames that lie nearest to its middle.
    With three or more segments, T = f + N · Σ w p, moved along their line over complexity by what that of the places
    is over Σ w x. The variance is the sum of: N² (1 − c) s² Σ w², c the share covered (sampling without replacement:
    W. G. Cochran, "Sampling Techniques", 3rd ed., 2.6) and s² half the mean square of the steps from one pace to the
    next in the order of complexity, which is what it leaves unexplained (the estimator v2 for systematic samples:
    K. M. Wolter, "Introduction to Variance Estimation", 1985, 7.2), or in that of the programme;
    c N² p² Σ (w noise)², since the steps hold the noise of the timings; (error of f)² (N / mean n − 1)²;
    (T · noise)² for the one export to come, the noise of so many frames; and what the line leaves open; times
    t(k − 1). With one or two, the pace is taken to follow complexity somewhere between not at all and in proportion:
    the interval spans both, and a quarter for all that was not timed.
    """
    places = _stretches(timed)
    if not places or frames <= 0:
        return None
    seconds, n = np.array([p.seconds for p in places]), np.array([p.frames for p in places], float)
    pace = np.maximum(seconds - doubt.fixed, 0.02 * seconds) / n
    x, covered, count = np.array([p.complexity for p in places]), _covered(places, frames), len(places)
    if count < ENOUGH_STRETCHES:
        return _from_few(pace, x, n, frames, doubt, covered)
    known = loads is not None and len(loads) > 0 and float(np.ptp(x)) > 1e-6
    if known and loads is not None:
        order, weight = _by_complexity(x, loads)
        moved, doubtful = _moved(pace, x, float(np.mean(loads) - weight @ x))
    else:
        order, weight, moved, doubtful = np.arange(count), _weights(places, frames), 0.0, 0.0
    mean = max(float(weight @ pace) + moved, 0.0)
    spread2 = float((np.diff(pace[order]) ** 2).mean()) / 2
    noise2 = float(((weight * doubt.spread(n) * mean) ** 2).sum())
    sampling = frames**2 * (float(weight @ weight) * spread2 * (1 - covered) + covered * noise2 + doubtful)
    total = doubt.fixed + frames * mean
    besides = _other_variance(doubt, total, frames, n)
    half = t_quantile(count - 1) * float(np.sqrt(sampling + besides))
    return WholeForecast(
        seconds=total,
        low=max(total - half, 0.0),
        high=total + half,
        segments=count,
        covered=covered,
        basis=f"{count} segments" + (" and their complexity" if known else ""),
        more=_more(sampling, besides, total, count),
    )


CLOSE = 0.1
"""A forecast says how long it will take if its interval reaches no further than so much of it either way."""
TWO_SIDED = 1.96


def _more(sampling: float, besides: float, total: float, count: int) -> int | None:
    """How many more segments would make it close, 0 where it is; None where no number of them would."""
    allowed = (CLOSE * total / t_quantile(count - 1)) ** 2
    if sampling + besides <= allowed:
        return 0
    left = (CLOSE * total / TWO_SIDED) ** 2 - besides
    return max(math.ceil(count * sampling / left) - count, 1) if left > 0 else None


def _by_complexity(x: np.ndarray, loads: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """The order of segments, and for each the share of the places that are nearest to it in complexity; those that
    are alike in it share theirs."""
    order = np.argsort(x, kind="stable")
    values, which, counts = np.unique(x, return_inverse=True, return_counts=True)
    edges = (values[1:] + values[:-1]) / 2
    shares = np.bincount(np.searchsorted(edges, loads), minlength=len(values)) / len(loads)
    return order, (shares / counts)[which]


def _moved(pace: np.ndarray, x: np.ndarray, by: float) -> tuple[float, float]:
    """What a step in complexity adds to the pace, by the line through all segments, and the variance of that: the
    difference estimator, for segments that are calmer or busier than the whole (Cochran, 7.2)."""
    if len(pace) < ENOUGH_FOR_COMPLEXITY:
        return 0.0, 0.0
    apart = x - x.mean()
    slope = float(apart @ pace / (apart @ apart))
    rest = pace - pace.mean() - slope * apart
    return slope * by, float(rest @ rest / (len(pace) - 2) / (apart @ apart)) * by**2


def _other_variance(doubt: Doubt, total: float, frames: int, n: np.ndarray) -> float:
    """What the fixed cost leaves open once for each segment, and the spread of the one export to come."""
    spread = float(doubt.spread(frames))
    return float((doubt.fixed_error * (frames / n.mean() - 1)) ** 2 + (spread * total) ** 2)


def _stretches(timed: Sequence[Timed]) -> list[Timed]:
    """One for each segment, at its mean time; those that lie within a longer one say nothing new and are left
    out."""
    spans = {(s.start, s.start + s.frames) for s in timed}
    outer = [a for a in sorted(spans) if not any(b != a and b[0] <= a[0] and a[1] <= b[1] for b in spans)]
    out = []
    for start, end in outer:
        same = [s for s in timed if (s.start, s.frames) == (start, end - start)]
        out.append(Timed(start, end - start, sum(s.seconds for s in same) / len(same), same[0].complexity))
    return out


def _weights(places: Sequence[Timed], frames: int) -> np.ndarray:
    """Share of the programme's frames that lie nearest to the middle of each segment."""
    middles = np.array([p.start + p.frames / 2 for p in places])
    nearest = np.argmin(np.abs(np.arange(frames)[:, None] - middles), axis=1)
    return np.bincount(nearest, minlength=len(places)) / frames


def _covered(places: Sequence[Timed], frames: int) -> float:
    seen = np.zeros(frames, bool)
    for p in places:
        seen[p.start : p.start + p.frames] = True
    return float(seen.mean())


def _from_few(
    pace: np.ndarray, x: np.ndarray, n: np.ndarray, frames: int, doubt: Doubt, covered: float
) -> WholeForecast:
    flat = float(np.average(pace, weights=n))
    scaled = float(np.average(pace / np.maximum(x, 0.05), weights=n))
    unseen = (1 - covered) / 4
    total = doubt.fixed + frames * (flat * scaled) ** 0.5
    half = 2 * float(np.sqrt(_other_variance(doubt, total, frames, n)))
    low = doubt.fixed + frames * min(flat, scaled) * (1 - unseen) - half
    high = doubt.fixed + frames * max(flat, scaled) * (1 + unseen) + half
    word = "one segment" if len(pace) == 1 else "two segments"
    return WholeForecast(
        seconds=total,
        low=max(low, 0.0),
        high=high,
        segments=len(pace),
        covered=covered,
        basis=f"{word}, its pace between even and proportional to complexity",
        more=ENOUGH_STRETCHES,
    )


@dataclass(frozen=True)
class Check:
    """A forecast against the real thing. Fields: `seconds` that it took; `off`, forecast over that, minus one;
    `within`, whether it lies in the interval."""

    seconds: float
    off: float
    within: bool


def check(forecast: WholeForecast, seconds: float) -> Check:
    """How a forecast did."""
    return Check(seconds, forecast.seconds / seconds - 1, forecast.low <= seconds <= forecast.high)


def windows(frames: int, length: int) -> list[tuple[int, int]]:
    """A programme taken apart into segments of about `length`, start and frames."""
    count = max(1, frames // max(1, min(length, frames)))
    edges = [frames * n // count for n in range(count + 1)]
    return [(a, b - a) for a, b in itertools.pairwise(edges)]


def spread_over(loads: Sequence[float], first: int) -> list[int]:
    """An order of windows in which any number of them, from `first` on, are spread evenly over the range of their
    complexities: by van der Corput's sequence ("Verteilungsfunktionen", 1935) of their ranks."""
    ranked, out = np.argsort(loads, kind="stable"), dict[int, None]()
    number = 0
    while len(out) < len(ranked):
        at = (_mirrored(number) + 0.5 / first) % 1.0
        out[int(ranked[int(at * len(ranked))])] = None
        number += 1
        if number > 64 * len(ranked):  # what is left lies between those that were met
            out |= dict.fromkeys(int(r) for r in ranked)
    return list(out)


def _mirrored(number: int) -> float:
    """The digits of a binary number mirrored at the point."""
    value, place = 0.0, 0.5
    while number:
        value += place * (number & 1)
        number, place = number >> 1, place / 2
    return value
