"""Encodes that a search for a quality made, in the study file."""

import json
import sqlite3
from dataclasses import replace

from ovrik.store import rows
from ovrik.store.records import SearchPoint
from ovrik.store.sound import mapping, sound
from ovrik.store.study_file import StudyFile, now_utc, reading
from ovrik.study.excerpt import Excerpt
from ovrik.study.limit_kinds import LIMIT_KINDS
from ovrik.study.programme import Programme
from ovrik.study.recipe import Recipe


class SearchTable(StudyFile):
    """The table `search_point`."""

    def keep_search_point(self, made: SearchPoint, programme: Programme, excerpt: Excerpt) -> SearchPoint:
        """Keep one, at once; it is evidence, and is never changed."""
        at = now_utc()
        with self._change() as db:
            db.execute(
                "INSERT INTO search_point (contender_id, programme_id, start_frame, frames, recipe, reference,"
                " wall_s, output_bytes, output_sha256, pooled, made_utc) VALUES (?,?,?,?,?,?,?,?,?,?,?)",
                (
                    made.contender_id,
                    *(rows.programme_id(db, programme), excerpt.start_frame, excerpt.frames),
                    *(json.dumps(made.recipe.to_json()), made.reference, made.wall_s),
                    *(made.bytes, made.output_sha256, json.dumps(made.values), at),
                ),
            )
        return replace(made, made_utc=at)

    @reading("searches")
    def search_points(self, programme: str, excerpt: Excerpt) -> list[SearchPoint]:
        """Those of a programme's excerpt, in the order in which they were made."""
        found = self._all(
            "SELECT s.* FROM search_point s JOIN programme p ON p.id = s.programme_id "
            "WHERE p.checksum = ? AND s.start_frame = ? AND s.frames = ? ORDER BY s.id",
            (programme, excerpt.start_frame, excerpt.frames),
        )
        return [search_point_from(r) for r in found]


def search_point_from(row: sqlite3.Row) -> SearchPoint:
    """A row of the table. Raises ValueError on one that can't be."""
    sound(row)
    values = mapping(row["pooled"])
    if not (row["wall_s"] > 0 and row["output_bytes"] > 0):
        raise ValueError("a time or a size is nothing")
    return SearchPoint(
        row["contender_id"],
        Recipe.from_json(mapping(row["recipe"])),
        row["reference"],
        row["wall_s"],
        row["output_bytes"],
        row["output_sha256"],
        {k: float(v) for k, v in values.items() if k in LIMIT_KINDS},
        row["made_utc"],
    )
