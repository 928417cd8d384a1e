"""How often evidence has been looked at."""

from dataclasses import dataclass

from ovrik.store.records.columns import IN_PLACE, SITTING
from ovrik.store.records.table import Table


@dataclass(frozen=True)
class Looks:
    """How often evidence has been looked at with more rounds still to be asked for: never lowered.

    Fields: `most`, after how many rounds one might stop when rounds were last added until it was decided, the highest
    ever; `taken`, how often rounds were added by somebody who could see what there was; `rounds` that were asked for,
    the highest number ever."""

    most: int = 0
    taken: int = 0
    rounds: int = 0

    @property
    def count(self) -> int:
        """Looks that intervals allow for, this one included; 0 where there is this one only."""
        return max(self.most, self.taken + 1) if self.most or self.taken else 0


LOOKS = Table(
    "look", Looks, [*IN_PLACE, SITTING], rules=["UNIQUE (programme_id, start_frame, frames, sitting_id)"]
)
