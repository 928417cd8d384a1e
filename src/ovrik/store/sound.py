"""Whether a row holds what the schema says: a file that was damaged, or changed by another hand, need not."""

import json
import math
import re
import sqlite3
from datetime import datetime
from typing import Any

from ovrik.store.schema import TABLES

KINDS: dict[str, tuple[type, ...]] = {
    "TEXT": (str,),
    "INTEGER": (int,),
    "REAL": (float, int),
    "BLOB": (bytes,),
}
COLUMN = re.compile(r"^  (\w+) (TEXT|INTEGER|REAL|BLOB)( NOT NULL)?", re.MULTILINE)
COLUMNS = COLUMN.findall(TABLES)
EXPECTED = {name: KINDS[kind] for name, kind, _needed in COLUMNS}
NEEDED = {name for name, _kind, needed in COLUMNS if needed} - {
    name for name, _kind, needed in COLUMNS if not needed
}
MOMENTS = ("started_utc", "measured_utc", "made_utc", "began_utc")
MOST_FRAMES = 1 << 40


def sound(row: sqlite3.Row) -> sqlite3.Row:
    """The row itself. Raises ValueError naming the first column whose value can't be."""
    for name, value in zip(row.keys(), row, strict=True):
        if value is None:
            if name in NEEDED:
                raise ValueError(f"{name} is empty")
            continue
        wanted = EXPECTED.get(name)
        if wanted is not None and not isinstance(value, wanted):
            raise ValueError(f"{name} is {value!r}")
        if isinstance(value, float) and not math.isfinite(value):
            raise ValueError(f"{name} is {value}")
        if name in MOMENTS:
            _moment(name, value)
        if name in ("start_frame", "frames") and not 0 <= value < MOST_FRAMES:
            raise ValueError(f"{name} is {value}")
    return row


def _moment(name: str, text: str) -> None:
    if datetime.fromisoformat(text).tzinfo is None:
        raise ValueError(f"{name} is “{text}”, which names no time zone")


def texts(text: str) -> tuple[str, ...]:
    """A JSON list of texts. Raises ValueError on any other."""
    found = json.loads(text)
    if not isinstance(found, list) or not all(isinstance(part, str) for part in found):
        raise ValueError("what should be a list of texts is none")
    return tuple(found)


def mapping(text: str) -> dict[str, Any]:
    """A JSON object. Raises ValueError on anything else."""
    found = json.loads(text)
    if not isinstance(found, dict):
        raise ValueError("what should be an object is none")
    return found
