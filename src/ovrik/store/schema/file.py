"""Open, create and check a study file; hold it against a second writer."""

import fcntl
import hashlib
import os
import shutil
import sqlite3
from collections.abc import Iterator
from contextlib import ExitStack, closing, contextmanager
from pathlib import Path
from typing import IO
from urllib.parse import quote

from ovrik.errors import OvrikError, PassingTrouble
from ovrik.store.schema.exact import Bounded, not_the_schema, odd_in
from ovrik.store.schema.migrations import MIGRATIONS
from ovrik.store.schema.neighbours import WRITE_AHEAD, check_neighbours
from ovrik.store.schema.row_sums import keep_sums
from ovrik.store.schema.tables import APPLICATION_ID, INDEXES, VERSION, statements
from ovrik.study.files.kept import cache_folder
from ovrik.study.files.scratch import scratch_folder
from ovrik.study.files.text_file import visible

MAGIC = b"SQLite format 3\x00"


RESCUE = "Recover what can still be read: ovrik rescue, with its name and -o NEW"


def connect(path: Path, create: bool = False) -> sqlite3.Connection:
    """A connection with foreign keys on and the write-ahead log in use.

    Raises OvrikError when the file is missing, is not a study, is damaged, or is newer than this program.
    """
    _check_place(path, create)
    check_neighbours(path)
    try:
        with _prepared(str(path), create) as db:
            _check_kind(db, path, create)
            db.execute("PRAGMA journal_mode = WAL")
            db.execute("PRAGMA synchronous = FULL")
            keep_sums(db)
            return db
    except (sqlite3.Error, UnicodeError) as exc:
        raise OvrikError(f"{visible(str(path))} can't be opened as a study ({exc})", RESCUE) from None
    except (ValueError, KeyError, TypeError, ZeroDivisionError) as exc:
        raise OvrikError(
            f"{path} is damaged: it can't be brought up to the present schema ({exc})", RESCUE
        ) from None


def connect_to_read(path: Path) -> sqlite3.Connection:
    """A connection that writes nothing, not even beside the file: for folders and drives that can't be written.

    Raises OvrikError likewise, and on a study of an older schema, which would have to be changed to be read.
    """
    _check_place(path, False)
    check_neighbours(path)
    try:
        with ExitStack() as stack:
            there = _with_its_log(path, stack)
            name = f"file:{quote(str(there.absolute()))}?mode=ro&immutable=1"
            db = stack.enter_context(_prepared(name, False, uri=True))
            version = db.execute("PRAGMA user_version").fetchone()[0]
            if version != VERSION:
                raise OvrikError(
                    f"{path} is of schema {version} and can't be changed where it is",
                    "Copy it to a folder that can be written",
                )
            _check_kind(db, path, False)
            return db
    except sqlite3.Error as exc:
        raise OvrikError(f"{path} can't be opened as a study ({exc})", RESCUE) from None


def _with_its_log(path: Path, stack: ExitStack) -> Path:
    """Where the study can be read whole: where it is, or, where a log beside it holds what a kill left there, a copy
    that has taken that in; it is gone from its folder once it is open. Raises OvrikError."""
    log = Path(os.path.realpath(path) + WRITE_AHEAD)
    if not log.is_file() or not log.stat().st_size:
        return path
    try:
        copy = stack.enter_context(scratch_folder("read")) / "study"
        shutil.copyfile(path, copy)
        shutil.copyfile(log, f"{copy}{WRITE_AHEAD}")
        with closing(sqlite3.connect(copy)) as db:
            db.execute("PRAGMA trusted_schema = OFF")
            db.execute("PRAGMA journal_mode = DELETE").fetchall()
    except OSError as exc:
        raise OvrikError(
            f"{path} can't be read where it is: what its log holds can't be copied ({exc.strerror})",
            "Free some space for temporary files, or copy it to a folder that can be written",
        ) from None
    return copy


@contextmanager
def _prepared(name: str, create: bool, uri: bool = False) -> Iterator[Bounded]:
    """A connection, which is closed where it comes to nothing: one that is left open keeps what it knew of the log,
    and whoever opens the study next in this process would go by that."""
    db = sqlite3.connect(
        name, isolation_level=None, check_same_thread=False, timeout=10, uri=uri, factory=Bounded
    )
    try:
        _prepare(db, create)
        yield db
    except BaseException:
        db.close()
        raise


def _prepare(db: Bounded, create: bool) -> None:
    db.row_factory = sqlite3.Row
    # A file from a stranger may hold a schema of its own: nothing in it is to run, and no cell to be trusted.
    db.execute("PRAGMA trusted_schema = OFF")
    db.execute("PRAGMA cell_size_check = ON")
    db.execute("PRAGMA foreign_keys = ON")
    db.bound()
    if not create and (odd := odd_in(db)):
        raise sqlite3.DatabaseError(odd)


