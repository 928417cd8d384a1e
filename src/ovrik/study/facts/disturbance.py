"""What else used the machine while a run went on."""

import math
from collections.abc import Sequence
from dataclasses import dataclass
from enum import StrEnum


class Disturber(StrEnum):
    """What a run was disturbed by."""

    PROGRAMS = "programs"
    HOST = "host"
    ASLEEP = "asleep"
    HALTED = "halted"
    DISKS = "disks"
    DEVICE = "device"
    LIMITED = "limited"
    CLOCK = "clock"
    EARLIER = "earlier"


@dataclass(frozen=True)
class Disturbance:
    """One thing that disturbed a run.

    Fields: `by`; `size` of it: of other programs, of the virtual machine's host and of a device's other users, the
    share of all processors or of the device; of a suspended machine, and of an export that was
    stopped, seconds; on the disks, MB/s; where heat or power
    limited a device, the share of the time; of a clock, the MHz that it dropped to; `who` was at work, names with the
    processor seconds in a second or the MB/s of each, the greediest first; `was`, MHz of a clock before; `name` of
    the clock or of the device's other user; `said`, what an earlier Ovrik wrote where it can't be read as one of
    these."""

    by: Disturber
    size: float = 0.0
    who: tuple[tuple[str, float], ...] = ()
    was: float = 0.0
    name: str = ""
    said: str = ""

    @property
    def slows(self) -> float:
        """By how much it may have slowed a run down at the most, as a log of times: whoever shares processors or a
        device with others gets what they leave; of what can't be told from its size, half as long again."""
        if self.by in (Disturber.PROGRAMS, Disturber.HOST, Disturber.DEVICE, Disturber.LIMITED):
            return -math.log(1 - min(max(self.size, LEAST_SHARE), MOST_SHARE))
        if self.by is Disturber.CLOCK and self.was > self.size > 0:
            return math.log(self.was / self.size)
        return UNTOLD


def slowed(disturbances: Sequence[Disturbance]) -> float:
    """By how much all of them may have slowed a run down together, as a log of times, 0 where nothing did."""
    return sum(d.slows for d in disturbances)


LEAST_SHARE, MOST_SHARE = 0.02, 0.95
UNTOLD = math.log(1.5)
