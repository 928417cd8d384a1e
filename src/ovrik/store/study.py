"""The study on disk: what is asked, and every run and score ever made for it."""

import os
import random
import sqlite3
from pathlib import Path

from ovrik.errors import OvrikError
from ovrik.store.schema.file import RESCUE, can_be_written, connect, connect_to_read, drive_failed
from ovrik.store.schema.migrations import FIRST_SITTING
from ovrik.store.schema.neighbours import LOGS
from ovrik.store.schema.row_sums import unmatched
from ovrik.store.schema.set_aside import named, set_aside
from ovrik.store.tables import ids
from ovrik.store.tables.carried import CarriedTable
from ovrik.store.tables.evidence import EvidenceTables
from ovrik.store.tables.kinds import KindsTable
from ovrik.store.tables.question import QuestionTables
from ovrik.store.tables.runs import RunTables
from ovrik.store.tables.study_file import now_utc, reading_rows
from ovrik.study.files.text_file import visible
from ovrik.study.files.whole_file import made_beside
from ovrik.study.programme.excerpt import Excerpt
from ovrik.study.programme.programme import Programme
from ovrik.study.question.limits import Limits


class Study(QuestionTables, RunTables, EvidenceTables, KindsTable, CarriedTable):
    """An open study: its question and its evidence."""

    @classmethod
    def create(
        cls,
        path: Path,
        title: str,
        programme: Programme,
        excerpt: Excerpt,
        rounds: int = 3,
        warmup: int = 1,
        limits: Limits | None = None,
        tie_band: float = 0.02,
    ) -> "Study":
        """A new study file. Raises OvrikError when a study is already there.

        It is made beside its place and put there when it is whole: one that is cut off leaves no study that is none.
        """
        if path.exists() and path.stat().st_size:
            connect(path).close()
            raise OvrikError(f"{path} is a study already", "Choose another name")
        if path.parent.is_dir() and not os.access(path.parent, os.W_OK):
            raise OvrikError(f"Nothing can be written in {path.parent}", "Choose another folder")
        try:
            with made_beside(path, LOGS) as making:
                study = cls(making, connect(making, create=True))
                study._begin(title, programme, excerpt, rounds, warmup, tie_band)
                study.set_limits(limits or Limits())
                study.close()
        except OSError as exc:
            raise OvrikError(
                f"{path} can't be written ({exc.strerror})", "Check the folder and free space"
            ) from None
        except OvrikError as exc:
            if not isinstance(exc.__context__, sqlite3.Error):
                raise
            raise drive_failed(path) from None
        return cls(path, connect(path))

    def _begin(
        self, title: str, programme: Programme, excerpt: Excerpt, rounds: int, warmup: int, tie_band: float
    ) -> None:
        with self._change() as db:
            found = ids.programme_id(db, programme)
            db.execute(
                "INSERT INTO study (id, title, created_utc, programme_id, start_frame, frames, rounds,"
                " warmup, tie_band, seed) VALUES (1,?,?,?,?,?,?,?,?,?)",
                (
                    visible(title),
                    now_utc(),
                    found,
                    excerpt.start_frame,
                    excerpt.frames,
                    rounds,
                    warmup,
                    tie_band,
                    random.SystemRandom().randrange(1 << 31),
                ),
            )
            db.execute(FIRST_SITTING)

    @classmethod
    def open(cls, path: Path) -> "Study":
        """An existing study file. Runs that a dead process left unfinished become interrupted."""
        study = cls._reader(path) if not can_be_written(path) and path.is_file() else cls._writer(path)
        try:
            study._look_over()
        except BaseException:
            study.close()
            raise
        return study

    def _look_over(self) -> None:
        if self._row("SELECT count(*) FROM study")[0] == 0:
            raise OvrikError(
                f"{self.path} holds no study: it was cut off while it was being made",
                "Delete it and make it again",
            )
        self._set_aside()
        self.read_only = self.read_only or self.sealed or bool(self.aside)
        self.close_interrupted()

    @reading_rows("rows")
    def _set_aside(self) -> None:
        """What is not as it was written is not read. Raises OvrikError where the question itself is not."""
        self.aside = tuple(unmatched(self._db))
        if self.aside and (asked := set_aside(self._db, self.aside)):
            why = f"{named(self.aside)}, and what is asked rests on {asked[0]}"
            raise OvrikError(f"{self.path} is damaged: {why}", RESCUE)

    @classmethod
    def _reader(cls, path: Path) -> "Study":
        study = cls(path, connect_to_read(path))
        study.read_only = True
        return study

    @classmethod
    def _writer(cls, path: Path) -> "Study":
        try:
            return cls(path, connect(path))
        except OvrikError as exc:
            full = isinstance(exc.__context__, sqlite3.OperationalError)
            if not full or not path.is_file():
                raise
            return cls._reader(path)  # the drive may be full: reading needs no room on it
