"""The study file while it is open: one connection, changes that are whole, and rows that may be damaged."""

import sqlite3
import threading
from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager
from datetime import UTC, datetime
from functools import wraps
from pathlib import Path
from typing import Any, ParamSpec, TypeVar

from ovrik.errors import OvrikError, Stopped
from ovrik.store.records.damaged_row import DamagedRow
from ovrik.store.records.table import Record, Table
from ovrik.store.schema.file import RESCUE, Hold, outputs_folder
from ovrik.store.schema.set_aside import named
from ovrik.store.tables import ids
from ovrik.study.files.text_file import visible
from ovrik.study.programme.excerpt import Excerpt
from ovrik.study.programme.programme import Programme


def now_utc() -> str:
    """The present moment in ISO 8601, to the millisecond."""
    return datetime.now(UTC).isoformat(timespec="milliseconds")


DAMAGE = (
    sqlite3.Error,
    ValueError,
    KeyError,
    TypeError,
    IndexError,
    AttributeError,
    ArithmeticError,
    RecursionError,
)
"""What reading a row that was changed by another hand, or by a bad disk, can end in."""
Result = TypeVar("Result")
Given = ParamSpec("Given")


def reading_rows(what: str) -> Callable[[Callable[Given, Result]], Callable[Given, Result]]:
    """Turns whatever a damaged row makes of reading `what` into one clear line."""

    def wrap(read: Callable[Given, Result]) -> Callable[Given, Result]:
        @wraps(read)
        def guarded(*given: Given.args, **named: Given.kwargs) -> Result:
            try:
                return read(*given, **named)
            except DAMAGE as exc:
                path = getattr(given[0], "path", "the study")
                said = f"{type(exc).__name__}: {exc}".splitlines()[0][:160]
                raise OvrikError(
                    f"{path} is damaged: its {what} can't be read ({visible(said)})", RESCUE
                ) from exc

        return guarded

    return wrap


class StudyFile:
    """An open study file. Safe to use from several threads; every change is on disk at once."""

    def __init__(self, path: Path, db: sqlite3.Connection) -> None:
        self.path = path
        self.hold = Hold(outputs_folder(path))
        self._db = db
        self._lock = threading.RLock()
        self._shut = threading.Event()  # shared by whatever speaks of this file
        self.read_only = False
        self.aside: tuple[DamagedRow, ...] = ()
        self._outputs_in: str | None = None
        self._place: tuple[int, Excerpt] | None = None
        self._sitting: int | None = None

    def close(self) -> None:
        """Close the file."""
        self.hold.release()
        with self._lock:
            self._shut.set()
            self._db.close()

    @property
    def closed(self) -> bool:
        """Whether the file was closed, by whoever had it open."""
        return self._shut.is_set()

    @contextmanager
    def _change(self) -> Iterator[sqlite3.Connection]:
        if self.read_only and self._all("SELECT 1 FROM study WHERE sealed"):
            raise OvrikError(
                f"{self.path} was sent to be read only", "Begin a study of your own from its plan"
            )
        if self.aside:
            raise OvrikError(f"{self.path} is damaged and can't be changed: {named(self.aside)}", RESCUE)
        if self.read_only:
            raise OvrikError(
                f"{self.path} can't be written where it is", "Copy it to a folder that can be written"
            )
        with self._lock:
            try:
                self._db.execute("BEGIN IMMEDIATE")
                yield self._db
                self._db.execute("COMMIT")
            except sqlite3.Error as exc:
                self._roll_back()
                raise OvrikError(
                    f"{self.path} can't be written ({exc})",
                    "Free some space or check its drive; its contents are safe",
                ) from exc
            except BaseException:
                self._roll_back()
                raise

    @property
    def version(self) -> tuple[int, int]:
        """Another one after every change, by this process or by another."""
        return self._db.total_changes, int(self._all("PRAGMA data_version")[0][0])

    def _roll_back(self) -> None:
        if self._db.in_transaction:
            self._db.execute("ROLLBACK")

    @property
    def sitting_id(self) -> int:
        """Number of the sitting that is spoken of: the last one, unless another was asked for."""
        if self._sitting is not None:
            return self._sitting
        return self._last_sitting()

    @property
    def _programme_id(self) -> int:
        """Number of the programme that is spoken of."""
        return self._place[0] if self._place else int(self._row("SELECT programme_id FROM study")[0])

    def _last_sitting(self) -> int:
        return int(self._row("SELECT ifnull(max(id), 1) FROM sitting")[0])

    def _where(self, db: sqlite3.Connection, programme: Programme, excerpt: Excerpt) -> dict[str, int]:
        """Columns that say what was exported."""
        number = ids.programme_id(db, programme)
        return {"programme_id": number, "start_frame": excerpt.start_frame, "frames": excerpt.frames}

    def _in_place(
        self, table: Table[Record], programme: str, excerpt: Excerpt, of_sitting: bool = False
    ) -> list[Record]:
        """Records of this excerpt of the programme with this checksum, in the order in which they were made; of the
        sitting that is spoken of, or of all."""
        order = "ORDER BY n.id" if table.columns[0].name == "id" else ""
        found = self._all(
            f"SELECT n.* FROM {table.name} n JOIN programme p ON p.id = n.programme_id"
            f" WHERE p.checksum = ? AND n.start_frame = ? AND n.frames = ? {order}",
            (programme, excerpt.start_frame, excerpt.frames),
        )
        return [table.read(r) for r in found if not of_sitting or r["sitting_id"] == self.sitting_id]

    def _read(self, table: Table[Record], sql: str, values: Sequence[Any] = ()) -> list[Record]:
        """Records of the rows that are found, read as they come: of many, rows and records together would be twice
        the memory."""
        with self._lock:
            if self.closed:
                raise Stopped
            found = self._db.execute(sql, values)
            read = table.reader(tuple(column[0] for column in found.description))
            return [read(row) for row in found]

    def _one(self, sql: str, values: Sequence[Any] = ()) -> sqlite3.Row | None:
        return next(iter(self._all(sql, values)), None)

    def _row(self, sql: str) -> sqlite3.Row:
        """A row that every study has."""
        return self._all(sql)[0]

    def _all(self, sql: str, values: Sequence[Any] = ()) -> list[sqlite3.Row]:
        with self._lock:
            if self.closed:
                raise Stopped  # whoever is still reading works for a window that is gone
            return self._db.execute(sql, values).fetchall()