def drive_failed(path: Path) -> OvrikError:
    """That nothing more could be written where a new study was being made."""
    return OvrikError(
        f"{visible(str(path))} can't be made: its drive is full, or fails",
        f"Free some space in {visible(str(path.parent))}, or choose another folder",
    )


def can_be_written(path: Path) -> bool:
    """Whether a study can be written where it is."""
    return os.access(path, os.W_OK) and os.access(path.parent, os.W_OK)


def _check_place(path: Path, create: bool) -> None:
    if path.exists() and not path.is_file():
        raise OvrikError(f"{path} is no regular file", "Choose a *.ovrik file")
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
        for statement in (*statements().values(), *INDEXES.values()):
            db.execute(statement)
        db.execute(f"PRAGMA application_id = {APPLICATION_ID}")
        db.execute(f"PRAGMA user_version = {VERSION}")
        db.execute("COMMIT")
        return
    if kind != APPLICATION_ID:
        raise OvrikError(f"{path} is a database, but not a study", "Choose a *.ovrik file")
    if version > VERSION:
        raise OvrikError(
            f"{path} was written by a newer Ovrik (schema {version})", "Open it with that version"
        )
    if version < 1:
        raise OvrikError(f"{path} is damaged: it says schema {version}", RESCUE)
    db.execute("PRAGMA foreign_keys = OFF")  # a table that is made anew goes on being referred to
    while version < VERSION:
        db.execute("BEGIN IMMEDIATE")
        MIGRATIONS[version](db)
        version += 1
        db.execute(f"PRAGMA user_version = {version}")
        db.execute("COMMIT")
    db.execute("PRAGMA foreign_keys = ON")
    if odd := not_the_schema(db):
        raise OvrikError(f"{path} is damaged, or no study: {odd}", RESCUE)


def outputs_folder(study: Path) -> Path:
    """Where a study's output files live: beside it."""
    return study.with_name(study.stem + " outputs")


def own_folder(folder: Path) -> Path:
    """The same folder, which is there now and is no link: what Ovrik writes into one of its own would else go to
    wherever somebody wanted it. Raises OvrikError, OSError."""
    folder.mkdir(parents=True, exist_ok=True)
    if folder.is_symlink():
        raise OvrikError(
            f"{visible(str(folder))} is a link to another folder",
            "Remove the link, or choose a folder for outputs in Conditions",
        )
    return folder


def outputs_within(folder: Path, study: Path) -> Path:
    """Where a study's output files live in a folder that was chosen for them: one of its own, whatever other study
    of the same name writes there too."""
    mark = hashlib.sha256(str(study.absolute()).encode()).hexdigest()[:8]
    return folder / f"{study.stem} outputs {mark}"


class Hold:
    """The right to time and score a study, or to time on this machine; only one process has it, and a kill lets it
    go."""

    def __init__(self, folder: Path) -> None:
        self._folder = folder
        self._handle: IO[bytes] | None = None

    @property
    def held(self) -> bool:
        """Whether this process has the right."""
        return self._handle is not None

    @property
    def taken(self) -> bool:
        """Whether a living process has the right; nothing is written to know."""
        try:
            handle = os.open(self._folder / ".hold", os.O_RDONLY | os.O_NOFOLLOW | os.O_CLOEXEC)
        except OSError:
            return False
        try:
            fcntl.flock(handle, fcntl.LOCK_SH | fcntl.LOCK_NB)
            return False
        except OSError:
            return True
        finally:
            os.close(handle)

    def take(self) -> bool:
        """True when the right is ours now."""
        if self._handle is not None:
            return True
        folder = self._folder
        try:
            own_folder(folder)
            flags = os.O_RDWR | os.O_CREAT | os.O_CLOEXEC | os.O_NOFOLLOW
            # Never inherited by an encoder: a program that outlives us must not keep the hold.
            handle = os.fdopen(os.open(folder / ".hold", flags, 0o644), "rb+")
        except OSError as exc:
            raise OvrikError(
                f"{folder} can't be written ({exc.strerror})", "Check permissions and free space"
            ) from None
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


@contextmanager
def nothing_timed() -> Iterator[None]:
    """While nothing is timed or scored on this machine by another Ovrik, and none begins to. Raises PassingTrouble
    when something is."""
    hold = Hold(cache_folder("timing"))
    if not hold.take():
        raise PassingTrouble("Another Ovrik is timing or checking on this machine", "Wait until it has ended")
    try:
        yield
    finally:
        hold.release()
