"""Sittings in the study file: each a going-through of the study on one state of machine and builds."""

import copy
from collections.abc import Mapping
from typing import Self

from ovrik.errors import OvrikError
from ovrik.store.records.line_up import SITTINGS
from ovrik.store.tables.study_file import StudyFile, now_utc, reading_rows
from ovrik.study.files.text_file import visible
from ovrik.study.question.sitting import Sitting


class SittingsTable(StudyFile):
    """The table `sitting`."""

    @reading_rows("sittings")
    def sittings(self) -> list[Sitting]:
        """All of them, the first one first."""
        return [SITTINGS.read(r) for r in self._all("SELECT * FROM sitting ORDER BY id")]

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
        present = self._last_sitting()
        begun = bool(self._all("SELECT 1 FROM run WHERE sitting_id = ? LIMIT 1", (present,)))
        number = present + begun
        with self._change() as db:
            db.execute("DELETE FROM sitting WHERE id = ?", (number,))
            made = Sitting(number, visible(name), now_utc(), tuple(builds.items()))
            SITTINGS.insert(db, made)
        return made

    def at(self, sitting: Sitting) -> Self:
        """The same open study, speaking of this sitting: what is read through it is that sitting's."""
        made = copy.copy(self)
        made._sitting = sitting.id
        return made

    def _check_present(self) -> None:
        if self.sitting_id != self._last_sitting():
            raise OvrikError(f"Sitting {self.sitting_id} is over", "Time in the last one, or begin another")
