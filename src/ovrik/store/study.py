"""The study on disk: what is asked, and every run and score ever made for it."""

import json
import os
import random
import sqlite3
import threading
from collections.abc import Callable, Iterable, Iterator, Sequence
from contextlib import contextmanager
from dataclasses import replace
from datetime import UTC, datetime
from functools import wraps
from pathlib import Path
from typing import Any, ParamSpec, TypeVar

from ovrik.errors import OvrikError, Stopped
from ovrik.store import rows
from ovrik.store.file import (
    RESCUE,
    Hold,
    can_be_written,
    connect,
    connect_to_read,
    outputs_folder,
    outputs_within,
)
from ovrik.store.records import PartRecord, Preparation, RunRecord, ScoreRecord, StudyFacts
from ovrik.study.conduct import Conduct
from ovrik.study.contender import Contender
from ovrik.study.described import Description
from ovrik.study.excerpt import Excerpt, NamedExcerpt
from ovrik.study.footage import Footage
from ovrik.study.limits import Limits
from ovrik.study.many_objects import collecting_later
from ovrik.study.programme import Programme
from ovrik.study.text_file import visible


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


def reading(what: str) -> Callable[[Callable[Given, Result]], Callable[Given, Result]]:
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


class Study:
    """An open study file. Safe to use from several threads; every change is on disk at once."""

    def __init__(self, path: Path, db: sqlite3.Connection) -> None:
        self.path = path
        self.hold = Hold(path)
        self._db = db
        self._lock = threading.RLock()
        self.closed = False
        self.read_only = False
        self._outputs_in: str | None = None

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
        making = path.with_name(f".ovrik-new-{os.getpid()}-{threading.get_ident()}")
        try:
            study = cls(making, connect(making, create=True))
            study._begin(title, programme, excerpt, rounds, warmup, tie_band)
            study.set_limits(limits or Limits())
            study.close()
            making.replace(path)
        except OSError as exc:
            raise OvrikError(
                f"{path} can't be written ({exc.strerror})", "Check the folder and free space"
            ) from None
        finally:
            for tail in ("", "-wal", "-shm"):
                Path(f"{making}{tail}").unlink(missing_ok=True)
        return cls(path, connect(path))

    def _begin(
        self, title: str, programme: Programme, excerpt: Excerpt, rounds: int, warmup: int, tie_band: float
    ) -> None:
        with self._change() as db:
            found = rows.programme_id(db, programme)
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

    @classmethod
    def open(cls, path: Path) -> "Study":
        """An existing study file. Runs that a dead process left unfinished become interrupted."""
        study = cls._reader(path) if not can_be_written(path) and path.is_file() else cls._writer(path)
        if study._row("SELECT count(*) FROM study")[0] == 0:
            raise OvrikError(
                f"{path} holds no study: it was cut off while it was being made",
                "Delete it and make it again",
            )
        study.close_interrupted()
        return study

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

    def close(self) -> None:
        """Close the file."""
        self.hold.release()
        with self._lock:
            self.closed = True
            self._db.close()

    @contextmanager
    def _change(self) -> Iterator[sqlite3.Connection]:
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

    def _roll_back(self) -> None:
        if self._db.in_transaction:
            self._db.execute("ROLLBACK")

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

    # The question

    @property
    def outputs(self) -> Path:
        """Folder of the output files: beside the study, or on the drive that was chosen."""
        if self._outputs_in is None:
            self._outputs_in = self.facts().conduct.outputs
        if self._outputs_in:
            return outputs_within(Path(self._outputs_in), self.path)
        return outputs_folder(self.path)

    @reading("question")
    def facts(self) -> StudyFacts:
        """The study's own row."""
        return rows.study_facts(self._row("SELECT * FROM study"))

    @reading("programme")
    def programme(self) -> Programme:
        """The edit that is exported, its clips as they were read when they were chosen."""
        row = self._row("SELECT p.edit FROM study s JOIN programme p ON p.id = s.programme_id")
        edit = json.loads(row["edit"])
        known = {r["checksum"]: r for r in self._all("SELECT path, checksum, facts FROM footage")}
        clips = [
            replace(Footage.from_json(json.loads(known[c]["facts"])), path=rows.path_of(known[c]["path"]))
            for c in edit["clips"]
        ]
        return Programme.from_json(edit, clips)

    def set_programme(self, programme: Programme, excerpt: Excerpt) -> None:
        """Choose another programme; runs of the old one stay, but no longer count. Excerpts kept by name
        go, unless they lie within the new one."""
        with self._change() as db:
            found = rows.programme_id(db, programme)
            db.execute(
                "UPDATE study SET programme_id = ?, start_frame = ?, frames = ?",
                (found, excerpt.start_frame, excerpt.frames),
            )
            db.execute("DELETE FROM excerpt WHERE start_frame + frames > ?", (programme.frames,))

    def move_footage(self, path: Path, checksum: str = "") -> None:
        """The clip with this checksum (the only one, if none is named) now lies elsewhere."""
        checksum = checksum or self.programme().clips[0].checksum
        with self._change() as db:
            db.execute(
                "UPDATE footage SET path = ? WHERE checksum = ?", (rows.path_text(str(path)), checksum)
            )

    def reseat_clip(self, old: Footage, new: Footage, references: dict[str, str]) -> None:
        """A clip, made anew, has other bytes: programmes, runs and scores go with it. `references` are
        the new keys by the old ones."""
        edits = self._all("SELECT id, edit FROM programme")
        with self._change() as db:
            db.execute(
                "UPDATE footage SET path = ?, checksum = ?, facts = ? WHERE checksum = ?",
                (rows.path_text(new.path), new.checksum, json.dumps(new.to_json()), old.checksum),
            )
            clips = {
                r["checksum"]: Footage.from_json(json.loads(r["facts"]))
                for r in db.execute("SELECT checksum, facts FROM footage")
            }
            for row in edits:
                edit = json.loads(row["edit"].replace(old.checksum, new.checksum))
                made = Programme.from_json(edit, [clips[c] for c in edit["clips"]])
                db.execute(
                    "UPDATE programme SET checksum = ?, edit = ? WHERE id = ?",
                    (made.checksum, json.dumps(edit), row["id"]),
                )
            db.executemany(
                "UPDATE score SET reference = ? WHERE reference = ?",
                [(fresh, stale) for stale, fresh in references.items()],
            )

    @reading("excerpts")
    def excerpts(self) -> list[NamedExcerpt]:
        """The excerpts kept by name; empty when the study has only the present one."""
        return [
            NamedExcerpt(r["id"], r["name"], Excerpt(r["start_frame"], r["frames"]))
            for r in self._all("SELECT * FROM excerpt ORDER BY start_frame, id")
        ]

    def keep_excerpt(self, name: str, excerpt: Excerpt) -> None:
        """Keep an excerpt by name, in place of one with the same name or the same frames."""
        with self._change() as db:
            db.execute(
                "DELETE FROM excerpt WHERE name = ? OR (start_frame = ? AND frames = ?)",
                (name, excerpt.start_frame, excerpt.frames),
            )
            db.execute(
                "INSERT INTO excerpt (name, start_frame, frames) VALUES (?,?,?)",
                (name, excerpt.start_frame, excerpt.frames),
            )

    def drop_excerpt(self, excerpt_id: int) -> None:
        """Forget a name; its runs stay."""
        with self._change() as db:
            db.execute("DELETE FROM excerpt WHERE id = ?", (excerpt_id,))

    def set_excerpt(self, excerpt: Excerpt) -> None:
        """Choose another excerpt; runs of the old one stay, but no longer count."""
        with self._change() as db:
            db.execute("UPDATE study SET start_frame = ?, frames = ?", (excerpt.start_frame, excerpt.frames))

    def set_limits(self, limits: Limits) -> None:
        """Change what makes an output acceptable."""
        with self._change() as db:
            db.execute(
                "UPDATE study SET vmaf_mean = ?, vmaf_p5 = ?, megabytes_per_minute = ?",
                (limits.vmaf_mean, limits.vmaf_p5, limits.megabytes_per_minute),
            )

    def set_plan(self, title: str, rounds: int, warmup: int, tie_band: float) -> None:
        """Change the title and how much is to be timed."""
        with self._change() as db:
            db.execute(
                "UPDATE study SET title = ?, rounds = ?, warmup = ?, tie_band = ?",
                (title, rounds, warmup, tie_band),
            )

    def set_tie_band(self, band: float) -> None:
        """Change how far from 1 a speed may lie to be a tie."""
        with self._change() as db:
            db.execute("UPDATE study SET tie_band = ?", (band,))

    def set_conduct(self, conduct: Conduct) -> None:
        """Change how runs are made."""
        with self._change() as db:
            db.execute("UPDATE study SET conduct = ?", (json.dumps(conduct.to_json()),))
        self._outputs_in = conduct.outputs

    def set_baseline(self, contender_id: int) -> None:
        """Choose what the others are compared with."""
        with self._change() as db:
            db.execute("UPDATE study SET baseline_id = ?", (contender_id,))

    def keep_complexity(
        self, programme: Programme, places: Sequence[int], si: Sequence[float], ti: Sequence[float]
    ) -> None:
        """Keep SI and TI measured at these frames of a programme."""
        with self._change() as db:
            db.execute(
                "INSERT OR REPLACE INTO complexity VALUES (?,?,?,?)",
                (
                    rows.programme_id(db, programme),
                    json.dumps(list(places)),
                    json.dumps(list(si)),
                    json.dumps(list(ti)),
                ),
            )

    @reading("complexity")
    def complexity(self) -> tuple[list[int], list[float], list[float]] | None:
        """Places, SI and TI of the present programme, or None while it was not measured."""
        row = self._one("SELECT c.* FROM complexity c JOIN study s ON s.programme_id = c.programme_id")
        return (json.loads(row["places"]), json.loads(row["si"]), json.loads(row["ti"])) if row else None

    # The line-up

    @reading("line-up")
    def contenders(self, with_dropped: bool = False) -> list[Contender]:
        """Contenders in line-up order."""
        where = "" if with_dropped else "WHERE active"
        return [
            rows.contender(r) for r in self._all(f"SELECT * FROM contender {where} ORDER BY position, id")
        ]

    def add_contender(self, contender: Contender) -> Contender:
        """Keep a contender; the result carries its number. The first one becomes the baseline."""
        return self.add_contenders([contender])[0]

    def add_contenders(self, contenders: Iterable[Contender]) -> list[Contender]:
        """Keep many contenders at once, or none."""
        with self._change() as db:
            made = [rows.insert_contender(db, c) for c in contenders]
            if made:
                db.execute("UPDATE study SET baseline_id = ? WHERE baseline_id IS NULL", (made[0].id,))
        return made

    def relabel(self, contenders: Iterable[Contender]) -> None:
        """Keep new labels."""
        with self._change() as db:
            db.executemany(
                "UPDATE contender SET label = ?, label_given = ? WHERE id = ?",
                [(c.label, int(c.label_given), c.id) for c in contenders],
            )

    def place(self, ids: Sequence[int]) -> None:
        """Make exactly these contenders active, in this order."""
        with self._change() as db:
            db.execute("UPDATE contender SET active = 0")
            db.executemany("UPDATE contender SET active = 1, position = ? WHERE id = ?", list(enumerate(ids)))

    def drop_contender(self, contender_id: int) -> None:
        """Take a contender out of the line-up. Its runs are evidence: they and it stay on file."""
        with self._change() as db:
            timed = self.has_evidence(contender_id)
            heir = db.execute(
                "SELECT id FROM contender WHERE active AND id <> ? ORDER BY position, id LIMIT 1",
                (contender_id,),
            ).fetchone()
            db.execute(
                "UPDATE study SET baseline_id = ? WHERE baseline_id = ?",
                (heir["id"] if heir else None, contender_id),
            )
            if timed:
                db.execute("UPDATE contender SET active = 0 WHERE id = ?", (contender_id,))
            else:
                db.execute("DELETE FROM contender WHERE id = ?", (contender_id,))

    def change_contender(self, contender: Contender) -> Contender:
        """Keep changed settings. One that was timed, tried, prepared or timed in parts is left as it is and a new
        one takes its place, so that evidence always belongs to the settings it was made with."""
        old = next(c for c in self.contenders(True) if c.id == contender.id)
        if old.same_thing(contender) or not self.has_evidence(contender.id):
            with self._change() as db:
                rows.update_contender(db, contender)
            return contender
        with self._change() as db:
            made = rows.insert_contender(db, replace(contender, id=0))
            db.execute(
                "UPDATE contender SET position = (SELECT position FROM contender WHERE id = ?) WHERE id = ?",
                (contender.id, made.id),
            )
            db.execute("UPDATE contender SET active = 0 WHERE id = ?", (contender.id,))
            db.execute("UPDATE study SET baseline_id = ? WHERE baseline_id = ?", (made.id, contender.id))
        return made

    def has_evidence(self, contender_id: int) -> bool:
        """Whether anything was ever timed of a contender."""
        return any(
            self._all(f"SELECT 1 FROM {table} WHERE contender_id = ? LIMIT 1", (contender_id,))
            for table in ("run", "preparation", "part", "score")
        )

    def keep_programs(self, described: Iterable[Description]) -> None:
        """Let descriptions of programs travel with the study."""
        with self._change() as db:
            db.executemany(
                "INSERT OR REPLACE INTO program VALUES (?,?)",
                [(d.build_key, d.model_dump_json()) for d in described],
            )

    @reading("programs")
    def programs(self) -> list[Description]:
        """Descriptions that travel with the study; nothing is approved by that."""
        return [Description.model_validate_json(r["description"]) for r in self._all("SELECT * FROM program")]

    # The evidence

    def begin_run(
        self,
        contender_id: int,
        build: dict[str, Any],
        machine: dict[str, Any],
        programme: Programme,
        excerpt: Excerpt,
        round_: int,
        warmup: bool,
        commands: Sequence[Sequence[str]],
        output: str,
    ) -> int:
        """Note that a run has started, with its conditions; gives its number."""
        with self._change() as db:
            return rows.insert_run(
                db,
                contender_id,
                rows.build_id(db, build),
                rows.machine_id(db, machine),
                rows.programme_id(db, programme),
                excerpt,
                round_,
                warmup,
                commands,
                output,
                now_utc(),
            )

    def end_run(self, run_id: int, values: dict[str, Any], series: bytes = b"") -> None:
        """Complete a run that was begun, with the series of what went on; a run that is complete can't be
        changed."""
        with self._change() as db:
            names = ", ".join(f"{name} = ?" for name in values)
            done = db.execute(
                f"UPDATE run SET {names} WHERE id = ? AND state = 'running'", (*values.values(), run_id)
            )
            if done.rowcount != 1:
                raise OvrikError(f"Run {run_id} is complete already", "Runs are never edited")
            if series:
                db.execute("INSERT INTO trace VALUES (?,?)", (run_id, series))
        self._settle()

    def _settle(self) -> None:
        """Bring what is in the write-ahead log into the file itself, so that the file alone is the study."""
        with self._lock:
            try:
                self._db.execute("PRAGMA wal_checkpoint(TRUNCATE)").fetchall()
            except sqlite3.Error:
                return  # it is safe in the log, and goes over with the next run

    @reading("traces")
    def series(self, run_id: int) -> bytes | None:
        """The packed series of a run, or None where there is none."""
        row = self._one("SELECT series FROM trace WHERE run_id = ?", (run_id,))
        return bytes(row["series"]) if row else None

    def close_interrupted(self) -> int:
        """Mark runs left unfinished by a process that is gone; gives how many."""
        if self.read_only or not self._all("SELECT 1 FROM run WHERE state = 'running' LIMIT 1"):
            return 0
        if self.hold.held or not self.hold.take():
            return 0  # A living process, perhaps this one, is at work on them.
        try:
            with self._change() as db:
                return db.execute(
                    "UPDATE run SET state = 'interrupted', reason = 'Ovrik ended during this run'"
                    " WHERE state = 'running'"
                ).rowcount
        finally:
            self.hold.release()

    @reading("runs")
    @collecting_later()
    def runs(self, contender_id: int | None = None) -> list[RunRecord]:
        """Runs in the order in which they were made, of one contender or of all."""
        where, values = ("", ()) if contender_id is None else ("WHERE r.contender_id = ?", (contender_id,))
        return [rows.run(r) for r in self._all(f"{rows.RUN_QUERY} {where} ORDER BY r.id", values)]

    @reading("machines")
    def machines(self) -> dict[int, dict[str, Any]]:
        """Machines that runs were made on, by number."""
        return {r["id"]: json.loads(r["facts"]) for r in self._all("SELECT * FROM machine")}

    def keep_score(self, score: ScoreRecord, build: dict[str, Any]) -> int:
        """Keep a checked output with its per-frame scores; gives its number."""
        with self._change() as db:
            return rows.insert_score(db, score, rows.build_id(db, build), now_utc())

    @reading("scores")
    def score(self, contender_id: int, output_sha256: str, reference: str) -> ScoreRecord | None:
        """The check of one output against one reference, or None."""
        row = self._one(
            "SELECT * FROM score WHERE contender_id = ? AND output_sha256 = ? AND reference = ?",
            (contender_id, output_sha256, reference),
        )
        if row is None:
            return None
        metrics = self._all("SELECT * FROM score_metric WHERE score_id = ? ORDER BY id", (row["id"],))
        frames = self._all(
            "SELECT f.* FROM frame_score f JOIN score_metric m ON m.id = f.metric_id WHERE m.score_id = ? "
            "ORDER BY f.metric_id, f.frame",
            (row["id"],),
        )
        return rows.score(row, metrics, frames)

    def keep_preparation(
        self, made: Preparation, programme: Programme, build: dict[str, Any], machine: dict[str, Any]
    ) -> None:
        """Keep a preparation that has ended."""
        with self._change() as db:
            rows.insert_preparation(
                db,
                made,
                rows.programme_id(db, programme),
                rows.build_id(db, build),
                rows.machine_id(db, machine),
                now_utc(),
            )

    @reading("preparations")
    def preparations(self, kind: str = "") -> list[Preparation]:
        """Preparations in the order in which they were made, of one kind or of all."""
        return [
            rows.preparation(r)
            for r in self._all(
                "SELECT n.*, p.checksum FROM preparation n JOIN programme p ON p.id = n.programme_id "
                "WHERE ? IN ('', n.kind) ORDER BY n.id",
                (kind,),
            )
        ]

    def keep_part(self, made: PartRecord, programme: Programme) -> None:
        """Keep a timed part of an export."""
        with self._change() as db:
            rows.insert_part(db, made, rows.programme_id(db, programme), now_utc())

    @reading("parts")
    def parts(self) -> list[PartRecord]:
        """Timed parts in the order in which they were made."""
        found = self._all(
            "SELECT n.*, p.checksum FROM part n JOIN programme p ON p.id = n.programme_id ORDER BY n.id"
        )
        return [rows.part(r) for r in found]

    # Thumbnails

    @reading("thumbnails")
    def thumbnails(self) -> dict[tuple[str, int], bytes]:
        """Small frames of the clips, JPEG by clip checksum and the clip's own frame."""
        found = self._all(
            "SELECT f.checksum, t.frame, t.jpeg FROM thumbnail t JOIN footage f ON f.id = t.footage_id"
        )
        return {(r["checksum"], r["frame"]): r["jpeg"] for r in found}

    def keep_thumbnails(self, clip: Footage, pictures: dict[int, bytes]) -> None:
        """Keep small frames of a clip."""
        with self._change() as db:
            number = rows.footage_id(db, clip)
            db.executemany(
                "INSERT OR REPLACE INTO thumbnail VALUES (?,?,?)",
                [(number, n, jpeg) for n, jpeg in pictures.items()],
            )
