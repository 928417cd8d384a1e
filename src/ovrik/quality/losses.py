"""The kinds of loss of every frame of every output, in one pass over the reference."""

from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from itertools import islice
from pathlib import Path

import numpy as np

from ovrik.analysis.levels import KR_KB
from ovrik.analysis.loss_kinds import LOSS_KINDS
from ovrik.analysis.losses import Ground, Losses, Planes, losses
from ovrik.errors import Stopped
from ovrik.quality.alignment import Match
from ovrik.quality.conformity import same_rate
from ovrik.quality.planes import Taken, planes_in
from ovrik.study.footage import Footage

EDITION = "1"
"""Raised when a measure changes, so that old values are not taken for new."""


@dataclass(frozen=True)
class ToMeasure:
    """An output whose losses are to be measured. Fields: `output`, its file; `clip`, what was read from it; `match`,
    how it lies beside the reference."""

    output: Path
    clip: Footage
    match: Match


def ground_of(planes: Planes, against: Footage) -> Ground:
    """A frame of the reference as ground for outputs."""
    return Ground(planes, KR_KB.get(against.colour.matrix or "bt709", KR_KB["bt709"]))


def measurable(job: ToMeasure, against: Footage) -> bool:
    """Whether its samples are those of the reference: not where bars were cut off, at another rate, or in RGB."""
    match = job.match
    bars = any(match.own_edges) or any(match.edges)
    return not (bars or job.clip.rgb or against.rgb) and same_rate(job.clip.rate, against.rate)


def taken_of(job: ToMeasure, against: Footage) -> Taken:
    """How an output's frames are taken: at the reference's size."""
    return Taken((against.width, against.height), job.clip.full_range)


def losses_of(
    jobs: Sequence[ToMeasure],
    reference: Path,
    against: Footage,
    on_share: Callable[[float], None] = lambda _s: None,
    should_stop: Callable[[], bool] = lambda: False,
) -> list[dict[str, np.ndarray]]:
    """Values of each kind of loss, shape (frames,), by key, of each output; nothing of one that can't be measured.
    Raises OvrikError, Stopped on request."""
    able = [j for j in jobs if measurable(j, against)]
    found: dict[int, list[Losses]] = {id(j): [] for j in able}
    outputs = {id(j): _aligned(j, against) for j in able}
    ground_taken = Taken(full_range=against.full_range)
    with ThreadPoolExecutor(2, "losses") as pool:
        for number, planes in enumerate(planes_in(reference, ground_taken) if able else ()):
            if should_stop():
                raise Stopped
            ground = ground_of(planes, against)
            _ = ground.fine, ground.slope, ground.lab  # once, before two threads ask for them
            beside = [(j, _at(outputs[id(j)], number, j.match.lag)) for j in able]
            todo = [(found[id(j)], pool.submit(_one, ground, found[id(j)], p)) for j, p in beside if p]
            for kept, made in todo:
                kept.append(made.result())
            on_share(min((number + 1) / max(against.frames, 1), 1.0))
    return [_series(found.get(id(j), [])) for j in jobs]


def _one(ground: Ground, before: list[Losses], planes: Planes) -> Losses:
    return losses(ground, planes, before[-1].drift if before else None)


def _aligned(job: ToMeasure, against: Footage) -> Iterator[Planes]:
    """The output's frames from the one on that belongs to the reference's first, or that is its own first."""
    return islice(planes_in(job.output, taken_of(job, against)), max(job.match.lag, 0), None)


def _at(frames: Iterator[Planes], number: int, lag: int) -> Planes | None:
    """The output's frame beside this one of the reference; None where it has none."""
    return next(frames, None) if number >= max(-lag, 0) else None


def _series(found: Sequence[Losses]) -> dict[str, np.ndarray]:
    if not found:
        return {}
    return {k.key: np.array([f.values[k.key] for f in found]) for k in LOSS_KINDS}
