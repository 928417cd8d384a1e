"""A table of an older schema made anew with its present columns."""

import sqlite3
from collections.abc import Callable
from typing import Any

from ovrik.store.schema.tables import INDEXES, statements

RENAMED = {"footage_id": "programme_id", "first_picture_s": "first_frame_s", "last_picture_s": "last_frame_s"}
"""Columns by the names that earlier schemas gave them."""


ONCE_LIMITS = ("vmaf_mean", "vmaf_p5", "megabytes_per_minute")
"""Limits that had a column each."""


OldRow = dict[str, Any]


def rebuilt(db: sqlite3.Connection, name: str, change: Callable[[OldRow], OldRow] = lambda row: row) -> None:
    """A table made anew with its present columns; those it had under the same name keep their values, each row
    changed by `change`. Foreign keys have to be off: what refers to the table goes on referring to it."""
    there = [r[1] for r in db.execute(f"PRAGMA table_info({name})")]
    if not there:
        db.execute(statements()[name])
        return
    db.execute(statements()[name].replace(f"TABLE {name} ", f"TABLE new_{name} ", 1))
    columns = {r[1] for r in db.execute(f"PRAGMA table_info(new_{name})")}
    # What a later schema keeps elsewhere stays until the step that takes it there.
    for gone in set(there) & set(ONCE_LIMITS):
        db.execute(f"ALTER TABLE new_{name} ADD COLUMN {gone} REAL")
        columns.add(gone)
    for values in db.execute(f"SELECT * FROM {name} ORDER BY rowid").fetchall():
        row = {RENAMED.get(k, k): v for k, v in zip(there, values, strict=True)}
        kept = {k: v for k, v in change(row).items() if k in columns}
        marks = ", ".join("?" * len(kept))
        db.execute(f"INSERT INTO new_{name} ({', '.join(kept)}) VALUES ({marks})", tuple(kept.values()))
    db.execute(f"DROP TABLE {name}")
    db.execute(f"ALTER TABLE new_{name} RENAME TO {name}")
    if name in INDEXES:
        db.execute(INDEXES[name])
