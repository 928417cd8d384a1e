"""Is an output's picture the excerpt's: each frame in its place, its levels, its colours, its bits?"""

from dataclasses import dataclass

import numpy as np

from ovrik.analysis.signals.alignment import inside, paired
from ovrik.analysis.signals.colours import NO_COLOUR, RED_BLUE, SWAPPED, colours
from ovrik.analysis.signals.colours import RIGHT as AS_THEY_ARE
from ovrik.analysis.signals.geometry import geometry, warped
from ovrik.analysis.signals.in_place import in_place
from ovrik.analysis.signals.levels import FULL_OVER_LIMITED
from ovrik.analysis.signals.tones import CHANGED, tones
from ovrik.quality.checks.alignment import COMPARED, Match
from ovrik.quality.checks.conformity import same_rate
from ovrik.quality.checks.miniatures import COLOUR_SIZE, SIZE, Miniatures
from ovrik.quality.checks.placing import LOOKED_AT
from ovrik.study.clip.footage import Footage
from ovrik.study.facts.point import DIFFERS, RIGHT, UNKNOWN, Point

FRAMES, LINES, LEVELS, MATRIX, CHROMA, DEPTH = (
    "each frame in its place",
    "order of lines",
    "levels",
    "colours",
    "chroma beside luma",
    "bit depth",
)
TOLD = 0.5
"""Of so many of the frames that differ it must be told that they are in their places."""
MOST_NAMED = 4
EIGHT_BITS, FINER = 0.1, 0.4
"""Shares of the samples that 8 bits could hold, beyond what chance gives: with so much more than the
reference there is no finer picture; a reference with more than the second is none either."""
APART_PX, APART, APART_EXPLAINS = 2.5, 0.12, 0.5
"""Chroma lies so many pixels, of the frame and of the small pictures, off luma, and that explains so much."""
LEAST_CHROMA = 3.0
LEAST_STEPS, REVERSED, OPPOSITE = 0.05, -0.4, -0.6
"""Mean square of the steps between lines from which they tell, levels; what share of them is left, reversed; and how
far both must be each other's opposites (correlation): steps of grain alone, coarsely coded, fall anyhow."""


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
    made = _colours(pair)
    known = made.answer != DIFFERS
    levels = _levels(pair) if known else Point(LEVELS, UNKNOWN, "other colours have other levels")
    beside = _chroma(pair) if known else Point(CHROMA, UNKNOWN, "other colours lie elsewhere")
    return [_frames(pair), _lines(pair), levels, made, beside, _depth(pair)]


def _frames(pair: OutputPair) -> Point:
    if not same_rate(pair.clip.rate, pair.against.rate):
        return Point(FRAMES, UNKNOWN, "at another rate, frames are not each other's")
    ours, theirs = _inside(pair, pair.seen.head, pair.beside.head)
    found = in_place(ours.reshape(len(ours), -1), theirs.reshape(len(theirs), -1), pair.match.lag)
    wrong = dict.fromkeys(found.blank, "is blank")
    wrong |= {k: "shows another picture" if s is None else f"shows frame {s}" for k, s in found.shows.items()}
    if wrong:
        named = "; ".join(f"frame {k} {words}" for k, words in sorted(wrong.items())[:MOST_NAMED])
        more = f"; and {len(wrong) - MOST_NAMED} more" if len(wrong) > MOST_NAMED else ""
        return Point(FRAMES, DIFFERS, f"its {named}{more}")
    if not found.differ:
        return Point(FRAMES, UNKNOWN, "the picture hardly moves")
    if found.told < TOLD:
        return Point(FRAMES, UNKNOWN, "its coding keeps too little of the motion to tell")
    return Point(FRAMES, RIGHT)


