"""The kinds of loss of every frame of every output, in one pass over the reference."""

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, field
from functools import cached_property, partial
from itertools import islice
from pathlib import Path

import av
import numpy as np

from ovrik.analysis.signals.levels import KR_KB
from ovrik.analysis.signals.loss_kinds import LOSS_KINDS
from ovrik.analysis.signals.loss_picks import CUT, between, picks
from ovrik.analysis.signals.losses import BriefGround, Ground, Planes, brief_losses, losses
from ovrik.errors import Ask
from ovrik.quality.checks.alignment import Match
from ovrik.quality.checks.conformity import same_rate
from ovrik.quality.decode.frame_index import decoded_frames
from ovrik.quality.decode.some_frames import some_frames
from ovrik.quality.scores.planes import Taken, planes_from, samples_of
from ovrik.quality.scores.workers import Workers
from ovrik.study.clip.footage import Footage

EDITION = "3"
"""Raised when a measure changes, so that old values are not taken for new."""


@dataclass(frozen=True)
class ToMeasure:
    """An output whose losses are to be measured. Fields: `output`, its file; `clip`, what was read from it; `match`,
    how it lies beside the reference; `vmaf` of each frame that both have, if it is known: where it does something
    unusual, all kinds are measured; `begun`, what was measured of it while it was checked."""

    output: Path
    clip: Footage
    match: Match
    vmaf: np.ndarray | None = None
    begun: "Measured | None" = None


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


@dataclass(frozen=True, eq=False)
class Beside:
    """A frame of the reference that outputs are held against. Fields: `brief`, what every frame is measured by;
    `ground`, all of it worked out, where all kinds of loss are measured of some output."""

    brief: BriefGround
    ground: Ground | None

    @cached_property
    def full(self) -> Ground:
        """The ground, made now where nobody foresaw that it is needed."""
        return self.ground or Ground(planes_from(self.brief.samples), self.brief.matrix)


def beside_of(frame: av.VideoFrame, against: Footage, wanted: bool) -> Beside:
    """A frame of the reference; all of it worked out where that is wanted."""
    samples = samples_of(frame, Taken(full_range=against.full_range))
    ground = ground_of(planes_from(samples), against).ready() if wanted else None
    return Beside(BriefGround(samples, matrix_of(against)), ground)


@dataclass(eq=False)
class Measured:
    """What was measured of an output, frame by frame. Fields: `first`, the reference's frame beside its first;
    `taken`, how its frames are taken; `picked`, which of them are measured for all kinds; `values`, those of each
    frame so far; `bright`, the means of luma over blocks in the last one of the reference; `cuts`, for each so far
    whether a shot begins there; `drift` of the last one."""

    first: int
    taken: Taken
    picked: np.ndarray
    values: list[dict[str, float]] = field(default_factory=list)
    bright: np.ndarray | None = None
    cuts: list[bool] = field(default_factory=list)
    drift: np.ndarray | None = None

    def wants(self, number: int) -> bool:
        """Whether all kinds are measured of the frame beside this one of the reference."""
        place = number - self.first
        return place >= 0 and (place >= len(self.picked) or bool(self.picked[place]))

    def take(self, beside: Beside, frame: av.VideoFrame) -> None:
        """Take in the next one, for all kinds where a shot begins; its maps are not kept, which would be many times
        the size of the frames."""
        samples, brief, means = samples_of(frame, self.taken), None, beside.brief.means
        cut = self.bright is None or float(np.abs(means - self.bright).mean()) > CUT
        if not (cut or self.wants(self.first + len(self.values))):
            brief = brief_losses(beside.brief, samples, self.drift)
        found = brief or losses(beside.full, planes_from(samples), self.drift)
        self.cuts.append(cut)
        self.bright = means
        self.values.append(found.values)
        self.drift = found.drift

    def complete(self, place: int, beside: Beside, frame: av.VideoFrame) -> None:
        """Measure what is lacking of one that was taken in before."""
        found = losses(beside.full, planes_from(samples_of(frame, self.taken)))
        self.values[place] = {**found.values, **self.values[place]}

    def lacking(self, picked: np.ndarray) -> list[int]:
        """Which of those picked were not measured for all kinds, in order."""
        wanted = np.flatnonzero(picked[: len(self.values)])
        return [int(n) for n in wanted if len(self.values[n]) < len(LOSS_KINDS)]

    def series(self) -> dict[str, np.ndarray]:
        """Each kind's values, one for each frame."""
        if not self.values:
            return {}
        cuts = np.array(self.cuts)
        return {
            k.key: between(np.array([v.get(k.key, np.nan) for v in self.values]), cuts) for k in LOSS_KINDS
        }


