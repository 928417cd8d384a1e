"""A copy of a study that is fit to be sent: one file, whole, with no folder named in it unless that is wanted."""

import json
import sqlite3
from collections.abc import Callable
from contextlib import closing
from pathlib import Path
from typing import Any
from urllib.parse import quote

from ovrik.errors import OvrikError
from ovrik.store.schema.row_sums import keep_sums

TEXTS = {
    "footage": ("path",),
    "build": ("path",),
    "run": ("reason",),
    "preparation": ("reason",),
    "score": ("problem",),
    "program": (),
}
JSONS = {
    "footage": ("facts",),
    "programme": ("edit",),
    "study": ("conduct",),
    "run": ("argv", "earlier_passes", "log", "conditions", "disturbed", "fell_back"),
    "decision": ("why",),
    "build": ("loads",),
    "preparation": ("argv",),
    "part": ("argv",),
    "score": ("faults", "facts", "points"),
    "machine": ("facts",),
}
"""Columns that may name folders: as texts, and within JSON."""


def copy_of(study: Path, into: Path) -> None:
    """All of a study as one file without a log beside it. Raises OvrikError."""
    try:
        with closing(sqlite3.connect(f"file:{quote(str(study.absolute()))}?mode=ro", uri=True)) as db:
            db.execute("PRAGMA trusted_schema = OFF")
            db.execute("VACUUM INTO ?", (str(into),))
        with closing(_made(into)) as db:  # a folder for outputs is one of the sender's machine
            db.execute("UPDATE study SET conduct = json_set(conduct, '$.outputs', '')")
            db.commit()
    except sqlite3.Error as exc:
        raise OvrikError(f"{into} can't be written ({exc})", "Check the folder and free space") from None


def _made(path: Path) -> sqlite3.Connection:
    """A copy that is Ovrik's own, for what is written into it to keep its checksum."""
    db = sqlite3.connect(path)
    keep_sums(db)
    return db


def without_places(path: Path, bare: Callable[[Any], Any]) -> None:
    """Make every text in a copy bare."""
    with closing(_made(path)) as db:
        for table, names in TEXTS.items():
            for name in names:
                _each(db, table, name, bare)
        for table, names in JSONS.items():
            for name in names:
                _each(db, table, name, lambda text: json.dumps(bare(json.loads(text)), sort_keys=True))
        db.commit()
        db.execute("VACUUM")


def _each(db: sqlite3.Connection, table: str, name: str, change: Callable[[Any], Any]) -> None:
    for key, text in db.execute(f"SELECT rowid, {name} FROM {table}").fetchall():
        if isinstance(text, str) and (made := change(text)) != text:
            # Two states of a machine that differed in a folder's name only are one now: the first stands for both.
            db.execute(f"UPDATE OR IGNORE {table} SET {name} = ? WHERE rowid = ?", (made, key))


def seal(path: Path) -> None:
    """Have a copy open to be read only."""
    with closing(_made(path)) as db:
        db.execute("UPDATE study SET sealed = 1")
        db.commit()
