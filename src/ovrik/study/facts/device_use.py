"""Whether the device that a run asked for did the work, and what it really is."""

from dataclasses import dataclass
from enum import StrEnum


class Showed(StrEnum):
    """How it showed that a run fell back to software."""

    LOG = "its log"
    UNIT = "its unit"
    KERNEL = "the kernel's count"
    EARLIER = "earlier"


@dataclass(frozen=True)
class FellBack:
    """A run that asked for a device and was done in software. Fields: `showed`; `paths` that were asked for, keys of
    device paths; `said`, the line of its log, or what an earlier Ovrik wrote; `what` the unit was to do, and `unit`
    that showed no load."""

    showed: Showed
    paths: tuple[str, ...] = ()
    said: str = ""
    what: str = ""
    unit: str = ""


@dataclass(frozen=True)
class OnProcessor:
    """A device path that is the processor itself here. Fields: `path`, its key; `device`, by its own name."""

    path: str
    device: str
