"""What else used the machine while a run went on."""

from dataclasses import dataclass
from enum import StrEnum


class Disturber(StrEnum):
    """What a run was disturbed by."""

    PROGRAMS = "programs"
    HOST = "host"
    ASLEEP = "asleep"
    DISKS = "disks"
    DEVICE = "device"
    LIMITED = "limited"
    CLOCK = "clock"
    EARLIER = "earlier"


@dataclass(frozen=True)
class Disturbance:
    """One thing that disturbed a run.

    Fields: `by`; `size` of it: of other programs, of the virtual machine's host and of a device's other users, the
    share of all processors or of the device; of a suspended machine, seconds; on the disks, MB/s; where heat or power
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