def unmeasured(job: ToMeasure, against: Footage) -> Measured:
    """An output of which nothing was measured yet; its frames are taken at the reference's size."""
    taken = Taken((against.width, against.height), job.clip.full_range)
    return Measured(max(-job.match.lag, 0), taken, _picked(job, against))


def measured_meanwhile(job: ToMeasure, against: Footage) -> Measured | None:
    """The same for one that is measured while it is checked, so that nothing is decoded twice; None where it can't be
    measured."""
    return unmeasured(job, against) if measurable(job, against) else None


def _picked(job: ToMeasure, against: Footage) -> np.ndarray:
    count = min(job.clip.frames - max(job.match.lag, 0), against.frames - max(-job.match.lag, 0))
    return picks(max(count, 1), job.vmaf)


def losses_of(
    jobs: Sequence[ToMeasure],
    reference: Path,
    against: Footage,
    on_share: Callable[[float], None] = lambda _s: None,
    should_stop: Ask = lambda: False,
) -> list[dict[str, np.ndarray]]:
    """Values of each kind of loss, shape (frames,), by key, of each output; nothing of one that can't be measured.
    Raises OvrikError, Stopped on request."""
    taking = [_taking(j, against) if measurable(j, against) else None for j in jobs]
    todo = [t for t in taking if t and t.due]
    frames = some_frames(reference, lambda n: any(t.needs(n) for t in todo)) if todo else iter(())
    with Workers(should_stop) as workers:
        coming, number = workers.begin(partial(_next_beside, 0, frames, against, todo)), 0
        while True:
            [(more, beside)] = workers.ended([coming])
            if not more:
                break
            # The next one is made while outputs are held against this one.
            coming = workers.begin(partial(_next_beside, number + 1, frames, against, todo))
            due = [t for t in todo if number >= t.measured.first]
            held = [workers.begin(partial(t.measure, number, beside)) for t in due]
            there = workers.ended(held)
            if len(there) == len(todo) and not any(there):
                break  # the reference may be longer than what it was named for
            number += 1
            on_share(min(number / max(against.frames, 1), 1.0))
    return [t.measured.series() if t else {} for t in taking]


@dataclass(eq=False)
class _Taking:
    """An output as it is measured. Fields: `measured` of it so far; `frames` of it that are still to come, the first
    of them beside the reference's `measured.first`; `lacking`, those that are to be completed, where it was begun
    before, None where all are taken in."""

    measured: Measured
    frames: Iterator[av.VideoFrame]
    lacking: list[int] | None = None

    @property
    def due(self) -> bool:
        """Whether there is anything left to measure."""
        return self.lacking is None or bool(self.lacking)

    def wants(self, number: int) -> bool:
        """Whether all kinds are measured of the frame beside this one of the reference."""
        if self.lacking is None:
            return self.measured.wants(number)
        return number - self.measured.first in self.lacking

    def needs(self, number: int) -> bool:
        """Whether it is held against this frame of the reference at all."""
        return self.lacking is None or self.wants(number)

    def measure(self, number: int, beside: Beside | None) -> bool:
        """Take in the next one, if there is any that matters; `beside`, None where nobody needs it."""
        place = number - self.measured.first
        if self.lacking is not None and place > self.lacking[-1]:
            return False
        frame = next(self.frames, None)
        if frame is None:
            return False
        if beside is None:
            return True
        if self.lacking is None:
            self.measured.take(beside, frame)
        elif place in self.lacking:
            self.measured.complete(place, beside, frame)
        return True


def _taking(job: ToMeasure, against: Footage) -> _Taking:
    """From the output's frame on that belongs to the reference's first, or that is its own first."""
    frames = islice(decoded_frames(job.output), max(job.match.lag, 0), None)
    if job.begun and job.match.plain:
        return _Taking(job.begun, frames, job.begun.lacking(_picked(job, against)))
    return _Taking(unmeasured(job, against), frames)


def _next_beside(
    number: int, frames: Iterator[av.VideoFrame | None], against: Footage, taking: Sequence[_Taking]
) -> tuple[bool, Beside | None]:
    """Whether there is another frame, and what outputs are held against of it, if any is."""
    try:
        frame = next(frames)
    except StopIteration:
        return False, None
    return True, beside_of(frame, against, any(t.wants(number) for t in taking)) if frame else None
