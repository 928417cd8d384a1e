"""Kinds of footage in the study file, and the study as each of them sees it."""

import copy
import math
from collections import Counter
from typing import Self

from ovrik.errors import OvrikError
from ovrik.store.tables import ids
from ovrik.store.tables.study_file import StudyFile, reading_rows
from ovrik.study.programme.excerpt import Excerpt, NamedExcerpt
from ovrik.study.programme.programme import Programme
from ovrik.study.question.footage_kind import MOST_WEIGHT, FootageKind


class KindsTable(StudyFile):
    """The table `excerpt`, of all programmes."""

    @reading_rows("kinds of footage")
    def kinds(self) -> list[FootageKind]:
        """Every excerpt that is kept by name, of whatever programme, in the order in which they were kept."""
        found = self._all(
            "SELECT e.*, p.checksum, json_extract(p.edit, '$.name') AS called FROM excerpt e"
            " JOIN programme p ON p.id = e.programme_id ORDER BY e.id"
        )
        each = Counter(r["name"] for r in found)
        return [
            FootageKind(
                id=r["id"],
                name=f"{r['name']}, {r['called'] or r['id']}" if each[r["name"]] > 1 else r["name"],
                programme=r["checksum"],
                programme_name=str(r["called"] or ""),
                excerpt=Excerpt(r["start_frame"], r["frames"]),
                weight=min(max(r["weight"], 0.0), MOST_WEIGHT),
            )
            for r in found
        ]

    @reading_rows("excerpts")
    def excerpts(self) -> list[NamedExcerpt]:
        """The excerpts of the present programme that are kept by name; empty when it has only the present one."""
        query = "SELECT * FROM excerpt WHERE programme_id = ? ORDER BY start_frame, id"
        found = self._all(query, (self._programme_id,))
        return [NamedExcerpt(r["id"], r["name"], Excerpt(r["start_frame"], r["frames"])) for r in found]

    def keep_excerpt(self, name: str, excerpt: Excerpt, programme: Programme | None = None) -> int:
        """Keep an excerpt by name, of the present programme or of another; gives its number. One of that programme
        with the same name, or with the same frames, is brought up to date and keeps its weight."""
        with self._change() as db:
            owner = ids.programme_id(db, programme) if programme else self._programme_id
            span = owner, excerpt.start_frame, excerpt.frames
            found = db.execute(
                "SELECT id FROM excerpt WHERE programme_id = ? AND (name = ? OR (start_frame = ? AND frames = ?))"
                " ORDER BY name <> ?",
                (owner, name, *span[1:], name),
            ).fetchall()
            if not found:
                query = "INSERT INTO excerpt (programme_id, start_frame, frames, name) VALUES (?,?,?,?)"
                return int(db.execute(query, (*span, name)).lastrowid or 0)
            number, *others = (int(r["id"]) for r in found)
            db.executemany("DELETE FROM excerpt WHERE id = ?", [(other,) for other in others])
            db.execute(
                "UPDATE excerpt SET name = ?, start_frame = ?, frames = ? WHERE id = ?",
                (name, *span[1:], number),
            )
            return number

    def drop_excerpt(self, excerpt_id: int) -> None:
        """Forget a name; its runs stay."""
        with self._change() as db:
            db.execute("DELETE FROM excerpt WHERE id = ?", (excerpt_id,))

    def add_kind(self, name: str, programme: Programme, excerpt: Excerpt) -> FootageKind:
        """Keep an excerpt of another programme, in place of one of that with the same name."""
        number = self.keep_excerpt(name, excerpt, programme)
        return next(k for k in self.kinds() if k.id == number)

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
