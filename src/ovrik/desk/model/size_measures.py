"""What size is measured by in the picture of the trade-off: a table of measures."""

import math
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field

from ovrik.report.words.numbers import size_words
from ovrik.study.question.limit_kinds import BIT_RATE, PEAK, PER_MINUTE
from ovrik.work.answers.size_quality import size_of
from ovrik.work.evidence.gathered import Evidence
from ovrik.work.evidence.summary import Summary

TIME, SIZE, QUALITY = "time", "size", "quality"
"""Keys of what lies along an axis."""
FILE, PER_PIXEL = "", "bits_per_pixel"


@dataclass(frozen=True)
class SizeMeasure:
    """One measure. Fields: `name` where it is chosen; `title` of its axis; `of` a contender, NaN where it is not
    known; `words` for a value; `limits` that lie along it: by key, how many of its units make one of the limit's, for
    an excerpt of so many minutes."""

    name: str
    title: str
    of: Callable[[Summary, Evidence], float]
    words: Callable[[float], str]
    limits: Mapping[str, Callable[[float], float]] = field(default_factory=dict)


def bits_per_pixel(s: Summary, e: Evidence) -> float:
    """Bits of the picture's stream over frames and pixels of the output."""
    found = size_of(s, e)
    return found.bits_per_pixel if found else math.nan


def _measured(key: str) -> Callable[[Summary, Evidence], float]:
    return lambda s, _e: s.measured.values.get(key, math.nan)


SIZE_MEASURES: dict[str, SizeMeasure] = {
    FILE: SizeMeasure(
        "MB",
        "Size, MB",
        lambda s, _e: s.bytes / 1e6 if s.bytes else math.nan,
        lambda v: size_words(round(v * 1e6)),
        {PER_MINUTE: lambda minutes: minutes, BIT_RATE: lambda minutes: minutes * 60 / 8},
    ),
    BIT_RATE: SizeMeasure(
        "Mb/s",
        "Bit rate of the file, Mb/s",
        _measured(BIT_RATE),
        lambda v: f"{v:.2f} Mb/s",
        {BIT_RATE: lambda _minutes: 1.0, PER_MINUTE: lambda _minutes: 8 / 60},
    ),
    PEAK: SizeMeasure(
        "busiest second",
        "Bit rate in the busiest second, Mb/s",
        _measured(PEAK),
        lambda v: f"{v:.2f} Mb/s in its busiest second",
        {PEAK: lambda _minutes: 1.0},
    ),
    PER_PIXEL: SizeMeasure(
        "bits per pixel", "Bits per pixel", bits_per_pixel, lambda v: f"{v:.3f} bits per pixel"
    ),
}
"""By key, those of limits where there is one."""
