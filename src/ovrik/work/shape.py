"""The parts of a run by the clock: start-up, steady, finish."""

import statistics
from collections.abc import Iterable
from dataclasses import dataclass

from ovrik.store.records import RunRecord


@dataclass(frozen=True)
class Shape:
    """The three parts of a run by the clock. Fields, means over counted runs in seconds: `first`, to the first
    picture; `steady`, from there to the last; `finish`, from there to a closed file; `pace`, frames per second
    while steady."""

    first: float
    steady: float
    finish: float
    pace: float


def shape_of(runs: Iterable[RunRecord]) -> Shape | None:
    """Start-up, pace and finish of runs that reported their frames."""
    said = [
        (r.first_frame_s, r.last_frame_s, r.wall_s, r.excerpt.frames)
        for r in runs
        if r.first_frame_s is not None and r.last_frame_s is not None and r.wall_s
    ]
    if not said:
        return None
    first, last, wall, frames = (statistics.fmean(v) for v in zip(*said, strict=True))
    steady = max(last - first, 0.0)
    return Shape(first, steady, max(wall - last, 0.0), frames / steady if steady > 0 else 0.0)