def _inside(pair: OutputPair, ours: np.ndarray, theirs: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Both without their bars, the reference's moved to where the output's lies."""
    a, b = inside(ours, pair.match.own_edges, COMPARED), inside(theirs, pair.match.edges, COMPARED)
    if lies := pair.match.moved:
        scale = COMPARED[0] / SIZE[0]
        b = warped(b, lies.across * scale, lies.down * scale, lies.wide, lies.high)
    return a, b


def _lines(pair: OutputPair) -> Point:
    """By the step from each even row to the next, of the brightest that each ever was: exchanged, it is reversed."""
    ours, theirs = pair.seen.rows, pair.beside.rows
    if (
        len(ours) != len(theirs)
        or len(ours) < 4
        or pair.match.moved
        or pair.match.own_edges != pair.match.edges
    ):
        return Point(LINES, UNKNOWN, "its lines are not the reference's, one by one")
    even = slice(0, len(ours) // 2 * 2, 2)
    mine, wanted = (x[1::2][: len(x) // 2] - x[even][: len(x) // 2] for x in (ours, theirs))
    power = float((wanted**2).sum())
    if power < LEAST_STEPS * len(wanted):
        return Point(LINES, UNKNOWN, "its lines hardly differ")
    shared = float((mine * wanted).sum())
    kept, own = shared / power, float((mine**2).sum())
    if kept < REVERSED and shared < OPPOSITE * (power * own) ** 0.5:
        return Point(
            LINES, DIFFERS, "its lines have changed places two by two, as with the wrong field first"
        )
    return Point(
        LINES, RIGHT if kept > -REVERSED else UNKNOWN, "" if kept > -REVERSED else "too little detail is left"
    )


def _levels(pair: OutputPair) -> Point:
    lag = pair.match.lag
    if not same_rate(pair.clip.rate, pair.against.rate):
        return Point(LEVELS, UNKNOWN, "at another rate, frames are not each other's")
    first, count = paired(len(pair.seen.head), len(pair.beside.head), lag)
    ours, theirs = _inside(
        pair, pair.seen.head[first + lag : first + lag + count], pair.beside.head[first : first + count]
    )
    found = tones(_limited(ours, pair.clip), _limited(theirs, pair.against))
    if not found.told:
        return Point(LEVELS, UNKNOWN, "it is too even, or its brightness changes all the time")
    if abs(found.off) <= CHANGED and found.stretched == 1.0:
        return Point(LEVELS, RIGHT)
    tagged = "full" if pair.clip.full_range else "limited"
    if found.stretched != 1.0:
        how = "full" if found.stretched > 1 else "limited"
        return Point(LEVELS, DIFFERS, f"its picture has {how}-range levels and is tagged {tagged}")
    way = "brighter" if found.off > 0 else "darker"
    return Point(
        LEVELS,
        DIFFERS,
        f"its tones are {abs(found.off):.0f} levels {way} than they should be, at {found.at:.0f}",
    )


def _limited(levels: np.ndarray, clip: Footage) -> np.ndarray:
    """As limited-range levels, whatever the clip's."""
    return 16 + levels / FULL_OVER_LIMITED if clip.full_range else levels


SAID = {
    NO_COLOUR: "its colours are gone",
    SWAPPED: "its colours have Cb and Cr exchanged",
    RED_BLUE: "its colours have red and blue exchanged",
}


def _colours(pair: OutputPair) -> Point:
    own = pair.against.colour.matrix or "bt709"
    tagged = pair.clip.colour.matrix or own
    if tagged != own or pair.clip.full_range != pair.against.full_range:
        return Point(MATRIX, UNKNOWN, "the two are not tagged alike")
    planes = _colour_planes(pair)
    if planes is None:
        return Point(MATRIX, UNKNOWN, "its frames are shifted, or its picture has bars or is moved")
    ours, theirs = (p.transpose(1, 0, 2, 3).reshape(3, -1).astype(float) for p in planes)
    found = colours(ours, theirs, own)
    if found.made is None:
        return Point(MATRIX, UNKNOWN, "its coding is too coarse" if found.coloured else "too little colour")
    if found.made == AS_THEY_ARE:
        return Point(MATRIX, RIGHT)
    return Point(
        MATRIX,
        DIFFERS,
        SAID.get(found.made, f"its colours are those of {found.made}, and it is tagged {tagged}"),
    )


def _colour_planes(pair: OutputPair) -> tuple[np.ndarray, np.ndarray] | None:
    """Small pictures in colour of frames that both were looked at in, shape (frames, 3, 27, 48)."""
    common = sorted(set(map(int, pair.seen.looked)) & set(map(int, pair.beside.looked)))
    if not common or not pair.match.plain or pair.match.moved:
        return None
    ours, theirs = (m.colours[np.isin(m.looked, common)] for m in (pair.seen, pair.beside))
    return ours, theirs


def _chroma(pair: OutputPair) -> Point:
    planes = _colour_planes(pair)
    if planes is None:
        return Point(CHROMA, UNKNOWN, "its frames are shifted, or its picture has bars or is moved")
    ours, theirs = planes
    most = 0.0
    told = False
    for number in (1, 2):
        if (theirs[:, number].astype(float).std(axis=(1, 2)) < LEAST_CHROMA).all():
            continue
        some = slice(None, None, max(1, len(ours) // LOOKED_AT))
        lies = geometry(ours[some, number], theirs[some, number])
        if lies is None:
            continue
        told = True
        off = max(abs(lies.across), abs(lies.down))
        if lies.explains <= APART_EXPLAINS and off >= max(APART, APART_PX * COLOUR_SIZE[0] / pair.clip.width):
            most = max(most, off)
    if not told:
        return Point(CHROMA, UNKNOWN, "too little colour")
    if most:
        return Point(
            CHROMA, DIFFERS, f"its colours lie {most * pair.clip.width / COLOUR_SIZE[0]:.0f} pixels off"
        )
    return Point(CHROMA, RIGHT)


def _depth(pair: OutputPair) -> Point:
    ours, theirs = _beyond_chance(pair.seen.even, pair.clip), _beyond_chance(pair.beside.even, pair.against)
    if ours is None:
        told = pair.clip.bit_depth <= 8
        return Point(
            DEPTH,
            RIGHT if told else UNKNOWN,
            f"{pair.clip.bit_depth} bit" if told else "its samples do not tell",
        )
    if theirs is None or theirs > FINER:
        return Point(DEPTH, UNKNOWN, "the reference is no finer than 8 bits")
    if ours > EIGHT_BITS + theirs:
        return Point(DEPTH, DIFFERS, f"its {pair.clip.bit_depth} bits hold an 8-bit picture")
    return Point(DEPTH, RIGHT, f"{pair.clip.bit_depth} bit")


def _beyond_chance(even: float | None, clip: Footage) -> float | None:
    """The share of samples that 8 bits could hold, less what chance gives: 1/4 of 10 bits, 1/16 of 12."""
    if even is None or clip.bit_depth <= 8:
        return None
    chance = 0.5 ** (clip.bit_depth - 8)
    return (even - chance) / (1 - chance)
