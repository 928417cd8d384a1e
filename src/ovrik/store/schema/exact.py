"""A study's schema is the schema: nothing else is computed, checked or sorted by when it is read or written."""

import re
import sqlite3
from dataclasses import dataclass
from typing import Any

from ovrik.store.schema.tables import INDEXES, statements
from ovrik.study.files.text_file import visible

Shape = dict[str, object]
OWN_TABLES = "sqlite_"
HEAP_BYTES, CELL_BYTES = 1 << 30, 128 << 20
"""Memory that SQLite may take in this process, and the longest text or piece that a study holds, with room."""
COMMENT = re.compile(r"--[^\n]*|/\*.*?\*/", re.DOTALL)
SUSPECT = re.compile(r"\b(GENERATED|COLLATE|VIRTUAL|TEMP|TRIGGER|VIEW)\b|\bAS\s*\(", re.IGNORECASE)
"""What no statement of a study's has."""


MOST_STEPS, LOOKED_AFTER = 1_000_000_000, 10_000_000
"""Steps of SQLite's that a statement may take, about a minute's worth: of 100,000 runs the longest takes a fortieth
of it; and after how many they are counted."""


@dataclass
class _Steps:
    taken: int = 0

    def too_many(self) -> bool:
        self.taken += LOOKED_AFTER
        return self.taken > MOST_STEPS


class Bounded(sqlite3.Connection):
    """A connection whose statements end, whatever is in its file."""

    def __init__(self, *given: Any, **named: Any) -> None:
        super().__init__(*given, **named)
        self._steps = _Steps()

    def execute(self, *given: Any) -> sqlite3.Cursor:
        """Each begins to count anew. Raises sqlite3.OperationalError on one that goes on and on."""
        self._steps.taken = 0
        return super().execute(*given)

    def bound(self) -> None:
        """Bound what it may take: steps, memory, and the longest value."""
        self.setlimit(sqlite3.SQLITE_LIMIT_LENGTH, CELL_BYTES)
        self.execute(f"PRAGMA hard_heap_limit = {HEAP_BYTES}")
        # No method of its own: a connection that held itself would never be closed by being forgotten.
        self.set_progress_handler(self._steps.too_many, LOOKED_AFTER)


def odd_in(db: sqlite3.Connection) -> str:
    """What a study of any schema has that none has, in words; "" for one that is like studies are. Nothing of its
    tables is read."""
    for kind, name, text in db.execute("SELECT type, name, sql FROM sqlite_master"):
        if kind not in ("table", "index"):
            return f"it holds a {visible(str(kind))} called “{visible(str(name))}”, which no study has"
        if text is not None and SUSPECT.search(COMMENT.sub(" ", text)):
            return f"its {kind} “{visible(str(name))}” computes or sorts in a way that no study's does"
    return ""


def not_the_schema(db: sqlite3.Connection) -> str:
    """How a study of the present schema differs from that, in words, "" where it does not."""
    with sqlite3.connect(":memory:") as clean:
        for statement in (*statements().values(), *INDEXES.values()):
            clean.execute(statement)
        wanted = _tables(clean)
    clean.close()
    found = _tables(db)
    if missing := wanted.keys() - found.keys():
        return f"its table “{min(missing)}” is not there"
    if extra := found.keys() - wanted.keys():
        return f"it has a table “{visible(min(extra))}”, which no study has"
    for name, shape in wanted.items():
        for what, value in shape.items():
            if found[name][what] != value:
                return f"the {what} of its table “{name}” are not those of a study"
    return ""


def _tables(db: sqlite3.Connection) -> dict[str, Shape]:
    names = [
        row[0]
        for row in db.execute("SELECT name FROM sqlite_master WHERE type = 'table'")
        if not row[0].startswith(OWN_TABLES)
    ]
    return {name: _shape(db, name) for name in names}


def _shape(db: sqlite3.Connection, table: str) -> Shape:
    quoted = '"' + table.replace('"', '""') + '"'
    [text] = db.execute(
        "SELECT sql FROM sqlite_master WHERE type = 'table' AND name = ?", (table,)
    ).fetchone()
    indexes = []
    for _number, name, unique, origin, partial in db.execute(f"PRAGMA index_list({quoted})"):
        inner = '"' + name.replace('"', '""') + '"'
        columns = [tuple(row[1:]) for row in db.execute(f"PRAGMA index_xinfo({inner})")]
        indexes.append((unique, origin, partial, tuple(columns)))
    return {
        # A column that was added later stands last, so their order says nothing.
        "columns": {row[1]: tuple(row[2:]) for row in db.execute(f"PRAGMA table_xinfo({quoted})")},
        "references": {tuple(row[2:]) for row in db.execute(f"PRAGMA foreign_key_list({quoted})")},
        "indexes": sorted(_named(i, db, quoted) for i in indexes),
        "checks": sorted(_checks(text)),
        "options": sorted(re.sub(r"\s+", "", COMMENT.sub(" ", text)).rpartition(")")[2].upper().split(",")),
    }


def _named(index: tuple[object, ...], db: sqlite3.Connection, quoted: str) -> str:
    """An index by the names of its columns: their numbers differ where one was added later."""
    unique, origin, partial, columns = index
    assert isinstance(columns, tuple)
    said = [(name, descends, collation, key) for _number, name, descends, collation, key in columns if key]
    return repr((unique, origin, partial, said))


def _checks(text: str) -> list[str]:
    """Each CHECK of a statement, without its spaces."""
    plain, out = COMMENT.sub(" ", text), []
    for found in re.finditer(r"\bCHECK\s*\(", plain, re.IGNORECASE):
        depth, at = 1, found.end()
        while depth and at < len(plain):
            depth += {"(": 1, ")": -1}.get(plain[at], 0)
            at += 1
        out.append(re.sub(r"\s+", "", plain[found.end() : at - 1]))
    return out
