"""What brings a study of each older schema to the next one."""

import json
import sqlite3
from collections.abc import Callable

from ovrik.store.schema.rebuilt import ONCE_LIMITS, RENAMED, rebuilt
from ovrik.store.schema.row_sums import SUMS, sum_all
from ovrik.store.schema.tables import INDEXES, statements
from ovrik.store.schema.typed_facts import typed_facts
from ovrik.study.clip.footage import Footage
from ovrik.study.programme.programme import of_clip


def _programs(db: sqlite3.Connection) -> None:
    db.execute("CREATE TABLE program (key TEXT PRIMARY KEY, description TEXT NOT NULL) STRICT")


def _programmes(db: sqlite3.Connection) -> None:
    """Every clip becomes the programme of that one clip, with the same number."""
    for name in ("programme", "excerpt", "complexity", "preparation"):
        db.execute(statements()[name])
    db.execute(INDEXES["preparation"])
    for row in db.execute("SELECT id, path, checksum, facts FROM footage").fetchall():
        made = of_clip(Footage.from_json(json.loads(row[3])))
        db.execute(
            "INSERT INTO programme VALUES (?,?,?)", (row[0], made.checksum, json.dumps(made.to_json()))
        )
    for column in (
        "decode TEXT NOT NULL DEFAULT 'software'",
        "treat TEXT NOT NULL DEFAULT 'software'",
        "prerendered TEXT",
    ):
        db.execute(f"ALTER TABLE contender ADD COLUMN {column}")
    rebuilt(db, "study")
    rebuilt(db, "run")


def _watching(db: sqlite3.Connection) -> None:
    """Runs learn their conditions, and what went on while they ran."""
    # A study of an older schema got the present columns when its tables were made anew.
    columns = {(t, r[1]) for t in ("study", "run") for r in db.execute(f"PRAGMA table_info({t})")}
    for table, column, usual in (
        ("study", "conduct", "{}"),
        ("run", "conditions", "{}"),
        ("run", "disturbed", ""),
        ("run", "fell_back", ""),
    ):
        if (table, column) not in columns:
            db.execute(f"ALTER TABLE {table} ADD COLUMN {column} TEXT NOT NULL DEFAULT '{usual}'")
    for name in ("trace", "part"):
        db.execute(statements()[name])


ONCE_COLUMNS = ("vmaf", "psnr", "ssim")


def metrics_from_columns(db: sqlite3.Connection, columns: str) -> None:
    """Fill the tables of metrics from one that has a column for each."""
    for metric in ONCE_COLUMNS:
        db.execute(
            "INSERT INTO score_metric (score_id, metric, version) SELECT s.id, ?, coalesce(b.version, '') "
            "FROM score s LEFT JOIN build b ON b.id = s.build_id "
            f"WHERE EXISTS (SELECT 1 FROM {columns} c WHERE c.score_id = s.id) ORDER BY s.id",
            (metric,),
        )
        db.execute(
            f"INSERT OR IGNORE INTO frame_score SELECT m.id, c.frame, c.{metric} FROM {columns} c "
            "JOIN score_metric m ON m.score_id = c.score_id AND m.metric = ?",
            (metric,),
        )


def _metrics(db: sqlite3.Connection) -> None:
    """A column for each metric becomes a row for each; times to a frame are called so."""
    db.execute("ALTER TABLE frame_score RENAME TO old_frame_score")
    for name in ("score_metric", "frame_score"):
        db.execute(statements()[name])
    metrics_from_columns(db, "old_frame_score")
    db.execute("DROP TABLE old_frame_score")
    for table in ("run", "part", "preparation"):
        for column in {r[1] for r in db.execute(f"PRAGMA table_info({table})")} & RENAMED.keys():
            db.execute(f"ALTER TABLE {table} RENAME COLUMN {column} TO {RENAMED[column]}")


def _decisions(db: sqlite3.Connection) -> None:
    db.execute(statements()["decision"])


def _playback(db: sqlite3.Connection) -> None:
    """What was played, a limit that asks for it, and each point of conformity."""
    db.execute(statements()["playback"])
    for table, column, kind in (
        ("study", "plays", "INTEGER NOT NULL DEFAULT 0"),
        ("score", "points", "TEXT NOT NULL DEFAULT '[]'"),
    ):
        if column not in {r[1] for r in db.execute(f"PRAGMA table_info({table})")}:
            db.execute(f"ALTER TABLE {table} ADD COLUMN {column} {kind}")


