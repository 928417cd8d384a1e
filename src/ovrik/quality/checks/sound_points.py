"""Is an output's sound the excerpt's: there, not silent, as loud, and in time?"""

import math

import numpy as np

from ovrik.analysis.signals.delay import delay
from ovrik.analysis.signals.loudness import RATE, loudness
from ovrik.study.facts.point import DIFFERS, RIGHT, UNKNOWN, Point

COARSE = 6
"""Delays are looked for at 8 kHz."""
MOST_DELAY_S, HEARD_S = 2.0, 60
LOUDER_LU = 0.5
"""EBU R 128 s1: by so much programmes may differ."""
LOUDNESS, SYNC, LENGTH = "loudness", "audio in sync", "audio length"
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
    return [_level(found, wanted), _sync(ours, theirs, frame_s), _length(ours, theirs)]


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


def _sync(ours: np.ndarray, theirs: np.ndarray, frame_s: float) -> Point:
    a, b = (_coarse(x[: HEARD_S * RATE]) for x in (ours, theirs))
    found = delay(a, b, RATE // COARSE, MOST_DELAY_S)
    if not found.certain:
        return Point(SYNC, UNKNOWN, "the audio fits in more than one place")
    off = 1000 * found.seconds
    if abs(found.seconds) > frame_s:
        how = "late" if off > 0 else "early"
        return Point(SYNC, DIFFERS, f"its audio is {abs(off):.0f} ms {how}")
    return Point(SYNC, RIGHT, f"within {abs(off):.0f} ms")


def _coarse(sound: np.ndarray) -> np.ndarray:
    mono = sound.mean(axis=1)
    return np.asarray(mono[: len(mono) // COARSE * COARSE].reshape(-1, COARSE).mean(axis=1))
