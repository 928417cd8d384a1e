"""What rows refer to, by its number: footage, programmes, builds and machines, each kept once."""

import json
import os
import sqlite3
from typing import Any
from urllib.parse import quote_from_bytes, unquote_to_bytes

from ovrik.study.clip.footage import Footage
from ovrik.study.programme.programme import Programme

RAW_NAME = "bytes:"


def path_text(path: str) -> str:
    """A path as it can be kept as text: one whose bytes are no UTF-8 is written out byte by byte."""
    try:
        path.encode("utf-8")
    except UnicodeEncodeError:
        return RAW_NAME + quote_from_bytes(os.fsencode(path))
    return path


def path_of(text: str) -> str:
    """The inverse of `path_text`."""
    return os.fsdecode(unquote_to_bytes(text[len(RAW_NAME) :])) if text.startswith(RAW_NAME) else text


def footage_id(db: sqlite3.Connection, footage: Footage) -> int:
    """Number of the footage with this checksum, kept now if it is new."""
    found = db.execute("SELECT id FROM footage WHERE checksum = ?", (footage.checksum,)).fetchone()
    if found:
        return int(found[0])
    made = db.execute(
        "INSERT INTO footage (path, checksum, facts) VALUES (?,?,?)",
        (path_text(footage.path), footage.checksum, json.dumps(footage.to_json())),
    )
    return int(made.lastrowid or 0)


def programme_id(db: sqlite3.Connection, programme: Programme) -> int:
    """Number of a programme, kept now with its clips if it is new. One with the same checksum shows the
    same, so that its name and what was left out are brought up to date."""
    for clip in programme.clips:
        footage_id(db, clip)
    edit = json.dumps(programme.to_json())
    found = db.execute("SELECT id FROM programme WHERE checksum = ?", (programme.checksum,)).fetchone()
    if found:
        db.execute("UPDATE programme SET edit = ? WHERE id = ? AND edit <> ?", (edit, found[0], edit))
        return int(found[0])
    made = db.execute("INSERT INTO programme (checksum, edit) VALUES (?,?)", (programme.checksum, edit))
    return int(made.lastrowid or 0)


BUILD = ("key", "path", "version", "sha256")


def build_id(db: sqlite3.Connection, build: dict[str, Any]) -> int:
    """Number of a build, kept now if it is new: its file, and the libraries that it loads where those are known."""
    values = [*(build[k] for k in BUILD), build.get("identity", ""), json.dumps(build.get("loads", []))]
    db.execute(
        "INSERT OR IGNORE INTO build (key, path, version, sha256, identity, loads) VALUES (?,?,?,?,?,?)",
        values,
    )
    found = db.execute(
        "SELECT id FROM build WHERE key = ? AND path = ? AND sha256 = ? AND identity = ?",
        (values[0], values[1], values[3], values[4]),
    )
    return int(found.fetchone()[0])


def machine_id(db: sqlite3.Connection, machine: dict[str, Any]) -> int:
    """Number of a machine with exactly these facts, kept now if it is new."""
    facts = json.dumps(machine, sort_keys=True)
    db.execute("INSERT OR IGNORE INTO machine (facts) VALUES (?)", (facts,))
    return int(db.execute("SELECT id FROM machine WHERE facts = ?", (facts,)).fetchone()[0])
