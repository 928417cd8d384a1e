"""A schema whose stored text was damaged, put right in a copy: pages are read by the layouts that are known."""

import difflib
import re
import sqlite3
from contextlib import closing

from ovrik.store.schema.tables import INDEXES, statements

LIKE = 0.8
"""How much of a text has to be as it is known, to be taken for it."""
CONSTRAINT = re.compile(r"^(UNIQUE|PRIMARY|CHECK|FOREIGN)\b", re.IGNORECASE)


def repair_schema(db: sqlite3.Connection) -> list[str]:
    """Put right what of the stored schema makes no sense; gives the tables whose text was. The connection has to be
    one to a copy, which nothing was asked yet."""
    db.execute("PRAGMA writable_schema = ON")
    rows = db.execute("SELECT rowid, type, name, tbl_name, rootpage, sql FROM sqlite_master").fetchall()
    mended = []
    for rowid, kind, name, of, root, text in rows:
        table = _table_of(text)
        sound = (kind, name) == ("table", table) and _parses(text)
        if table is None or sound or not root:
            continue
        db.execute(
            "UPDATE sqlite_master SET type = 'table', name = ?, tbl_name = ?, sql = ? WHERE rowid = ?",
            (table, table, text if _parses(text) and _named(text) == table else _rebuilt(table, text), rowid),
        )
        # What SQLite made for what is unique in it goes by its name too.
        db.execute(
            "UPDATE sqlite_master SET tbl_name = ?, name = replace(name, ?, ?) WHERE tbl_name = ? AND sql IS NULL",
            (table, f"_{of}_", f"_{table}_", of),
        )
        mended.append(table)
    if mended:
        # Nothing else is needed to read the tables, and it may speak of one that goes by another name now.
        db.execute("DELETE FROM sqlite_master WHERE type <> 'table' AND sql IS NOT NULL")
    db.execute("PRAGMA writable_schema = RESET")
    return mended


def _table_of(text: object) -> str | None:
    """Which table a statement makes, by what it is most like; None for none."""
    if not isinstance(text, str) or text in INDEXES.values():
        return None
    known = statements()
    if (named := _named(text)) in known:
        return named
    like = {name: difflib.SequenceMatcher(None, text, known[name], False).ratio() for name in known}
    best = max(like, key=lambda name: like[name])
    return best if like[best] >= LIKE else None


def _named(text: str) -> str:
    found = re.match(r"\s*CREATE\s+TABLE\s+\"?(\w+)", text, re.IGNORECASE)
    return found[1] if found else ""


def _parses(text: str) -> bool:
    with closing(sqlite3.connect(":memory:")) as db:
        try:
            db.execute(text)
        except (sqlite3.Error, sqlite3.Warning):
            return False
    return True


def _rebuilt(table: str, damaged: str) -> str:
    """What makes the table, its columns in the order of the damaged text: those that were added later stand last."""
    known = statements()[table]
    own, tail = _parts(known)
    theirs = [part for part in _parts(damaged)[0] if not CONSTRAINT.match(part)]
    columns = [part for part in own if not CONSTRAINT.match(part)]
    order = [best[0] for part in theirs if (best := difflib.get_close_matches(part, columns, 1, LIKE))]
    if len(set(order)) != len(columns):
        return known
    return f"CREATE TABLE {table} ({', '.join([*order, *(p for p in own if CONSTRAINT.match(p))])}) {tail}"


def _parts(text: str) -> tuple[list[str], str]:
    """What stands between a statement's brackets, split at its commas, and what stands after them."""
    depth, at, out = 0, text.find("(") + 1, [""]
    while at < len(text):
        letter = text[at]
        if letter == ")" and not depth:
            break
        depth += {"(": 1, ")": -1}.get(letter, 0)
        if letter == "," and not depth:
            out.append("")
        else:
            out[-1] += letter
        at += 1
    return [" ".join(part.split()) for part in out], text[at + 1 :].strip()
