"""Kinds of footage in the study file, and the study as each of them sees it."""

import copy
import math
from typing import Self

from ovrik.errors import OvrikError
from ovrik.store import rows
from ovrik.store.sound import sound
from ovrik.store.study_file import StudyFile, reading
from ovrik.study.excerpt import Excerpt
from ovrik.study.footage_kind import MOST_WEIGHT, FootageKind
from ovrik.study.programme import Programme


class KindsTable(StudyFile):
    """The table `excerpt`, of all programmes."""

    @reading("kinds of footage")
    def kinds(self) -> list[FootageKind]:
        """Every excerpt that is kept by name, of whatever programme, in the order in which they were kept."""
        found = self._all(
            "SELECT e.*, p.checksum, json_extract(p.edit, '$.name') AS called FROM excerpt e"
            " JOIN programme p ON p.id = e.programme_id ORDER BY e.id"
        )
        return [
            FootageKind(
                r["id"],
                r["name"],
                r["checksum"],
                str(r["called"] or ""),
                Excerpt(r["start_frame"], r["frames"]),
                min(max(r["weight"], 0.0), MOST_WEIGHT),
            )
            for r in map(sound, found)
        ]

    def add_kind(self, name: str, programme: Programme, excerpt: Excerpt) -> FootageKind:
        """Keep an excerpt of another programme, in place of one with the same name."""
        with self._change() as db:
            number = rows.programme_id(db, programme)
            db.execute(
                "DELETE FROM excerpt WHERE name = ? OR (programme_id = ? AND start_frame = ? AND frames = ?)",
                (name, number, excerpt.start_frame, excerpt.frames),
            )
            made = db.execute(
                "INSERT INTO excerpt (name, start_frame, frames, programme_id) VALUES (?,?,?,?)",
                (name, excerpt.start_frame, excerpt.frames, number),
            )
        return FootageKind(int(made.lastrowid or 0), name, programme.checksum, programme.name, excerpt)

    def set_weight(self, kind_id: int, weight: float) -> None:
        """How much a kind counts in the verdict over all. Raises OvrikError on what can't be."""
        if not (math.isfinite(weight) and 0 <= weight <= MOST_WEIGHT):
            raise OvrikError(f"The weight is {weight:g}", f"Give a number from 0 to {MOST_WEIGHT:g}")
        with self._change() as db:
            db.execute("UPDATE excerpt SET weight = ? WHERE id = ?", (weight, kind_id))

    def choose(self, kind: FootageKind) -> None:
        """Make a kind of footage the present programme and excerpt."""
        with self._change() as db:
            db.execute(
                "UPDATE study SET (programme_id, start_frame, frames) ="
                " (SELECT programme_id, start_frame, frames FROM excerpt WHERE id = ?)",
                (kind.id,),
            )

    def on(self, kind: FootageKind) -> Self:
        """The same open study, speaking of this kind of footage: what is read, timed and scored through it is that of
        its programme and excerpt, whatever the present ones are."""
        row = self._one("SELECT programme_id FROM excerpt WHERE id = ?", (kind.id,))
        if row is None:
            raise OvrikError(f"“{kind.name}” is no longer a kind of footage of this study", "Choose another")
        made = copy.copy(self)
        made._place = (int(row["programme_id"]), kind.excerpt)
        return made
