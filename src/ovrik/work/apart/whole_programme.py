"""The whole programme: timed segments of it, the forecast they give, and the real thing against it."""

import itertools
import math
import statistics
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from random import Random

import numpy as np

from ovrik.analysis.forecast.whole_programme import (
    Check,
    Costs,
    Doubt,
    Timed,
    WholeForecast,
    check,
    costs,
    forecast_whole,
    spread_over,
    windows,
)
from ovrik.export.run.progress import Progress
from ovrik.store.records.run import RunRecord
from ovrik.store.study import Study
from ovrik.study.contender.contender import Contender
from ovrik.study.facts.part import ALL
from ovrik.study.files.scratch import scratch_folder
from ovrik.study.programme.excerpt import Excerpt
from ovrik.work.apart.parts import Bench, parts_of, time_parts
from ovrik.work.apart.phases import Shape, shape_of
from ovrik.work.footage.complexity import curve_of, measure_for
from ovrik.work.prepare.export_plan import Plan

PIECES, MORE_PIECES, MOST_PIECES = 8, 4, 60
"""Segments all over the programme: so many at first, so many more as long as they leave the whole open by more than a
tenth, up to so many."""
LEAST_PIECE_S = 2.0
OF_FIXED = 0.03
"""They are so long that what is not known of the fixed cost is at most so much of one's time."""
MOST_SHARE = 1 / 3
"""And of the programme no more than so much: the rest is quickly exported too."""
QUARTERS, LEAST_ROUNDS, MOST_ROUNDS = 4, 2, 6
"""The excerpt is timed whole and in quarters: together they show what every export pays once. So often at least, and
more often where that is not known well enough for segments of any length."""


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
    programme = study.programme()
    found = [
        (r.excerpt, r.wall_s)
        for r in study.runs(contender.contender_id)
        if r.counts and not r.by_hand and r.wall_s and r.programme == programme.checksum
    ]
    found += [(p.excerpt, p.wall_s) for p in parts_of(study, contender) if p.name == ALL]
    loads = loads_of(study, [(e.start_frame, e.frames) for e, _s in found])
    return [Timed(e.start_frame, e.frames, s, float(x)) for (e, s), x in zip(found, loads, strict=True)]


def loads_of(study: Study, spans: Sequence[tuple[int, int]]) -> np.ndarray:
    """The complexity of each of these, start and frames, over that of the whole programme; 1 where it was not
    measured."""
    curve, out = curve_of(study), np.ones(len(spans))
    if curve is None or not len(curve.at):
        return out
    for n, (start, frames) in enumerate(spans):
        near = (curve.at >= start) & (curve.at < start + frames)
        if near.any():
            out[n] = curve.load[near].mean()
    return out


def whole_of(study: Study, contender: Contender) -> WholeTimed:
    """Sum up what is on file."""
    facts, frames = study.facts(), study.programme().frames
    timed = timed_of(study, contender)
    parts = [t for t in timed if t.frames < frames]
    found = costs(timed, facts.excerpt.start_frame, facts.excerpt.frames)
    runs = [r for r in study.runs(contender.contender_id) if r.counts and r.excerpt == facts.excerpt]
    shape = shape_of(runs)
    length = round(statistics.median(t.frames for t in parts)) if parts else piece_length(study, found)
    loads = loads_of(study, windows(frames, length)) if curve_of(study) else None
    forecast = forecast_whole(parts, frames, _with_runs(_doubt(found, shape), runs, frames), loads)
    real = [t.seconds for t in timed if t.frames == frames]
    return WholeTimed(
        shape, found, forecast, check(forecast, statistics.fmean(real)) if forecast and real else None
    )


def _doubt(found: Costs | None, shape: Shape | None) -> Doubt:
    """What an export pays once: as measured, else between nothing and the time to the first frame."""
    if found:
        return Doubt(max(found.fixed, 0.0), found.fixed_error, found.noise, found.frames)
    most = shape.first + shape.finish if shape else 0.0
    return Doubt(most / 2, most / 4)


def _with_runs(doubt: Doubt, runs: Sequence[RunRecord], frames: int) -> Doubt:
    """The same, with the noise that the excerpt's runs show where that is more: they were made over a longer while
    than segments are."""
    walls = [r.wall_s for r in runs if r.wall_s]
    if len(walls) < ENOUGH_RUNS:
        return doubt
    spread = statistics.stdev(math.log(w) for w in walls)
    shown = replace(doubt, noise=spread, frames=float(runs[0].excerpt.frames))
    return max(doubt, shown, key=lambda d: float(d.spread(frames)))


