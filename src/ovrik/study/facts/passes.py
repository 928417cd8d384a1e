"""The passes of a run, each by the clock."""

from dataclasses import dataclass


@dataclass(frozen=True)
class PassTimes:
    """One pass of a run, seconds from its own start. Fields: `wall_s`; `first_s` and `last_s`, when its first and its
    last frame were reported, None where it reported none."""

    wall_s: float
    first_s: float | None = None
    last_s: float | None = None
