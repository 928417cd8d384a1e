"""How one stream was played."""

from dataclasses import dataclass, fields

HELD_SHARE = 0.98
"""A stream that keeps to less of its rate falls behind for good; one that does not makes up what a hitch cost."""


@dataclass(frozen=True)
class Pace:
    """How one stream was played.

    Fields: `frames`; `late`, frames that came after they were due; `dropped`, periods of a frame on the screen in
    which nothing new could be shown; `sustained`, frames per
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


def pace_from(values: object) -> Pace:
    """A stream as a study keeps it, a list of its fields. Raises ValueError on anything else."""
    if not isinstance(values, list) or len(values) != len(fields(Pace)) or not all(v >= 0 for v in values):
        raise ValueError("what should be the figures of a stream are none")
    return Pace(*(int(v) for v in values[:3]), *(float(v) for v in values[3:]))
