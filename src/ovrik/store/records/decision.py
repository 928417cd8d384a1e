"""Who is timed further, decided anew."""

from dataclasses import dataclass
from enum import StrEnum

from ovrik.store.records.columns import IN_PLACE, KEY, SITTING
from ovrik.store.records.table import Table
from ovrik.study.facts.reason import Reason


class Decided(StrEnum):
    """What was decided about a contender: it can't be faster than the choice by more than the band any more; its
    output is not acceptable; what was learned since makes it a rival again, or the user no longer asks for it; or the
    user wants it timed all the same."""

    LEFT_OUT = "left out"
    SET_ASIDE = "set aside"
    BACK = "back"
    KEPT = "kept"


LEFT_OUT, SET_ASIDE, BACK, KEPT = Decided


@dataclass(frozen=True)
class Decision:
    """Who is timed further was decided anew.

    Fields: `contender_id`; `round`, after how many; `kind`; `gain`, how much faster than the choice it could be at
    the most, as a share, None where that is not why; `choice_id`, the choice then, None where that is not why; `why`,
    what speaks against it where it was set aside; `asked`, whether the user decided; `made_utc`, ISO 8601, "" for one
    that is not on file yet."""

    contender_id: int
    round: int
    kind: Decided
    gain: float | None = None
    choice_id: int | None = None
    why: Reason | None = None
    asked: bool = False
    made_utc: str = ""

    @property
    def out(self) -> bool:
        """Whether it is not timed any more."""
        return self.kind in (LEFT_OUT, SET_ASIDE)


DECISIONS = Table("decision", Decision, [KEY, *IN_PLACE, SITTING])
