"""Outputs of one reference, each decoded once for all that wants to see its frames in order: what it shows, and what
kinds of loss it has; and what somebody else makes of them."""

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, field
from functools import partial
from pathlib import Path

import av

from ovrik.errors import Ask, OvrikError, Stopped
from ovrik.quality.checks.miniatures import Gathering, Miniatures
from ovrik.quality.decode.frame_index import decoded_frames
from ovrik.quality.decode.some_frames import some_frames
from ovrik.quality.scores.feed import Feed
from ovrik.quality.scores.losses import Beside, Measured, beside_of
from ovrik.quality.scores.workers import Workers
from ovrik.study.clip.footage import Footage


@dataclass(eq=False)
class Reading:
    """An output as it is read. Fields: `output`, its file; `measured`, its losses as they come in if frame k of it
    lies beside frame k of the reference, None where they are not measured meanwhile; `feed`, who else gets its
    frames, None likewise; `problem`, why it could not be read to its end; `gathering`, its miniatures so far;
    `frames` that are still to come; `broken` packets."""

    output: Path
    measured: Measured | None = None
    feed: Feed | None = None
    problem: OvrikError | None = None
    gathering: Gathering = field(default_factory=Gathering)
    frames: Iterator[av.VideoFrame] = field(init=False)
    broken: int = 0

    def __post_init__(self) -> None:
        self.frames = decoded_frames(self.output, self._lost)

    def _lost(self) -> None:
        self.broken += 1

    @property
    def seen(self) -> Miniatures:
        """What it shows. Raises OvrikError when it can't be read."""
        if self.problem:
            raise self.problem
        return self.gathering.made(self.broken)

    def take(self, beside: Beside | None) -> bool:
        """Take in its next frame, and hold it against the reference's, if there is one; whether there was any."""
        try:
            frame = next(self.frames, None)
        except OvrikError as exc:
            self.problem, frame = exc, None
        hand_on(frame, self.feed)
        if frame is None:
            return False
        self.gathering.take(frame)
        if beside and self.measured:
            self.measured.take(beside, frame)
        return True

    def rest(self, should_stop: Ask) -> None:
        """Take in all that is left of it. Raises Stopped."""
        while self.take(None):
            if should_stop():
                raise Stopped


def hand_on(frame: av.VideoFrame | None, feed: Feed | None) -> None:
    """Give a frame to whoever else wants it; None is the end."""
    if feed is None:
        return
    if frame is None:
        feed.end()
    else:
        feed.give(frame)


@dataclass(frozen=True, eq=False)
class BesideThem:
    """The reference. Fields: its `file`; `against`, what was read from it; `feed`, who else gets its frames, None
    where nobody does."""

    file: Path
    against: Footage
    feed: Feed | None = None


def read_together(
    readings: Sequence[Reading],
    reference: BesideThem,
    on_share: Callable[[float], None] = lambda _s: None,
    should_stop: Ask = lambda: False,
) -> None:
    """Read all of them to their ends, side by side where they are measured or handed on. Raises OvrikError when the
    reference can't be read, Stopped on request."""
    beside = [r for r in readings if r.measured or r.feed]
    with Workers(should_stop) as workers:
        if beside:
            _side_by_side(beside, reference, workers, on_share)
        workers.ended([workers.begin(partial(r.rest, should_stop)) for r in readings])


def _side_by_side(
    readings: Sequence[Reading], reference: BesideThem, workers: Workers, on_share: Callable[[float], None]
) -> None:
    against, feed = reference.against, reference.feed
    measured = [r.measured for r in readings if r.measured]
    frames = some_frames(reference.file, lambda number: bool(measured) or feed is None or feed.wants(number))

    def following(number: int) -> tuple[bool, Beside | None]:
        """Whether there is another frame, and what outputs are held against of it."""
        try:
            frame = next(frames)
        except StopIteration:
            hand_on(None, feed)
            return False, None
        if frame is not None:
            hand_on(frame, feed)
        elif feed:
            feed.pass_over()
        if frame is None or not measured:
            return True, None
        return True, beside_of(frame, against, any(m.wants(number) for m in measured))

    coming, number, left = workers.begin(partial(following, 0)), 0, list(readings)
    while left:
        [(more, beside)] = workers.ended([coming])
        if not more:
            break
        number += 1
        coming = workers.begin(partial(following, number))  # made while outputs are held against this one
        there = workers.ended([workers.begin(partial(r.take, beside)) for r in left])
        left = [r for r, any_left in zip(left, there, strict=True) if any_left]
        on_share(min(number / max(against.frames, 1), 1.0))
    workers.ended([coming])
