"""What can still be read of a damaged study is brought into a new one."""

import os
import shutil
import sqlite3
import tempfile
from collections.abc import Callable, Iterator
from contextlib import suppress
from dataclasses import dataclass
from pathlib import Path

from ovrik.errors import OvrikError
from ovrik.store.records.line_up import CONTENDERS
from ovrik.store.records.run import RUNS
from ovrik.store.records.searched import SEARCH_POINTS
from ovrik.store.records.seen import BLINDS, PINS
from ovrik.store.schema.file import MAGIC, connect
from ovrik.store.schema.migrations import (
    FIRST_SITTING,
    ONCE_COLUMNS,
    limits_from_columns,
    metrics_from_columns,
)
from ovrik.store.schema.neighbours import LOGS, WRITE_AHEAD
from ovrik.store.schema.rebuilt import ONCE_LIMITS, RENAMED, OldRow
from ovrik.store.schema.repaired import repair_schema
from ovrik.store.schema.tables import statements
from ovrik.store.schema.typed_facts import TYPED, changes_of
from ovrik.store.study import Study
from ovrik.store.tables.runs import RUN_QUERY
from ovrik.store.tables.study_file import DAMAGE
from ovrik.study.files.regular_file import open_regular, regular
from ovrik.study.files.whole_file import made_beside
from ovrik.study.question.limits import limits_from

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
    if os.path.lexists(into):
        raise OvrikError(f"{into} is there already", "Choose another name")
    with open_regular(damaged) as handle:
        if handle.read(16) != MAGIC:
            raise OvrikError(
                f"{damaged} is not a study, or its first bytes are gone", "Nothing of it can be read"
            )
    with tempfile.TemporaryDirectory(prefix="ovrik-rescue-") as place:
        try:
            copy = _copied_aside(damaged, Path(place))
        except OSError as exc:
            raise OvrikError(
                f"{damaged} can't be copied to {place} ({exc.strerror})",
                "Free some space there, or set TMPDIR to a folder with more",
            ) from None
        try:
            with made_beside(into, LOGS) as making:
                return _brought(damaged, copy, making)
        except OSError as exc:
            raise OvrikError(
                f"{into} can't be written ({exc.strerror})", "Check the folder and free space"
            ) from None


def _copied_aside(damaged: Path, place: Path) -> Path:
    """A copy that may be put right: of the study, and of the log beside it that a kill left, where it is one."""
    copy = place / "damaged"
    for tail in ("", WRITE_AHEAD):
        beside = Path(os.path.realpath(damaged) + tail)
        if tail and (beside.is_symlink() or not beside.is_file()):
            continue
        with open_regular(beside) as source, open(f"{copy}{tail}", "xb") as out:
            shutil.copyfileobj(source, out)
    return copy


def _brought(damaged: Path, copy: Path, making: Path) -> Rescued:
    """What is sound in the copy is in the new study then."""
    old = sqlite3.connect(copy, isolation_level=None)
    new = connect(making, create=True)
    new.execute("PRAGMA foreign_keys = OFF")
    kept, lost = {}, list[str]()
    try:
        with suppress(sqlite3.Error):
            repair_schema(old)
        old.row_factory = sqlite3.Row
        change = _changes(old)
        for table in statements():
            kept[table], problem = _copied(old, new, table, change.get(table, lambda row: row))
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
        study = Study.open(making)
        study.facts(), study.programme(), study.contenders()
        study.close()
    except OvrikError as exc:
        why = exc.problem.replace(str(making), "it")
        raise OvrikError(
            f"Not even the question of {damaged} can be read ({why})", "Take a copy from before the damage"
        ) from None
    return Rescued(kept, tuple(lost))


def _changes(old: sqlite3.Connection) -> dict[str, Callable[[OldRow], OldRow]]:
    """What makes rows of an earlier schema ones of the present one; nothing where not even the schema can be read."""
    try:
        return changes_of(old) if old.execute("PRAGMA user_version").fetchone()[0] < TYPED else {}
    except DAMAGE:
        return {}


def _copied(
    old: sqlite3.Connection, new: sqlite3.Connection, table: str, change: Callable[[OldRow], OldRow]
) -> tuple[int, str]:
    """How many rows of a table were copied, each changed by `change`, and what stopped it."""
    wanted = {r[1] for r in new.execute(f"PRAGMA table_info({table})")}
    count, last, problem = 0, "", ""
    try:
        kind = old.execute("SELECT type FROM sqlite_master WHERE name = ?", (table,)).fetchone()
        if kind is None or kind[0] != "table":
            return 0, "" if kind is None else f"“{table}” is no table"
        there = [r[1] for r in old.execute(f"PRAGMA table_info({table})")]
        for values in _rows(old, table, there):
            row = {RENAMED.get(k, k): v for k, v in zip(there, values, strict=True)}
            try:
                made = {k: v for k, v in change(row).items() if k in wanted}
                marks = ", ".join("?" * len(made))
                query = f"INSERT OR IGNORE INTO {table} ({', '.join(made)}) VALUES ({marks})"
                new.execute(query, tuple(made.values()))
                count += 1
            except DAMAGE as exc:
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
    for table in (RUNS, CONTENDERS, PINS, BLINDS, SEARCH_POINTS):
        query = f"{RUN_QUERY} WHERE r.id = ?" if table is RUNS else f"SELECT * FROM {table.name} WHERE id = ?"
        for (number,) in new.execute(f"SELECT id FROM {table.name}").fetchall():
            row = new.execute(query, (number,)).fetchone()
            try:
                if row is None:
                    raise ValueError("what it belongs to is gone")
                table.read(row)
            except DAMAGE as exc:
                new.execute(f"DELETE FROM {table.name} WHERE id = ?", (number,))
                lost.append(f"{table.name} {number} ({exc})")
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
    for name in ("part", "preparation", "decision", "playback", "pin", "search_point"):
        new.execute(f"DELETE FROM {name} WHERE contender_id NOT IN (SELECT id FROM contender)")
    return lost
