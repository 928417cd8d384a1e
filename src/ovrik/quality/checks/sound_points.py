"""Is an output's sound the excerpt's: there, not silent, as loud, and in time?"""

import math

import numpy as np

from ovrik.analysis.signals.delay import delay
from ovrik.analysis.signals.loudness import RATE, loudness
from ovrik.analysis.signals.stereo import Channels, stereo
from ovrik.study.facts.point import DIFFERS, RIGHT, UNKNOWN, Point

COARSE = 6
"""Delays are looked for at 8 kHz."""
MOST_DELAY_S, HEARD_S = 2.0, 60
LOUDER_LU = 1.0
"""EBU R 128: by so much a programme may be off. Coarse codecs take up to 0.7 LU away."""
LOUDNESS, SYNC, SIDES, LENGTH = "loudness", "audio in sync", "left and right", "audio length"
END_S, MOST_DRIFT_S = 2.0, 0.75
"""Of so long a piece at either end it is asked where it lies; up to so much is looked for."""
SLOW, SLOW_LIKE, SLOW_BESIDE_S = 40, 0.8, 0.1
"""Where no samples match any more, its loudness over time may, of so many of them each: the least correlation, and
how wide its peak may be."""
SAID = {
    Channels.RIGHT: (RIGHT, ""),
    Channels.EXCHANGED: (DIFFERS, "its left and right are exchanged"),
    Channels.HALF: (DIFFERS, "one of its sides is silent"),
    Channels.ALIKE: (DIFFERS, "its two channels are the same, the excerpt's are not"),
}
MOST_LENGTH_S = 0.15
"""Codecs pad their first and last blocks."""


def sound_points(ours: np.ndarray, theirs: np.ndarray, frame_s: float) -> list[Point]:
    """Points about sound of shape (samples, 2) at 48 kHz, of an output and of the excerpt; `frame_s` is how long a
    frame stands. Nothing where the excerpt has none."""
    if not len(theirs):
        return []
    wanted, found = loudness(theirs), loudness(ours)
    if math.isinf(wanted):
        return [Point(LOUDNESS, UNKNOWN, "the excerpt itself is silent, or too short to be measured")]
    if math.isinf(found):
        return [Point(LOUDNESS, DIFFERS, "its audio is silent")]
    sync, late_s = _sync(ours, theirs, frame_s)
    return [_level(found, wanted), sync, _sides(ours, theirs, late_s), _length(ours, theirs)]


def _length(ours: np.ndarray, theirs: np.ndarray) -> Point:
    off = (len(ours) - len(theirs)) / RATE
    if abs(off) > MOST_LENGTH_S:
        how = "longer" if off > 0 else "shorter"
        return Point(LENGTH, DIFFERS, f"its audio is {abs(off):.2f} s {how} than the excerpt's")
    return Point(LENGTH, RIGHT, f"{len(ours) / RATE:.2f} s")


def _level(found: float, wanted: float) -> Point:
    off = found - wanted
    if abs(off) > LOUDER_LU:
        how = "louder" if off > 0 else "quieter"
        return Point(LOUDNESS, DIFFERS, f"its audio is {abs(off):.1f} LU {how}")
    return Point(LOUDNESS, RIGHT, f"{found:.1f} LUFS")


def _sync(ours: np.ndarray, theirs: np.ndarray, frame_s: float) -> tuple[Point, float | None]:
    """Whether the sound is in its place from first to last; and by how many seconds it is late, None where that is
    not one number."""
    a, b = (_coarse(x[: HEARD_S * RATE].mean(axis=1)) for x in (ours, theirs))
    rate = RATE // COARSE
    found = delay(a, b, rate, MOST_DELAY_S)
    ends = _ends(a, b, rate)
    if ends and abs(ends[1] - ends[0]) > frame_s:
        words = f"its audio is {_off(ends[0])} at its beginning and {_off(ends[1])} at its end"
        return Point(SYNC, DIFFERS, words), None
    if not found.certain:
        return Point(SYNC, UNKNOWN, "the audio fits in more than one place"), None
    if abs(found.seconds) > frame_s:
        return Point(SYNC, DIFFERS, f"its audio is {_off(found.seconds)}"), found.seconds
    return Point(SYNC, RIGHT, f"within {abs(1000 * found.seconds):.0f} ms"), found.seconds


def _off(seconds: float) -> str:
    return f"{abs(1000 * seconds):.0f} ms {'late' if seconds > 0 else 'early'}"


def _ends(ours: np.ndarray, theirs: np.ndarray, rate: int) -> tuple[float, float] | None:
    """By how much the first and the last seconds are late; None where the sound is too short, or that can't be told
    of both."""
    count, piece = min(len(ours), len(theirs)), round(END_S * rate)
    if count < 2 * piece:
        return None
    parts = [(x[:piece], x[count - piece : count]) for x in (ours, theirs)]
    found = [delay(a, b, rate, MOST_DRIFT_S) for a, b in zip(*parts, strict=True)]
    if not all(d.certain for d in found):
        slow = [(_swells(a), _swells(b)) for a, b in zip(*parts, strict=True)]
        found = [delay(a, b, rate // SLOW, MOST_DRIFT_S, SLOW_BESIDE_S) for a, b in slow]
        if min(d.likeness for d in found) < SLOW_LIKE:
            return None
    return (found[0].seconds, found[1].seconds) if all(d.certain for d in found) else None


def _swells(mono: np.ndarray) -> np.ndarray:
    """How loud it is over time."""
    return np.asarray(np.abs(mono[: len(mono) // SLOW * SLOW]).reshape(-1, SLOW).mean(axis=1))


def _sides(ours: np.ndarray, theirs: np.ndarray, late_s: float | None) -> Point:
    if late_s is None:
        return Point(SIDES, UNKNOWN, "where the audio belongs can't be told")
    shift = round(late_s * RATE)
    a, b = ours[max(shift, 0) :], theirs[max(-shift, 0) :]
    count = min(len(a), len(b), HEARD_S * RATE)
    a, b = (np.stack([_coarse(x[:count, side]) for side in (0, 1)], axis=1) for x in (a, b))
    found = stereo(a, b).channels
    if found is Channels.UNTOLD:
        return Point(SIDES, UNKNOWN, "both sides sound alike, or coding has joined them")
    return Point(SIDES, *SAID[found])


def _coarse(mono: np.ndarray) -> np.ndarray:
    return np.asarray(mono[: len(mono) // COARSE * COARSE].reshape(-1, COARSE).mean(axis=1))
