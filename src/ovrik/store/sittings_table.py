"""Sittings in the study file: each a going-through of the study on one state of machine and builds."""

import copy
import json
from collections.abc import Mapping
from typing import Self

from ovrik.errors import OvrikError
from ovrik.store.sound import mapping, sound
from ovrik.store.study_file import StudyFile, now_utc, reading
from ovrik.study.sitting import Sitting
from ovrik.study.text_file import visible


class SittingsTable(StudyFile):
    """The table `sitting`."""

    @reading("sittings")
    def sittings(self) -> list[Sitting]:
        """All of them, the first one first."""
        return [
            Sitting(r["id"], r["name"], r["began_utc"], tuple(_builds(mapping(r["builds"]))))
            for r in map(sound, self._all("SELECT * FROM sitting ORDER BY id"))
        ]

    @property
    def sitting_id(self) -> int:
        """Number of the sitting that is spoken of: the last one, unless another was asked for."""
        if self._sitting is not None:
            return self._sitting
        return int(self._row("SELECT ifnull(max(id), 1) FROM sitting")[0])

    @property
    def sitting(self) -> Sitting:
        """The sitting that is spoken of."""
        number = self.sitting_id
        return next((s for s in self.sittings() if s.id == number), Sitting(number, "", ""))

    def begin_sitting(self, name: str = "", builds: Mapping[str, str] | None = None) -> Sitting:
        """Begin another one: what is timed from now on belongs to it. One in which nothing has been timed becomes
        this one. `builds`, keys of builds that take the places
        of others, by the key of the one whose place it is. Raises OvrikError where one would
        both take a place and give up its own."""
        builds = dict(builds or {})
        if chained := sorted(set(builds) & set(builds.values())):
            raise OvrikError(
                f"“{chained[0]}” can't both take a place and give up its own", "Name each build once"
            )
        present = int(self._row("SELECT ifnull(max(id), 1) FROM sitting")[0])
        begun = bool(self._all("SELECT 1 FROM run WHERE sitting_id = ? LIMIT 1", (present,)))
        number = present + begun
        with self._change() as db:
            db.execute(
                "INSERT OR REPLACE INTO sitting (id, name, began_utc, builds) VALUES (?,?,?,?)",
                (number, visible(name), now_utc(), json.dumps(builds)),
            )
        return next(s for s in self.sittings() if s.id == number)

    def at(self, sitting: Sitting) -> Self:
        """The same open study, speaking of this sitting: what is read through it is that sitting's."""
        made = copy.copy(self)
        made._sitting = sitting.id
        return made

    def _check_present(self) -> None:
        last = int(self._row("SELECT ifnull(max(id), 1) FROM sitting")[0])
        if self.sitting_id != last:
            raise OvrikError(f"Sitting {self.sitting_id} is over", "Time in the last one, or begin another")


def _builds(found: Mapping[str, object]) -> list[tuple[str, str]]:
    return [(k, v) for k, v in found.items() if isinstance(v, str)]
