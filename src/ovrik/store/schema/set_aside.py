"""Rows that are not as they were written are set aside: what reads the study does not see them, nor what belongs to
them. The file stays as it is."""

import sqlite3
from collections.abc import Sequence

from ovrik.store.records.damaged_row import DamagedRow
from ovrik.store.schema.row_sums import Summed, summed_tables

QUESTION = ("study", "footage", "excerpt", "limit_value", "program")
"""Without a row of these another question would be answered."""
NAMED = 6
"""Rows that are named; of more their number is said."""


def set_aside(db: sqlite3.Connection, rows: Sequence[DamagedRow]) -> list[str]:
    """Hide rows, and those that refer to them, from whatever this connection reads; gives which of the question are
    among them, "table key". Nothing may be written by it from then on."""
    db.execute("CREATE TEMP TABLE aside (place TEXT, key TEXT, PRIMARY KEY (place, key)) WITHOUT ROWID")
    db.executemany("INSERT OR IGNORE INTO aside VALUES (?, ?)", [(row.table, row.key) for row in rows])
    tables = summed_tables(db)
    while sum(_what_refers(db, table) for table in tables):
        pass
    for table in tables:
        hidden = f"SELECT key FROM temp.aside WHERE place = '{table.name}'"
        if db.execute(hidden).fetchone():
            db.execute(
                f"CREATE TEMP VIEW {table.name} AS SELECT * FROM main.{table.name} t"
                f" WHERE {table.key('t')} NOT IN ({hidden})"
            )
    return [f"{place} {key}" for place, key in db.execute("SELECT * FROM aside") if place in QUESTION]


def _what_refers(db: sqlite3.Connection, table: Summed) -> int:
    """Set aside rows that refer to such ones; gives how many were not yet."""
    before = db.total_changes
    for reference in db.execute(f"PRAGMA main.foreign_key_list({table.name})").fetchall():
        parent, column = reference[2], reference[3]
        db.execute(
            f"INSERT OR IGNORE INTO aside SELECT '{table.name}', {table.key('t')} FROM main.{table.name} t"
            f" WHERE CAST(t.{column} AS TEXT) IN (SELECT key FROM aside WHERE place = '{parent}')"
        )
    return db.total_changes - before


def named(rows: Sequence[DamagedRow]) -> str:
    """Which rows they are, and that they are damaged, in a clause."""
    more = f" and {len(rows) - NAMED} more" if len(rows) > NAMED else ""
    are = "is" if len(rows) == 1 else "are"
    return ", ".join(str(row) for row in rows[:NAMED]) + f"{more} {are} not as written"
