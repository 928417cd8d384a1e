"""The whole programme: timed segments of it, the forecast they give, and the real thing against it."""

import itertools
import statistics
import tempfile
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from pathlib import Path

from ovrik.analysis.forecast.whole_programme import (
    Check,
    Costs,
    Doubt,
    Timed,
    WholeForecast,
    check,
    costs,
    forecast_whole,
    spread_out,
)
from ovrik.export.run.progress import Progress
from ovrik.store.study import Study
from ovrik.study.contender.contender import Contender
from ovrik.study.facts.part import ALL
from ovrik.study.programme.excerpt import Excerpt
from ovrik.work.apart.parts import Bench, parts_of, time_parts
from ovrik.work.apart.phases import Shape, shape_of
from ovrik.work.footage.complexity import curve_of
from ovrik.work.prepare.export_plan import Plan

PIECES = 6
PIECE_S = 2.0
QUARTERS, LENGTH_ROUNDS = 4, 2
"""The excerpt is timed whole and in quarters, each so often: together they show what every export pays once."""


@dataclass(frozen=True)
class WholeTimed:
    """What is known of a contender's export of the whole. Fields: `shape` of its runs; `costs`; `forecast`;
    `check`, the forecast against the real thing; each None while it is not known."""

    shape: Shape | None
    costs: Costs | None
    forecast: WholeForecast | None
    check: Check | None


def timed_of(study: Study, contender: Contender) -> list[Timed]:
    """Every export of the present programme by a contender: counted runs of any excerpt, and segments timed
    apart."""
    programme, curve = study.programme(), curve_of(study)
    found = [
        (r.excerpt, r.wall_s)
        for r in study.runs(contender.contender_id)
        if r.counts and not r.by_hand and r.wall_s and r.programme == programme.checksum
    ]
    found += [(p.excerpt, p.wall_s) for p in parts_of(study, contender) if p.name == ALL]

    def complexity(e: Excerpt) -> float:
        if curve is None or not len(curve.at):
            return 1.0
        near = (curve.at >= e.start_frame) & (curve.at < e.start_frame + e.frames)
        return float(curve.load[near].mean()) if near.any() else 1.0

    return [Timed(e.start_frame, e.frames, s, complexity(e)) for e, s in found]


def whole_of(study: Study, contender: Contender) -> WholeTimed:
    """Sum up what is on file."""
    facts, frames = study.facts(), study.programme().frames
    timed = timed_of(study, contender)
    parts = [t for t in timed if t.frames < frames]
    found = costs(parts, facts.excerpt.start_frame, facts.excerpt.frames)
    runs = [r for r in study.runs(contender.contender_id) if r.counts and r.excerpt == facts.excerpt]
    shape = shape_of(runs)
    forecast = forecast_whole(parts, frames, _doubt(found, shape))
    real = [t.seconds for t in timed if t.frames == frames]
    return WholeTimed(
        shape, found, forecast, check(forecast, statistics.fmean(real)) if forecast and real else None
    )


def _doubt(found: Costs | None, shape: Shape | None) -> Doubt:
    """What an export pays once: as measured, else between nothing and the time to the first frame."""
    if found:
        return Doubt(max(found.fixed, 0.0), found.fixed_error, found.noise)
    most = shape.first + shape.finish if shape else 0.0
    return Doubt(most / 2, most / 4)


def segments_to_time(study: Study) -> list[Excerpt]:
    """The excerpt whole and in quarters, more than once, then pieces from all over the programme."""
    excerpt, programme = study.facts().excerpt, study.programme()
    edges = [excerpt.start_frame + excerpt.frames * n // QUARTERS for n in range(QUARTERS + 1)]
    quarters = [Excerpt(a, b - a) for a, b in itertools.pairwise(edges) if b > a]
    shorter = [e for _ in range(LENGTH_ROUNDS) for e in (*quarters, excerpt)]
    piece = max(2, min(excerpt.frames, round(PIECE_S * float(programme.rate))))
    return [*shorter, *(Excerpt(*s) for s in spread_out(programme.frames, piece, PIECES))]


def time_segments(bench: Bench, contender: Contender) -> WholeTimed:
    """Time the excerpt at several lengths and pieces of the programme; gives the forecast that comes of it.

    Raises OvrikError, Stopped.
    """
    todo = segments_to_time(bench.study)
    for number, segment in enumerate(todo):
        bench.say(
            number / len(todo), f"Timing segment {number + 1} of {len(todo)}, {segment.frames} pictures"
        )
        _time(bench, bench.plan(contender, segment))
    return whole_of(bench.study, contender)


def time_whole(bench: Bench, contender: Contender) -> WholeTimed:
    """Export the whole programme once, to hold the forecast against it. Raises OvrikError, Stopped."""
    frames = bench.study.programme().frames
    plan = bench.plan(contender, Excerpt(0, frames))

    def say(p: Progress) -> None:
        bench.say(
            min(p.frame / plan.frames, 1.0),
            f"Exporting the whole programme, frame {p.frame} of {plan.frames}",
        )

    _time(bench, plan, say)
    return whole_of(bench.study, contender)


def _time(bench: Bench, plan: Plan, say: Callable[[Progress], None] = lambda _p: None) -> None:
    bench.study.outputs.mkdir(parents=True, exist_ok=True)
    with tempfile.TemporaryDirectory(prefix="parts ", dir=bench.study.outputs) as place:
        partial, kept = Path(place) / "partial", Path(place) / "whole"
        bench.time(plan, ALL, plan.commands(partial, Path(place) / "stats"), partial, kept, True, say)
    made = plan.prerendered_file()
    if made is not None and plan.excerpt != bench.study.facts().excerpt:
        made.unlink(missing_ok=True)  # only this segment was exported from it


TIMINGS: Mapping[str, Callable[[Bench, Contender], object]] = {
    "parts": time_parts,
    "segments": time_segments,
    "whole": time_whole,
}
"""What can be timed apart from the rounds, by name."""
