"""What can still be read of a damaged study is brought into a new one."""

import json
import os
import shutil
import sqlite3
from collections.abc import Callable, Iterator
from contextlib import suppress
from dataclasses import dataclass
from pathlib import Path

from ovrik.errors import OvrikError
from ovrik.store.records.line_up import CONTENDERS
from ovrik.store.records.run import RUNS
from ovrik.store.records.searched import SEARCH_POINTS
from ovrik.store.records.seen import BLINDS, PINS
from ovrik.store.schema.file import MAGIC, connect, drive_failed
from ovrik.store.schema.migrations import (
    FIRST_SITTING,
    ONCE_COLUMNS,
    limits_from_columns,
    metrics_from_columns,
)
from ovrik.store.schema.neighbours import LOGS, WRITE_AHEAD
from ovrik.store.schema.rebuilt import ONCE_LIMITS, RENAMED, OldRow
from ovrik.store.schema.repaired import repair_schema
from ovrik.store.schema.row_sums import SUMS, Summed, sum_of, summed_tables
from ovrik.store.schema.set_aside import QUESTION
from ovrik.store.schema.tables import statements
from ovrik.store.schema.typed_facts import TYPED, changes_of
from ovrik.store.study import Study
from ovrik.store.tables.runs import RUN_QUERY
from ovrik.store.tables.study_file import DAMAGE
from ovrik.study.clip.footage import Footage
from ovrik.study.files.regular_file import open_regular, regular
from ovrik.study.files.scratch import scratch_folder
from ovrik.study.files.whole_file import made_beside
from ovrik.study.programme.programme import Programme
from ovrik.study.question.limits import limits_from

LOST_SITTINGS = (
    "INSERT OR IGNORE INTO sitting SELECT sitting_id, '', min(started_utc), '{}' FROM run GROUP BY sitting_id"
)
"""A sitting whose own row can't be read is still that of its runs."""

KEPT_ANYWAY = (*QUESTION, "programme")
OF_CONTENDER = "contender_id NOT IN (SELECT id FROM contender)"
BELONGS = {
    "run": OF_CONTENDER,
    "score": OF_CONTENDER,
    "score_metric": "score_id NOT IN (SELECT id FROM score) OR length(series) % 8 <> 0"
    " OR (SELECT count(*) <> max(frame) + 1 FROM frame_score WHERE metric_id = id)",
    "frame_score": "metric_id NOT IN (SELECT id FROM score_metric)",
    "trace": "run_id NOT IN (SELECT id FROM run)",
    **dict.fromkeys(("part", "preparation", "decision", "playback", "pin", "search_point"), OF_CONTENDER),
}
"""Rows that say nothing without others, by what they lack then; those first that others rest on."""


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
    with scratch_folder("rescue") as place:
        try:
            copy = _copied_aside(damaged, place)
        except OSError as exc:
            raise OvrikError(
                f"{damaged} can't be copied to {place} ({exc.strerror})",
                "Free some space there, or set TMPDIR to a folder with more",
            ) from None
        try:
            with made_beside(into, LOGS) as making:
                return _brought(damaged, copy, making)
        except OvrikError as exc:
            if isinstance(exc.__context__, sqlite3.OperationalError):
                raise drive_failed(into) from None
            raise
        except sqlite3.OperationalError:
            raise drive_failed(into) from None
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
    kept, lost = dict[str, int](), list[str]()
    try:
        with suppress(sqlite3.Error):
            repair_schema(old)
        old.row_factory = sqlite3.Row
        change = _changes(old)
        for table in (name for name in statements() if name != SUMS):
            lost += _copied(old, new, table, change.get(table, lambda row: row))
        _scores_in_columns(old, new)
        _limits_in_columns(old, new)
        new.execute(FIRST_SITTING)
        new.execute(LOST_SITTINGS)
        lost += _senseless(new)
        kept = {t: int(new.execute(f"SELECT count(*) FROM {t}").fetchone()[0]) for t in statements()}
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
) -> list[str]:
    """Copy a table's rows, each changed by `change`; gives what was not, and why."""
    wanted = {r[1] for r in new.execute(f"PRAGMA table_info({table})")}
    last, problem, damaged = "", "", list[str]()
    try:
        kind = old.execute("SELECT type FROM sqlite_master WHERE name = ?", (table,)).fetchone()
        if kind is None or kind[0] != "table":
            return [] if kind is None else [f"“{table}” is no table"]
        there = [r[1] for r in old.execute(f"PRAGMA table_info({table})")]
        sums, summed = _sums_of(old, table), next((t for t in summed_tables(old) if t.name == table), None)
        for values in _rows(old, table, there):
            key = _key_of(values, there, summed) if summed else ""
            if (known := sums.pop(key, None)) is not None and known != sum_of(*values):
                if not (mended := _mended(table, dict(zip(there, values, strict=True)), known, new)):
                    damaged.append(f"{table} {key} is not as written")
                    if table not in KEPT_ANYWAY:
                        continue
                    damaged[-1] += ", and was kept, since nothing can be said without it: look at it"
                values = tuple((mended or dict(zip(there, values, strict=True))).values())
            row = {RENAMED.get(k, k): v for k, v in zip(there, values, strict=True)}
            try:
                made = {k: v for k, v in change(row).items() if k in wanted}
                marks = ", ".join("?" * len(made))
                query = f"INSERT OR IGNORE INTO {table} ({', '.join(made)}) VALUES ({marks})"
                new.execute(query, tuple(made.values()))
            except DAMAGE as exc:
                if isinstance(exc, sqlite3.OperationalError):
                    raise _NoRoomError from exc
                last = f"a row of “{table}” makes no sense ({exc})"
        damaged += [f"{table} {key} is gone" for key in sums]
    except _NoRoomError as exc:
        raise exc.__cause__ or exc from None
    except (sqlite3.Error, UnicodeError, OverflowError) as exc:
        problem = f"the rest of “{table}” can't be read ({exc})"
    return [*damaged, *filter(None, (problem or last,))]