def _seen(db: sqlite3.Connection) -> None:
    """Scores in one piece each, notes pinned to frames, and blind comparisons."""
    if "series" not in {r[1] for r in db.execute("PRAGMA table_info(score_metric)")}:
        db.execute("ALTER TABLE score_metric ADD COLUMN series BLOB")
    if "unseen" not in {r[1] for r in db.execute("PRAGMA table_info(study)")}:
        db.execute("ALTER TABLE study ADD COLUMN unseen INTEGER NOT NULL DEFAULT 0")
    if "methods" not in {r[1] for r in db.execute("PRAGMA table_info(contender)")}:
        db.execute("ALTER TABLE contender ADD COLUMN methods TEXT NOT NULL DEFAULT '{}'")
    for name in ("pin", "blind"):
        db.execute(statements()[name])


def limits_from_columns(db: sqlite3.Connection, study: str) -> None:
    """A row for each limit that is set, from a table that has a column for each."""
    for key in ONCE_LIMITS:
        db.execute(
            f"INSERT OR IGNORE INTO limit_value SELECT ?, {key} FROM {study} WHERE {key} IS NOT NULL", (key,)
        )


def _choosing(db: sqlite3.Connection) -> None:
    """Limits of any kind, excerpts of several programmes, what times are worth, and searches for a quality."""
    for name in ("limit_value", "search_point"):
        db.execute(statements()[name])
    columns = {r[1] for r in db.execute("PRAGMA table_info(study)")}
    if columns.issuperset(ONCE_LIMITS):
        limits_from_columns(db, "study")
    for key in columns.intersection(ONCE_LIMITS):
        db.execute(f"ALTER TABLE study DROP COLUMN {key}")
    for table, column, kind in (
        ("study", "worth", "TEXT NOT NULL DEFAULT '{}'"),
        ("excerpt", "programme_id", "INTEGER NOT NULL DEFAULT 0"),
        ("excerpt", "weight", "REAL NOT NULL DEFAULT 1"),
    ):
        if column not in {r[1] for r in db.execute(f"PRAGMA table_info({table})")}:
            db.execute(f"ALTER TABLE {table} ADD COLUMN {column} {kind}")
    db.execute("UPDATE excerpt SET programme_id = (SELECT programme_id FROM study) WHERE programme_id = 0")
    if "author" in {r[1] for r in db.execute("PRAGMA table_info(pin)")}:
        db.execute("ALTER TABLE pin DROP COLUMN author")


FIRST_SITTING = "INSERT OR IGNORE INTO sitting SELECT 1, '', created_utc, '{}' FROM study"
"""What was timed before there were sittings was timed in the first one."""


def _sittings(db: sqlite3.Connection) -> None:
    """A study can be gone through again: each run and decision belongs to a sitting. It can carry its outputs."""
    for name in ("sitting", "carried"):
        db.execute(statements()[name])
    if "sealed" not in {r[1] for r in db.execute("PRAGMA table_info(study)")}:
        db.execute("ALTER TABLE study ADD COLUMN sealed INTEGER NOT NULL DEFAULT 0")
    for table in ("run", "decision"):
        if "sitting_id" not in {r[1] for r in db.execute(f"PRAGMA table_info({table})")}:
            db.execute(f"ALTER TABLE {table} ADD COLUMN sitting_id INTEGER NOT NULL DEFAULT 1")
    db.execute(FIRST_SITTING)


def _row_sums(db: sqlite3.Connection) -> None:
    """Each row gets a checksum. What is prepared was once of a kind more than there are."""
    db.execute(statements()[SUMS])
    rebuilt(db, "preparation", lambda row: row | {"kind": ONCE_KINDS.get(row["kind"], row["kind"])})
    sum_all(db)


ONCE_KINDS = {"entered": "pre-render"}
MIGRATIONS: dict[int, Callable[[sqlite3.Connection], None]] = {
    1: _programs,
    2: _programmes,
    3: _watching,
    4: _metrics,
    5: _decisions,
    6: _playback,
    7: _seen,
    8: _choosing,
    9: _sittings,
    10: typed_facts,
    11: _row_sums,
}
"""What brings a study of each older version to the next one."""
