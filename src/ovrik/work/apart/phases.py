"""The parts of a run by the clock: start-up, steady, finish."""

import statistics
from collections.abc import Iterable
from dataclasses import dataclass

from ovrik.store.records.run import RunRecord
from ovrik.study.facts.passes import PassTimes


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
    """Start-up, pace and finish of runs that reported their frames, those of several passes added up."""
    said = [(*parts, r.wall_s or 0.0, r.excerpt.frames) for r in runs if (parts := _parts(r)) and r.wall_s]
    if not said:
        return None
    first, steady, wall, frames = (statistics.fmean(v) for v in zip(*said, strict=True))
    finish = max(wall - first - steady, 0.0)
    return Shape(first, steady, finish, frames / steady if steady > 0 else 0.0)


def _parts(r: RunRecord) -> tuple[float, float] | None:
    """What was spent before frames came, and while they came."""
    if r.earlier_passes and not r.passes:
        return (
            None  # of an earlier schema: its first frame was the last pass's, all before it seemed start-up
        )
    passes = r.passes or (PassTimes(r.wall_s or 0.0, r.first_frame_s, r.last_frame_s),)
    known = [(p.first_s, p.last_s) for p in passes if p.first_s is not None and p.last_s is not None]
    if len(known) < len(passes):
        return None
    return sum(first for first, _last in known), sum(max(last - first, 0.0) for first, last in known)