class _NoRoomError(Exception):
    """The new study can't be written: what is read is not to blame."""


def _sums_of(old: sqlite3.Connection, table: str) -> dict[str, int]:
    """Checksums of a table's rows, by their keys, as far as they can be read; none of an earlier schema."""
    out = dict[str, int]()
    with suppress(sqlite3.Error, UnicodeError, OverflowError):
        for key, number in old.execute(f"SELECT key, sum FROM {SUMS} WHERE place = ?", (table,)):
            out[key] = number
    return out


def _key_of(values: tuple[object, ...], there: list[str], table: Summed) -> str:
    """What a row's checksum is kept by."""
    row = dict(zip(there, values, strict=True))
    return "/".join(str(row[name]) for name in table.keys)


def _mended(table: str, row: OldRow, known: int, new: sqlite3.Connection) -> OldRow | None:
    """A damaged row put right, where what else is there says for certain how it was: its checksum."""
    if table != "programme":
        return None
    with suppress(*DAMAGE, OvrikError):
        edit = json.loads(row["edit"])
        clips = {r[0]: json.loads(r[1]) for r in new.execute("SELECT checksum, facts FROM footage")}
        made = Programme.from_json(edit, [Footage.from_json(clips[c]) for c in edit["clips"]])
        mended = row | {"checksum": made.checksum}
        return mended if sum_of(*mended.values()) == known else None
    return None


def _scores_in_columns(old: sqlite3.Connection, new: sqlite3.Connection) -> None:
    """Scores as earlier schemas kept them, one column for each metric."""
    names = ("score_id", "frame", *ONCE_COLUMNS)
    new.execute(f"CREATE TEMP TABLE scored ({', '.join(names)})")
    try:
        if "vmaf" not in [r[1] for r in old.execute("PRAGMA table_info(frame_score)")]:
            return
        for row in _rows(old, "frame_score", list(names)):
            new.execute(f"INSERT INTO scored VALUES ({', '.join('?' * len(names))})", row)
    except (sqlite3.Error, UnicodeError, OverflowError):
        new.execute("DELETE FROM scored WHERE score_id = (SELECT max(score_id) FROM scored)")
    metrics_from_columns(new, "scored")


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
    for name, rest in BELONGS.items():
        if count := new.execute(f"DELETE FROM {name} WHERE {rest}").rowcount:
            lost.append(f"{count} rows of {name}, which belonged to what is lost")
    new.execute("UPDATE study SET baseline_id = NULL WHERE baseline_id NOT IN (SELECT id FROM contender)")
    return lost
