"""A sitting: one going-through of a study on one state of machine and builds."""

from collections.abc import Iterable
from dataclasses import dataclass, replace

from ovrik.study.contender.contender import Contender


@dataclass(frozen=True)
class Sitting:
    """Fields: `id`, from 1 in the order in which they began; `name`, "" for one without; `began_utc`, ISO 8601;
    `builds`, pairs of a build's key and the key of the one that takes its place in this sitting."""

    id: int
    name: str
    began_utc: str
    builds: tuple[tuple[str, str], ...] = ()

    @property
    def words(self) -> str:
        """Its name, or its day and minute."""
        return self.name or f"{self.began_utc[:10]} {self.began_utc[11:16]}".strip() or f"sitting {self.id}"

    def as_timed(self, contenders: Iterable[Contender]) -> list[Contender]:
        """Contenders with the builds that they have in this sitting."""
        instead = dict(self.builds)
        return [replace(c, build=instead[c.build]) if c.build in instead else c for c in contenders]
