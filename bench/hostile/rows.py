"""What a bad drive may do to a study's rows."""

import sqlite3
from collections.abc import Iterator
from contextlib import closing
from functools import partial

from bench.hostile.case import ONE_LINE, Case, Place, on_study
from ovrik.store.schema.row_sums import UNKEYED, WITHOUT
from ovrik.store.schema.tables import statements


def by_a_bad_drive(script: str, place: Place) -> None:
    """Change rows without writing their checksums."""
    with closing(sqlite3.connect(place.study)) as db:
        db.execute("PRAGMA ignore_check_constraints = ON")
        db.executescript(script)


FILLED = (
    "footage",
    "programme",
    "study",
    "build",
    "machine",
    "contender",
    "sitting",
    "run",
    "score",
    "score_metric",
)
"""Tables of the sound study that hold rows."""


def changed_rows() -> Iterator[Case]:
    """What a drive may do to them."""
    with closing(sqlite3.connect(":memory:")) as clean:
        for statement in statements().values():
            clean.execute(statement)
        columns = {
            t: [tuple(row)[1:3] for row in clean.execute(f"PRAGMA table_info({t})")] for t in statements()
        }
    assert not {*FILLED} & {*WITHOUT, *UNKEYED}
    for table in FILLED:
        for column, kind in columns[table]:
            if column == "id":
                continue
            value = {"TEXT": f"ifnull({column}, '') || ' '", "BLOB": "x'00'"}.get(
                kind, f"ifnull({column}, 0) + 1000"
            )
            lay = partial(by_a_bad_drive, f"UPDATE {table} SET {column} = {value} WHERE rowid = 1")
            say = partial(on_study, "verdict")
            yield Case(
                "a changed row is seen", f"{table}.{column}", lay, say, codes=ONE_LINE, says="not as written"
            )
