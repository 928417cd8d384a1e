"""Where a run comes from."""

from enum import StrEnum


class Origin(StrEnum):
    """Who timed a run: Ovrik, which drove it; a person with a stopwatch; Ovrik, by watching the file of another
    program; or somebody earlier, in a table that was brought in."""

    DRIVEN = "driven"
    BY_HAND = "by hand"
    WATCHED = "watched"
    BROUGHT_IN = "brought in"

    @property
    def series(self) -> "Origin":
        """Runs of one series are numbered and paired by their rounds: times that were brought in are of one with
        those by hand."""
        return Origin.BY_HAND if self is Origin.BROUGHT_IN else self

    @property
    def by_hand(self) -> bool:
        """Whether a person read its time, here or elsewhere."""
        return self is Origin.BY_HAND or self is Origin.BROUGHT_IN
