"""What can still be read of a damaged study is brought into a new one."""

import sqlite3
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path
from urllib.parse import quote

from ovrik.errors import OvrikError
from ovrik.store import rows
from ovrik.store.file import MAGIC, connect
from ovrik.store.schema import (
    FIRST_SITTING,
    ONCE_COLUMNS,
    ONCE_LIMITS,
    RENAMED,
    TABLES,
    limits_from_columns,
    metrics_from_columns,
)
from ovrik.store.search_table import search_point_from
from ovrik.store.seen_table import blind_from, pin_from
from ovrik.store.study import Study
from ovrik.store.study_file import DAMAGE
from ovrik.study.limits import limits_from
from ovrik.study.regular_file import regular

ORDER = [line.split()[2] for line in TABLES.splitlines() if line.startswith("CREATE TABLE")]


LOST_SITTINGS = (
    "INSERT OR IGNORE INTO sitting SELECT sitting_id, '', min(started_utc), '{}' FROM run GROUP BY sitting_id"
)
"""A sitting whose own row can't be read is still that of its runs."""


@dataclass(frozen=True)
class Rescued:
    """Fields: `kept` rows by table; `lost`, what could not be read or makes no sense, in words."""

    kept: dict[str, int]
    lost: tuple[str, ...]


def rescue(damaged: Path, into: Path) -> Rescued:
    """Copy every sound row into a new study at `into`; the damaged file is only read.

    Raises OvrikError when there is a file at `into` already, or when not even the question can be read.
    """
    regular(damaged)
    if into.exists():
        raise OvrikError(f"{into} is there already", "Choose another name")
    with damaged.open("rb") as handle:
        if handle.read(16) != MAGIC:
            raise OvrikError(
                f"{damaged} is not a study, or its first bytes are gone", "Nothing of it can be read"
            )
    old = sqlite3.connect(f"file:{quote(str(damaged.absolute()))}?mode=ro", uri=True)
    old.row_factory = sqlite3.Row
    new = connect(into, create=True)
    new.execute("PRAGMA foreign_keys = OFF")
    kept, lost = {}, list[str]()
    try:
        for table in ORDER:
            kept[table], problem = _copied(old, new, table)
            if problem:
                lost.append(problem)
        kept |= _scores_in_columns(old, new)
        _limits_in_columns(old, new)
        new.execute(FIRST_SITTING)
        new.execute(LOST_SITTINGS)
        lost += _senseless(new)
    finally:
        old.close()
        new.close()
    try:
        study = Study.open(into)
        study.facts(), study.programme(), study.contenders()
        study.close()
    except OvrikError as exc:
        into.unlink(missing_ok=True)
        raise OvrikError(
            f"Not even the question of {damaged} can be read ({exc.problem})",
            "Take a copy from before the damage",
        ) from None
    return Rescued(kept, tuple(lost))


def _copied(old: sqlite3.Connection, new: sqlite3.Connection, table: str) -> tuple[int, str]:
    """How many rows of a table were copied, and what stopped it."""
    wanted = [r[1] for r in new.execute(f"PRAGMA table_info({table})")]
    count, last, problem = 0, "", ""
    try:
        kind = old.execute("SELECT type FROM sqlite_master WHERE name = ?", (table,)).fetchone()
        if kind is None or kind[0] != "table":
            return 0, "" if kind is None else f"“{table}” is no table"
        there = [r[1] for r in old.execute(f"PRAGMA table_info({table})")]
        once = {new_name: name for name, new_name in RENAMED.items()}
        named = {n: n if n in there else once.get(n, "") for n in wanted}
        names = {n: source for n, source in named.items() if source in there}
        for row in _rows(old, table, list(names.values())):
            marks = ", ".join("?" * len(names))
            try:
                new.execute(f"INSERT OR IGNORE INTO {table} ({', '.join(names)}) VALUES ({marks})", row)
                count += 1
            except sqlite3.Error as exc:
                last = f"a row of “{table}” makes no sense ({exc})"
    except (sqlite3.Error, UnicodeError, OverflowError) as exc:
        problem = f"the rest of “{table}” can't be read ({exc})"
    return count, problem or last


