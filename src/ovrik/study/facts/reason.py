"""What speaks against a contender."""

from dataclasses import dataclass
from enum import StrEnum

from ovrik.study.facts.device_use import FellBack


class Against(StrEnum):
    """Of what kind a reason is."""

    BARRED = "barred"
    FAILED = "failed"
    FELL_BACK = "fell back"
    PICTURE = "picture"
    CHECKS = "checks"
    LIMIT = "limit"
    NOT_PLAYED = "not played"
    SEEN = "seen"
    EARLIER = "earlier"


@dataclass(frozen=True)
class Reason:
    """One thing that speaks against a contender.

    Fields: `kind`; `said`, what the build, the system or a check said of it: why it can't run, why it failed, which
    point it does not pass, why it could not be scored, or what an earlier Ovrik wrote; `fell_back`; `limit`, the key
    of a floor or ceiling, with `value` and `bound`, in its unit; `on`, the name of the kind of footage, "" where
    there is one only."""

    kind: Against
    said: str = ""
    fell_back: FellBack | None = None
    limit: str = ""
    value: float = 0.0
    bound: float = 0.0
    on: str = ""

    @property
    def movable(self) -> bool:
        """Whether another floor or ceiling would take it away."""
        return self.kind is Against.LIMIT
