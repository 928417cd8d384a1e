"""Open, create and check a study file; hold it against a second writer."""

import fcntl
import hashlib
import os
import sqlite3
from pathlib import Path
from typing import IO

from ovrik.errors import OvrikError
from ovrik.store.schema import APPLICATION_ID, MIGRATIONS, TABLES, VERSION

MAGIC = b"SQLite format 3\x00"


def connect(path: Path, create: bool = False) -> sqlite3.Connection:
    """A connection with foreign keys on and the write-ahead log in use.

    Raises OvrikError when the file is missing, is not a study, or is newer than this program.
    """
    _check_place(path, create)
    try:
        db = sqlite3.connect(path, isolation_level=None, check_same_thread=False, timeout=10)
        db.row_factory = sqlite3.Row
        db.execute("PRAGMA foreign_keys = ON")
        _check_kind(db, path, create)
        db.execute("PRAGMA journal_mode = WAL")
        db.execute("PRAGMA synchronous = FULL")
    except sqlite3.Error as exc:
        raise OvrikError(f"{path} can't be opened as a study ({exc})",
                         "Check the file, its folder's permissions and the free space") from None  # fmt: skip
    return db


def _check_place(path: Path, create: bool) -> None:
    if path.exists() and path.stat().st_size:
        with path.open("rb") as handle:
            if handle.read(16) != MAGIC:
                raise OvrikError(f"{path} is not a study file", "Choose a *.ovrik file")
    elif not create:
        raise OvrikError(f"{path} is not there", "Check the study's name")
    elif not path.parent.is_dir():
        raise OvrikError(f"The folder {path.parent} is not there", "Create it first")


def _check_kind(db: sqlite3.Connection, path: Path, create: bool) -> None:
    kind = db.execute("PRAGMA application_id").fetchone()[0]
    version = db.execute("PRAGMA user_version").fetchone()[0]
    empty = db.execute("SELECT count(*) FROM sqlite_master").fetchone()[0] == 0
    if empty and create:
        db.execute("BEGIN IMMEDIATE")
        for statement in TABLES.split(";\n"):
            if statement.strip():
                db.execute(statement)
        db.execute(f"PRAGMA application_id = {APPLICATION_ID}")
        db.execute(f"PRAGMA user_version = {VERSION}")
        db.execute("COMMIT")
        return
    if kind != APPLICATION_ID:
        raise OvrikError(f"{path} is a database, but not a study", "Choose a *.ovrik file")
    if version > VERSION:
        raise OvrikError(f"{path} was written by a newer Ovrik (schema {version})",
                         "Open it with that version")  # fmt: skip
    while version < VERSION:
        db.execute("BEGIN IMMEDIATE")
        MIGRATIONS[version](db)
        version += 1
        db.execute(f"PRAGMA user_version = {version}")
        db.execute("COMMIT")


def outputs_folder(study: Path) -> Path:
    """Where a study's output files live: beside it."""
    return study.with_name(study.stem + " outputs")


def outputs_within(folder: Path, study: Path) -> Path:
    """Where a study's output files live in a folder that was chosen for them: one of its own, whatever other study
    of the same name writes there too."""
    mark = hashlib.sha256(str(study.absolute()).encode()).hexdigest()[:8]
    return folder / f"{study.stem} outputs {mark}"


class Hold:
    """The right to time and score a study; only one process has it, and a kill lets it go."""

    def __init__(self, study: Path) -> None:
        self._study = study
        self._handle: IO[bytes] | None = None

    @property
    def held(self) -> bool:
        """Whether this process has the right."""
        return self._handle is not None

    def take(self) -> bool:
        """True when the right is ours now."""
        if self._handle is not None:
            return True
        folder = outputs_folder(self._study)
        try:
            folder.mkdir(parents=True, exist_ok=True)
            flags = os.O_RDWR | os.O_CREAT | os.O_CLOEXEC
            # Never inherited by an encoder: a program that outlives us must not keep the hold.
            handle = os.fdopen(os.open(folder / ".hold", flags, 0o644), "rb+")
        except OSError as exc:
            raise OvrikError(f"{folder} can't be written ({exc.strerror})",
                             "Check permissions and free space") from None  # fmt: skip
        try:
            fcntl.flock(handle, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except BlockingIOError:
            handle.close()
            return False
        self._handle = handle
        return True

    def release(self) -> None:
        """Give the right back."""
        if self._handle:
            self._handle.close()
            self._handle = None