def _scores_in_columns(old: sqlite3.Connection, new: sqlite3.Connection) -> dict[str, int]:
    """Scores as earlier schemas kept them, one column for each metric."""
    names = ("score_id", "frame", *ONCE_COLUMNS)
    new.execute(f"CREATE TEMP TABLE scored ({', '.join(names)})")
    try:
        if "vmaf" not in [r[1] for r in old.execute("PRAGMA table_info(frame_score)")]:
            return {}
        for row in _rows(old, "frame_score", list(names)):
            new.execute(f"INSERT INTO scored VALUES ({', '.join('?' * len(names))})", row)
    except (sqlite3.Error, UnicodeError, OverflowError):
        new.execute("DELETE FROM scored WHERE score_id = (SELECT max(score_id) FROM scored)")
    metrics_from_columns(new, "scored")
    return {
        t: int(new.execute(f"SELECT count(*) FROM {t}").fetchone()[0])
        for t in ("score_metric", "frame_score")
    }


def _limits_in_columns(old: sqlite3.Connection, new: sqlite3.Connection) -> None:
    """Limits as earlier schemas kept them; and excerpts, which were all of one programme."""
    new.execute(
        "UPDATE excerpt SET programme_id = (SELECT programme_id FROM study)"
        " WHERE programme_id NOT IN (SELECT id FROM programme)"
    )
    try:
        if not {r[1] for r in old.execute("PRAGMA table_info(study)")}.issuperset(ONCE_LIMITS):
            return
        new.execute(f"CREATE TEMP TABLE asked ({', '.join(ONCE_LIMITS)})")
        for row in _rows(old, "study", list(ONCE_LIMITS)):
            new.execute("INSERT INTO asked VALUES (?, ?, ?)", row)
        limits_from_columns(new, "asked")
    except (sqlite3.Error, UnicodeError, OverflowError):
        return


def _rows(old: sqlite3.Connection, table: str, names: list[str]) -> Iterator[tuple[object, ...]]:
    yield from (tuple(r) for r in old.execute(f"SELECT {', '.join(names)} FROM {table}"))


def _senseless(new: sqlite3.Connection) -> list[str]:
    """Drop rows that were copied but can't be understood; gives what they were."""
    lost = []
    for table, query, read in (
        ("run", f"{rows.RUN_QUERY} WHERE r.id = ?", rows.run),
        ("contender", "SELECT * FROM contender WHERE id = ?", rows.contender),
        ("pin", "SELECT * FROM pin WHERE id = ?", pin_from),
        ("blind", "SELECT * FROM blind WHERE id = ?", blind_from),
        ("search_point", "SELECT * FROM search_point WHERE id = ?", search_point_from),
    ):
        for (number,) in new.execute(f"SELECT id FROM {table}").fetchall():
            row = new.execute(query, (number,)).fetchone()
            try:
                if row is None:
                    raise ValueError("what it belongs to is gone")
                read(row)
            except DAMAGE as exc:
                new.execute(f"DELETE FROM {table} WHERE id = ?", (number,))
                lost.append(f"{table} {number} ({exc})")
    for key, value in new.execute("SELECT key, value FROM limit_value").fetchall():
        try:
            limits_from({key: value})
        except (OvrikError, *DAMAGE) as exc:
            new.execute("DELETE FROM limit_value WHERE key = ?", (key,))
            lost.append(f"limit “{key}” ({exc})")
    new.execute("DELETE FROM run WHERE contender_id NOT IN (SELECT id FROM contender)")
    new.execute("DELETE FROM score WHERE contender_id NOT IN (SELECT id FROM contender)")
    new.execute("DELETE FROM score_metric WHERE score_id NOT IN (SELECT id FROM score)")
    new.execute(
        "DELETE FROM score_metric WHERE (SELECT count(*) <> max(frame) + 1 FROM frame_score WHERE metric_id = id)"
        " OR length(series) % 8 <> 0"
    )
    new.execute("DELETE FROM frame_score WHERE metric_id NOT IN (SELECT id FROM score_metric)")
    new.execute("DELETE FROM trace WHERE run_id NOT IN (SELECT id FROM run)")
    for table in ("part", "preparation", "decision", "playback", "pin", "search_point"):
        new.execute(f"DELETE FROM {table} WHERE contender_id NOT IN (SELECT id FROM contender)")
    return lost
