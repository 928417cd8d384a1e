"""The kinds of loss of every frame of every output, in one pass over the reference."""

from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field
from itertools import islice
from pathlib import Path

import numpy as np

from ovrik.analysis.signals.levels import KR_KB
from ovrik.analysis.signals.loss_kinds import LOSS_KINDS
from ovrik.analysis.signals.losses import Ground, Planes, losses
from ovrik.errors import Ask, Stopped
from ovrik.quality.checks.alignment import Match
from ovrik.quality.checks.conformity import same_rate
from ovrik.quality.scores.planes import Taken, planes_in
from ovrik.study.clip.footage import Footage

EDITION = "2"
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
    should_stop: Ask = lambda: False,
) -> list[dict[str, np.ndarray]]:
    """Values of each kind of loss, shape (frames,), by key, of each output; nothing of one that can't be measured.
    Raises OvrikError, Stopped on request."""
    able = [j for j in jobs if measurable(j, against)]
    taking = [_Taking(_aligned(j, against), max(-j.match.lag, 0)) for j in able]
    with ThreadPoolExecutor(2, "losses") as pool:
        frames = planes_in(reference, Taken(full_range=against.full_range)) if able else ()
        for number, planes in enumerate(frames):
            if should_stop():
                raise Stopped
            ground = ground_of(planes, against)
            beside = [(t, t.frame_beside(number)) for t in taking]
            if number >= max(t.first for t in taking) and not any(p for _t, p in beside):
                break  # the reference may be longer than what it was named for
            todo = [pool.submit(t.measure, ground, p) for t, p in beside if p]
            for done in todo:
                done.result()
            on_share(min((number + 1) / max(against.frames, 1), 1.0))
    found = iter(taking)
    return [next(found).series() if j in able else {} for j in jobs]


@dataclass(eq=False)
class _Taking:
    """An output as it is measured, frame by frame. Fields: `frames` of it that are still to come; `first`, the
    reference's frame beside the next of them; `values`, those of each frame so far; `drift` of the last one."""

    frames: Iterator[Planes]
    first: int
    values: list[dict[str, float]] = field(default_factory=list)
    drift: np.ndarray | None = None

    def frame_beside(self, number: int) -> Planes | None:
        """The frame beside this one of the reference; None where it has none."""
        return next(self.frames, None) if number >= self.first else None

    def measure(self, ground: Ground, planes: Planes) -> None:
        """Take in one more; its maps are not kept, which would be many times the size of the frames."""
        found = losses(ground, planes, self.drift)
        self.values.append(found.values)
        self.drift = found.drift

    def series(self) -> dict[str, np.ndarray]:
        """Each kind's values."""
        return {k.key: np.array([v[k.key] for v in self.values]) for k in LOSS_KINDS} if self.values else {}


def _aligned(job: ToMeasure, against: Footage) -> Iterator[Planes]:
    """The output's frames from the one on that belongs to the reference's first, or that is its own first."""
    return islice(planes_in(job.output, taken_of(job, against)), max(job.match.lag, 0), None)
