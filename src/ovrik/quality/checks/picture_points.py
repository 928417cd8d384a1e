"""Is an output's picture the excerpt's: each frame in its place, its levels, its colours, its bits?"""

from dataclasses import dataclass

import numpy as np

from ovrik.analysis.signals.alignment import at_lag, inside, normal, paired
from ovrik.analysis.signals.levels import FULL_OVER_LIMITED, converted_as, levels, shifted
from ovrik.quality.checks.alignment import COMPARED, Match
from ovrik.quality.checks.conformity import same_rate
from ovrik.quality.checks.miniatures import Miniatures
from ovrik.study.clip.footage import Footage
from ovrik.study.facts.point import DIFFERS, RIGHT, UNKNOWN, Point

FRAMES, LEVELS, MATRIX, DEPTH = "each frame in its place", "levels", "colour matrix", "bit depth"
AROUND = 3
"""Frames either way that one may have changed places with."""
APART, MOST_OF_IT, AS_LIKE = 0.001, 0.6, 0.05
"""A frame shows another one's picture when the two differ by the first in the reference, it is closer to the other
one by so much of that difference, and as like it as frames are to their own, but for this share of them: what coding
does to a frame is less."""
MOST_NAMED = 4
MORE_EVEN, FINER = 0.1, 0.4
"""Shares of samples that 8 bits could hold: a quarter of 10-bit ones by chance. An output with so much more than the
reference holds no finer picture; a reference with more than the second is none either."""


@dataclass(frozen=True, eq=False)
class OutputPair:
    """An output and its reference. Fields: `seen`, `clip`, the output's miniatures and facts; `beside`, `against`,
    those of the reference; `match`, how they lie beside one another."""

    seen: Miniatures
    clip: Footage
    beside: Miniatures
    against: Footage
    match: Match


def picture_points(pair: OutputPair) -> list[Point]:
    """All points about the picture."""
    return [_frames(pair), _levels(pair), _matrix(pair), _depth(pair)]


def _frames(pair: OutputPair) -> Point:
    if not same_rate(pair.clip.rate, pair.against.rate):
        return Point(FRAMES, UNKNOWN, "at another rate, frames are not each other's")
    ours = normal(inside(pair.seen.head, pair.match.own_edges, COMPARED))
    theirs = normal(inside(pair.beside.head, pair.match.edges, COMPARED))
    wrong = misplaced(ours, theirs, pair.match.lag)
    if not wrong:
        moves = np.mean(1 - (theirs[1:] * theirs[:-1]).sum(axis=1) > APART) if len(theirs) > 1 else 0.0
        return Point(FRAMES, RIGHT) if moves > 0.5 else Point(FRAMES, UNKNOWN, "the picture hardly moves")
    named = "; ".join(f"frame {k} {words}" for k, words in list(wrong.items())[:MOST_NAMED])
    more = f"; and {len(wrong) - MOST_NAMED} more" if len(wrong) > MOST_NAMED else ""
    return Point(FRAMES, DIFFERS, f"its {named}{more}")


def misplaced(ours: np.ndarray, theirs: np.ndarray, lag: int) -> dict[int, str]:
    """The output's frames that show another one's picture, or none, each with what it shows; both as `normal` gives
    them."""
    first, count = paired(len(ours), len(theirs), lag)
    places = np.arange(first, first + count)
    laid = at_lag(ours, theirs, lag)
    own = np.nan_to_num(laid, nan=-2.0)
    blank = np.asarray(~ours[places + lag].any(axis=1) & theirs[places].any(axis=1))
    # Flat frames, as in a fade, are like nothing: how like frames are to their own is read from the others.
    seen = laid[~np.isnan(laid)]
    usual = float(np.quantile(seen, AS_LIKE)) if len(seen) else 1.0
    best, of = np.zeros(count), places.copy()
    for step in (s for s in range(-AROUND, AROUND + 1) if s):
        held = (places + step >= 0) & (places + step < len(theirs))
        here, there = places[held], places[held] + step
        alike = (ours[here + lag] * theirs[there]).sum(axis=1)
        apart = 1 - (theirs[here] * theirs[there]).sum(axis=1)
        gain = np.zeros(count)
        gain[held] = np.where(
            (apart > APART) & (alike >= usual), (alike - own[held]) / np.maximum(apart, APART), 0
        )
        closer = (gain > MOST_OF_IT) & (gain > best)
        best[closer], of[closer] = gain[closer], places[closer] + step
    out = {}
    for place, other, empty in zip(places, of, blank, strict=True):
        if empty:
            out[int(place + lag)] = "is blank"
        elif other != place:
            out[int(place + lag)] = f"shows frame {int(other + lag)}"
    return out


def _levels(pair: OutputPair) -> Point:
    lag = pair.match.lag
    first, count = paired(len(pair.seen.head), len(pair.beside.head), lag)
    places = np.arange(first, first + count)[:: max(1, count // 60)]
    ours = inside(pair.seen.head[places + lag], pair.match.own_edges, COMPARED)
    theirs = inside(pair.beside.head[places], pair.match.edges, COMPARED)
    grow = {(False, True): FULL_OVER_LIMITED, (True, False): 1 / FULL_OVER_LIMITED}
    expected = grow.get((pair.against.full_range, pair.clip.full_range), 1.0)
    found = levels(ours, theirs)
    how = shifted(found, expected)
    if how is None:
        seen = "too little contrast" if found.contrast is None else f"its contrast is ×{found.contrast:.2f}"
        return Point(LEVELS, UNKNOWN, seen)
    if not how:
        return Point(LEVELS, RIGHT)
    tagged = "full" if pair.clip.full_range else "limited"
    return Point(LEVELS, DIFFERS, f"its picture has {how}-range levels and is tagged {tagged}")


def _matrix(pair: OutputPair) -> Point:
    own = pair.against.colour.matrix or "bt709"
    tagged = pair.clip.colour.matrix or own
    common = sorted(set(map(int, pair.seen.looked)) & set(map(int, pair.beside.looked)))
    if tagged != own or pair.clip.full_range != pair.against.full_range:
        return Point(MATRIX, UNKNOWN, "the two are not tagged alike")
    if not common or not pair.match.plain:
        return Point(MATRIX, UNKNOWN, "its frames are shifted or have bars")
    ours, theirs = (
        m.colours[np.isin(m.looked, common)].transpose(1, 0, 2, 3).reshape(3, -1).astype(float)
        for m in (pair.seen, pair.beside)
    )
    found = converted_as(ours, theirs, own)
    if found is None:
        return Point(MATRIX, UNKNOWN, "too little colour")
    if found != own:
        return Point(MATRIX, DIFFERS, f"its colours are those of {found}, and it is tagged {tagged}")
    return Point(MATRIX, RIGHT)


def _depth(pair: OutputPair) -> Point:
    if pair.seen.even is None:
        return Point(DEPTH, RIGHT, f"{pair.clip.bit_depth} bit")
    if pair.beside.even is None or pair.beside.even > FINER:
        return Point(DEPTH, UNKNOWN, "the reference is no finer than 8 bits")
    if pair.seen.even > pair.beside.even + MORE_EVEN:
        return Point(DEPTH, DIFFERS, f"its {pair.clip.bit_depth} bits hold an 8-bit picture")
    return Point(DEPTH, RIGHT, f"{pair.clip.bit_depth} bit, no trace of 8")
