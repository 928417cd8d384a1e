"""How much runs spread on this machine, as earlier studies showed it: what a new study assumes at first."""

import contextlib
import math
from dataclasses import asdict, dataclass
from pathlib import Path

from ovrik.study.files.kept import change_json, data_folder, read_json

MOST_KEPT = 40
MOST_BYTES = 1 << 16
FEWEST = 4
"""Degrees of freedom below which one study's runs say too little."""


@dataclass(frozen=True)
class NoiseSeen:
    """Fields: `study`, a checksum that tells it from others; `spread` of one run, a standard deviation of log times;
    `freedom`, degrees of freedom that it rests on; `correlation` of a run with the one before it, and `pairs` of runs
    that it rests on, 0 of studies of an earlier Ovrik."""

    study: str
    spread: float
    freedom: float
    correlation: float = 0.0
    pairs: float = 0.0


def noise_file() -> Path:
    """Where it is kept."""
    return data_folder("noise.json")


def noise_seen() -> list[NoiseSeen]:
    """What is on file, the oldest first; a damaged file counts as none."""
    try:
        found = [NoiseSeen(**row) for row in read_json(noise_file(), MOST_BYTES) or ()]
        return [n for n in found if 0 < float(n.spread) < 1 and float(n.freedom) > 0 and _sound(n)]
    except (ValueError, TypeError):
        return []


def _sound(seen: NoiseSeen) -> bool:
    return 0 <= float(seen.correlation) < 1 and 0 <= float(seen.pairs) < math.inf


def remember_noise(made: NoiseSeen) -> None:
    """Keep what a study showed, in place of what it showed earlier. A disk that can't be written is no trouble: the
    next study assumes what is usual."""
    if made.freedom < FEWEST:
        return
    kept = [n for n in noise_seen() if n.study != made.study][-(MOST_KEPT - 1) :]
    with contextlib.suppress(OSError):
        change_json(noise_file(), lambda _known: [asdict(n) for n in (*kept, made)])
