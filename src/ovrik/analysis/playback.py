"""Whether frames came in time to be shown, and how many streams at once did."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

HELD_SHARE = 0.98
"""A stream that keeps to less of its rate falls behind for good; one that does not makes up what a hitch cost."""


@dataclass(frozen=True)
class Pace:
    """How one stream was played.

    Fields: `frames`; `late`, frames that came more than half a frame after they were due; `dropped`, those that
    came more than a whole one after: a player has shown the frame before for so long; `sustained`, frames per
    second between the first and the last; `hitch_s`, the longest wait for a frame beyond its own time; `rate`, what
    was asked for.
    """

    frames: int
    late: int
    dropped: int
    sustained: float
    hitch_s: float
    rate: float

    @property
    def held(self) -> bool:
        """Whether it played in real time: nothing dropped, and the rate kept."""
        return self.frames > 1 and not self.dropped and self.sustained >= HELD_SHARE * self.rate


def paced(moments: Sequence[float], rate: float) -> Pace:
    """From the moments at which frames were ready, shape (n,), seconds; the first is shown at once, and frame i is
    due i / rate later. Raises ValueError on a rate that is not positive."""
    if rate <= 0:
        raise ValueError("a rate is above 0")
    came = np.asarray(moments, float)
    if len(came) < 2:
        return Pace(len(came), 0, 0, 0.0, 0.0, rate)
    behind = came - came[0] - np.arange(len(came)) / rate
    waits = np.diff(came)
    return Pace(
        len(came),
        int((behind > 0.5 / rate).sum()),
        int((behind > 1.0 / rate).sum()),
        float((len(came) - 1) / (came[-1] - came[0])) if came[-1] > came[0] else float("inf"),
        float(max(0.0, waits.max() - 1 / rate)),
        rate,
    )


@dataclass(frozen=True)
class Streams:
    """So many streams at once. Fields: `count`; `paces`, of each stream of each round."""

    count: int
    paces: tuple[Pace, ...]

    @property
    def held(self) -> bool:
        """Whether every one of them held in every round."""
        return bool(self.paces) and all(p.held for p in self.paces)


def most_held(tried: Sequence[Streams]) -> int:
    """The largest number of streams that held, with all smaller ones that were tried holding too; 0 for none."""
    most = 0
    for one in sorted(tried, key=lambda s: s.count):
        if not one.held:
            break
        most = one.count
    return most
