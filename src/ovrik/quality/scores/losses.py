"""The kinds of loss of every frame of every output, in one pass over the reference."""

import os
from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field
from functools import cached_property
from itertools import islice
from pathlib import Path

import numpy as np

from ovrik.analysis.signals.block_means import Samples
from ovrik.analysis.signals.levels import KR_KB
from ovrik.analysis.signals.loss_kinds import LOSS_KINDS
from ovrik.analysis.signals.loss_picks import CUT, between, picks
from ovrik.analysis.signals.losses import BriefGround, Ground, Planes, brief_losses, losses
from ovrik.errors import Ask, Stopped
from ovrik.quality.checks.alignment import Match
from ovrik.quality.checks.conformity import same_rate
from ovrik.quality.scores.planes import Taken, planes_from, samples_in
from ovrik.study.clip.footage import Footage

EDITION = "2"
"""Raised when a measure changes, so that old values are not taken for new."""


@dataclass(frozen=True)
class ToMeasure:
    """An output whose losses are to be measured. Fields: `output`, its file; `clip`, what was read from it; `match`,
    how it lies beside the reference; `vmaf` of each frame that both have, if it is known: where it does something
    unusual, all kinds are measured."""

    output: Path
    clip: Footage
    match: Match
    vmaf: np.ndarray | None = None


def matrix_of(against: Footage) -> tuple[float, float]:
    """(Kr, Kb) of a clip's colours, BT.709's where it says nothing."""
    return KR_KB.get(against.colour.matrix or "bt709", KR_KB["bt709"])


def ground_of(planes: Planes, against: Footage) -> Ground:
    """A frame of the reference as ground for outputs."""
    return Ground(planes, matrix_of(against))


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
    taking = [_Taking(_aligned(j, against), max(-j.match.lag, 0), _picked(j, against)) for j in able]
    frames = samples_in(reference, Taken(full_range=against.full_range)) if able else iter(())
    with ThreadPoolExecutor(os.cpu_count(), "losses") as pool:
        coming = pool.submit(_ground_at, 0, frames, against, taking)
        number = 0
        while ground := coming.result():
            if should_stop():
                raise Stopped
            # The next one is made while outputs are held against this one.
            coming = pool.submit(_ground_at, number + 1, frames, against, taking)
            todo = [pool.submit(t.measure, ground) for t in taking if number >= t.first]
            there = [done.result() for done in todo]
            if len(there) == len(taking) and not any(there):
                break  # the reference may be longer than what it was named for
            number += 1
            on_share(min(number / max(against.frames, 1), 1.0))
    found = iter(taking)
    return [next(found).series() if j in able else {} for j in jobs]


def _picked(job: ToMeasure, against: Footage) -> np.ndarray:
    count = min(job.clip.frames - max(job.match.lag, 0), against.frames - max(-job.match.lag, 0))
    return picks(max(count, 1), job.vmaf)


@dataclass(frozen=True, eq=False)
class _Beside:
    """A frame of the reference that outputs are held against. Fields: `brief`, what every frame is measured by;
    `ground`, all of it worked out, where all kinds of loss are measured of some output."""

    brief: BriefGround
    ground: Ground | None

    @cached_property
    def full(self) -> Ground:
        """The ground, made now where nobody foresaw that it is needed."""
        return self.ground or Ground(planes_from(self.brief.samples), self.brief.matrix)


def _ground_at(
    number: int, frames: Iterator[Samples], against: Footage, taking: "Sequence[_Taking]"
) -> _Beside | None:
    samples = next(frames, None)
    if samples is None:
        return None
    wanted = any(t.wants(number) for t in taking)
    ground = ground_of(planes_from(samples), against).ready() if wanted else None
    return _Beside(BriefGround(samples, matrix_of(against)), ground)


@dataclass(eq=False)
class _Taking:
    """An output as it is measured, frame by frame. Fields: `frames` of it that are still to come; `first`, the
    reference's frame beside the next of them; `picked`, which of them are measured for all kinds; `values`, those of
    each frame so far; `bright`, the means of luma over blocks in the last one of the reference; `cuts`, for each so
    far whether a shot begins there; `drift` of the last one."""

    frames: Iterator[Samples]
    first: int
    picked: np.ndarray
    values: list[dict[str, float]] = field(default_factory=list)
    bright: np.ndarray | None = None
    cuts: list[bool] = field(default_factory=list)
    drift: np.ndarray | None = None

    def wants(self, number: int) -> bool:
        """Whether all kinds are measured of the frame beside this one of the reference."""
        place = number - self.first
        return place >= 0 and (place >= len(self.picked) or bool(self.picked[place]))

    def measure(self, beside: _Beside) -> bool:
        """Take in the next one, if there is any; its maps are not kept, which would be many times the size of the
        frames."""
        samples = next(self.frames, None)
        if samples is None:
            return False
        brief = None
        if not self.wants(self.first + len(self.values)):
            brief = brief_losses(beside.brief, samples, self.drift)
        found = brief or losses(beside.full, planes_from(samples), self.drift)
        self.cuts.append(self.bright is None or float(np.abs(beside.brief.means - self.bright).mean()) > CUT)
        self.bright = beside.brief.means
        self.values.append(found.values)
        self.drift = found.drift
        return True

    def series(self) -> dict[str, np.ndarray]:
        """Each kind's values, one for each frame."""
        if not self.values:
            return {}
        cuts = np.array(self.cuts)
        return {
            k.key: between(np.array([v.get(k.key, np.nan) for v in self.values]), cuts) for k in LOSS_KINDS
        }


def _aligned(job: ToMeasure, against: Footage) -> Iterator[Samples]:
    """The output's frames from the one on that belongs to the reference's first, or that is its own first."""
    return islice(samples_in(job.output, taken_of(job, against)), max(job.match.lag, 0), None)
