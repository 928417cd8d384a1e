"""Each row's checksum, kept beside it: what a drive changed, swapped or lost is found when a study is opened.

Nothing in the file computes them: triggers of the connection's own do, so that whatever writes a row writes its
checksum too. They tell damage; whoever changes a file on purpose can change them as well.
"""

import hashlib
import sqlite3
from dataclasses import dataclass
from typing import Any

from ovrik.store.records.damaged_row import DamagedRow
from ovrik.store.schema.tables import statements

SUMS = "row_sum"
FUNCTION = "sum_of_row"
WITHOUT = frozenset((SUMS, "carried", "thumbnail"))
"""Tables whose rows have none: files that are carried have one of their contents, thumbnails are made anew."""
ON_READING = "trace"
"""The table whose rows are large: each is held against its checksum when it is read, not when the study is opened."""
UNKEYED = {"look": ("programme_id", "start_frame", "frames", "sitting_id")}
"""What is unique in tables that have no primary key."""
BYTES = 8


def sum_of(*values: Any) -> int:
    """A row's checksum: the BLAKE2b hash of 64 bits, with a sign, of its values, in the order of the table's columns,
    as Python writes them in a tuple."""
    text = repr(values).encode("utf-8", "surrogatepass")
    return int.from_bytes(hashlib.blake2b(text, digest_size=BYTES).digest(), "big", signed=True)


@dataclass(frozen=True)
class Summed:
    """A table whose rows have checksums. Fields: `name`; `columns`, all in order; `keys`, those that name a row."""

    name: str
    columns: tuple[str, ...]
    keys: tuple[str, ...]

    def key(self, row: str) -> str:
        """An expression of the key of a row that is called so, as text."""
        return " || '/' || ".join(f"CAST({row}.{name} AS TEXT)" for name in self.keys)

    def sum(self, row: str) -> str:
        """An expression of the checksum of a row that is called so."""
        return f"{FUNCTION}({', '.join(f'{row}.{name}' for name in self.columns)})"


def summed_tables(db: sqlite3.Connection) -> list[Summed]:
    """All whose rows have one."""
    out = []
    for name in (n for n in statements() if n not in WITHOUT):
        # In the order in which each is in this file: a column that was added later stands last there.
        about = [tuple(row) for row in db.execute(f"PRAGMA main.table_xinfo({name})")]
        keys = sorted(
            (place, column) for _n, column, _kind, _needed, _usual, place, _hidden in about if place
        )
        own = tuple(column for _place, column in keys) or UNKEYED.get(name, ())
        if own and about:  # of a damaged study it may be gone
            out.append(Summed(name, tuple(row[1] for row in about), own))
    return out


def keep_sums(db: sqlite3.Connection) -> None:
    """Have whatever this connection writes keep its checksum."""
    _known(db)
    db.execute(
        "PRAGMA recursive_triggers = ON"
    )  # a row that makes room for another is deleted for the trigger too
    for table in summed_tables(db):
        off = f"DELETE FROM {SUMS} WHERE place = '{table.name}' AND key = {table.key('OLD')};"
        put = (
            f"INSERT OR REPLACE INTO {SUMS} VALUES ('{table.name}', {table.key('NEW')}, {table.sum('NEW')});"
        )
        for when, what in (("INSERT", put), ("UPDATE", off + put), ("DELETE", off)):
            name = f"{SUMS}_{table.name}_{when.lower()}"
            db.execute(f"CREATE TEMP TRIGGER {name} AFTER {when} ON main.{table.name} BEGIN {what} END")


def sum_all(db: sqlite3.Connection) -> None:
    """Write the checksum of every row anew."""
    _known(db)
    db.execute(f"DELETE FROM {SUMS}")
    for table in summed_tables(db):
        query = f"SELECT '{table.name}', {table.key('t')}, {table.sum('t')} FROM {table.name} t"
        db.execute(f"INSERT INTO {SUMS} {query}")


def unmatched(db: sqlite3.Connection) -> list[DamagedRow]:
    """Rows that are not as they were written, and those that are gone; of large ones the latter alone. They are read
    from the tables themselves: an index may say what a table no longer holds."""
    _known(db)
    found = []
    for table in summed_tables(db):
        if table.name != ON_READING:
            found += [DamagedRow(table.name, key) for key in _changed(db, table)]
        lost = (
            f"SELECT key FROM main.{SUMS} WHERE place = ? AND key NOT IN"
            f" (SELECT {table.key('t')} FROM main.{table.name} t NOT INDEXED)"
        )
        found += [DamagedRow(table.name, str(row[0]), gone=True) for row in db.execute(lost, (table.name,))]
    return found


def _changed(
    db: sqlite3.Connection, table: Summed, more: str = "", given: tuple[object, ...] = ()
) -> list[str]:
    query = (
        f"SELECT {table.key('t')} FROM main.{table.name} t NOT INDEXED LEFT JOIN main.{SUMS} s"
        f" ON s.place = '{table.name}' AND s.key = {table.key('t')} WHERE s.sum IS NOT {table.sum('t')}"
    )
    return [str(row[0]) for row in db.execute(query + more, given)]


def trace_matches(db: sqlite3.Connection, run_id: int) -> bool:
    """Whether the series of a run are as they were written."""
    [table] = [t for t in summed_tables(db) if t.name == ON_READING]
    return not _changed(db, table, " AND t.run_id = ?", (run_id,))


def _known(db: sqlite3.Connection) -> None:
    db.create_function(FUNCTION, -1, sum_of, deterministic=True)