ENOUGH_RUNS = 3


def lengths_to_time(study: Study) -> list[Excerpt]:
    """The excerpt whole and in quarters."""
    excerpt = study.facts().excerpt
    edges = [excerpt.start_frame + excerpt.frames * n // QUARTERS for n in range(QUARTERS + 1)]
    return [*(Excerpt(a, b - a) for a, b in itertools.pairwise(edges) if b > a), excerpt]


def pieces_to_time(study: Study, found: Costs | None = None) -> list[Excerpt]:
    """Segments from all over the programme, spread over its complexities, as many as there may be at the most."""
    spans = windows(study.programme().frames, piece_length(study, found))
    order = spread_over(loads_of(study, spans).tolist(), PIECES)
    most = max(PIECES, min(MOST_PIECES, int(MOST_SHARE * len(spans))))
    return [Excerpt(*spans[n]) for n in order[:most]]


def longest_piece(study: Study) -> int:
    """Frames of a segment at the most: several of them are to be a part of the programme only."""
    return max(2, int(study.programme().frames * MOST_SHARE / PIECES))


def piece_length(study: Study, found: Costs | None) -> int:
    """Frames of a segment, where so much is known of what an export costs."""
    wanted = round(LEAST_PIECE_S * float(study.programme().rate))
    if found is not None and found.pace > 0:
        wanted = max(wanted, math.ceil(found.fixed_error / (OF_FIXED * found.pace)))
    return max(2, min(wanted, longest_piece(study)))


def time_segments(bench: Bench, contender: Contender) -> WholeTimed:
    """Time the excerpt at several lengths and segments all over the programme, in an order of chance, until they say
    how long the whole takes or can't; gives the forecast that comes of it.

    Raises OvrikError, Stopped.
    """
    study = bench.study
    if curve_of(study) is None:
        said = "Measuring how complex the programme is"
        measure_for(study, lambda share: bench.say(0.1 * share, said), bench.should_stop)
    random, excerpt = Random(study.facts().seed), study.facts().excerpt
    lengths, found, rounds = lengths_to_time(study), None, 0
    while rounds < LEAST_ROUNDS or (rounds < MOST_ROUNDS and _vague(study, found)):
        _time_each(
            bench,
            contender,
            random.sample(lengths, len(lengths)),
            0.1 + 0.4 * rounds / MOST_ROUNDS,
            0.4 / MOST_ROUNDS,
        )
        found, rounds = costs(timed_of(study, contender), excerpt.start_frame, excerpt.frames), rounds + 1
    later, at = pieces_to_time(study, found), 0.5
    step = 0.5 / len(later)
    todo, later = later[:PIECES], later[PIECES:]
    while todo:
        _time_each(bench, contender, random.sample(todo, len(todo)), at, step * len(todo))
        at += step * len(todo)
        forecast = whole_of(study, contender).forecast
        if forecast is not None and forecast.more in (0, None):
            break  # it is close, or no number of them would make it so
        todo, later = later[:MORE_PIECES], later[MORE_PIECES:]
    return whole_of(study, contender)


def _vague(study: Study, found: Costs | None) -> bool:
    """Whether too little is known of the fixed cost, even for the longest segments."""
    return (
        found is None or found.pace <= 0 or found.fixed_error > OF_FIXED * found.pace * longest_piece(study)
    )


def _time_each(
    bench: Bench, contender: Contender, segments: Sequence[Excerpt], at: float, share: float
) -> None:
    for number, segment in enumerate(segments):
        said = f"Timing segment {number + 1} of {len(segments)}, {segment.frames} frames"
        bench.say(at + share * number / len(segments), said)
        _time(bench, bench.plan(contender, segment))


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
    with scratch_folder("parts", bench.study.outputs) as place:
        partial, kept = place / "partial", place / "whole"
        bench.time(plan, ALL, plan.commands(partial, place / "stats"), partial, kept, True, say)
    made = plan.prerendered_file()
    if made is not None and plan.excerpt != bench.study.facts().excerpt:
        made.unlink(missing_ok=True)  # only this segment was exported from it


TIMINGS: Mapping[str, Callable[[Bench, Contender], object]] = {
    "parts": time_parts,
    "segments": time_segments,
    "whole": time_whole,
}
"""What can be timed apart from the rounds, by name."""
