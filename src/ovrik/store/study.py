"""The study on disk: what is asked, and every run and score ever made for it."""

import json
import random
import sqlite3
import threading
from collections.abc import Iterable, Iterator, Sequence
from contextlib import contextmanager
from dataclasses import replace
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

from ovrik.errors import OvrikError, Stopped
from ovrik.store import rows
from ovrik.store.file import Hold, connect, outputs_folder
from ovrik.store.records import RunRecord, ScoreRecord, StudyFacts
from ovrik.study.contender import Contender
from ovrik.study.described import Description
from ovrik.study.excerpt import Excerpt
from ovrik.study.footage import Footage
from ovrik.study.limits import Limits


def now_utc() -> str:
    """The present moment in ISO 8601, to the millisecond."""
    return datetime.now(UTC).isoformat(timespec="milliseconds")


class Study:
    """An open study file. Safe to use from several threads; every change is on disk at once."""

    def __init__(self, path: Path, db: sqlite3.Connection) -> None:
        self.path = path
        self.hold = Hold(path)
        self._db = db
        self._lock = threading.RLock()
        self.closed = False

    @classmethod
    def create(
        cls,
        path: Path,
        title: str,
        footage: Footage,
        excerpt: Excerpt,
        rounds: int = 3,
        warmup: int = 1,
        limits: Limits | None = None,
        tie_band: float = 0.02,
    ) -> "Study":
        """A new study file. Raises OvrikError when a study is already there."""  # fmt: skip
        study = cls(path, connect(path, create=True))
        with study._change() as db:
            if db.execute("SELECT count(*) FROM study").fetchone()[0]:
                raise OvrikError(f"{path} is a study already", "Choose another name")
            found = rows.footage_id(db, footage)
            db.execute(
                "INSERT INTO study (id, title, created_utc, footage_id, start_frame, frames, rounds,"
                " warmup, tie_band, seed) VALUES (1,?,?,?,?,?,?,?,?,?)",
                (title, now_utc(), found, excerpt.start_frame, excerpt.frames, rounds, warmup,
                 tie_band, random.SystemRandom().randrange(1 << 31)),
            )  # fmt: skip
        study.set_limits(limits or Limits())
        return study

    @classmethod
    def open(cls, path: Path) -> "Study":
        """An existing study file. Runs that a dead process left unfinished become interrupted."""
        study = cls(path, connect(path))
        if study._row("SELECT count(*) FROM study")[0] == 0:
            raise OvrikError(f"{path} holds no study: it was cut off while it was being made",
                             "Delete it and make it again")  # fmt: skip
        study.close_interrupted()
        return study

    def close(self) -> None:
        """Close the file."""
        self.hold.release()
        with self._lock:
            self.closed = True
            self._db.close()

    @contextmanager
    def _change(self) -> Iterator[sqlite3.Connection]:
        with self._lock:
            try:
                self._db.execute("BEGIN IMMEDIATE")
                yield self._db
                self._db.execute("COMMIT")
            except sqlite3.Error as exc:
                self._roll_back()
                raise OvrikError(f"{self.path} can't be written ({exc})",
                                 "Free some space or check its drive; what is in it is safe"
                                 ) from exc  # fmt: skip
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
        """Folder of the output files."""
        return outputs_folder(self.path)

    def facts(self) -> StudyFacts:
        """The study's own row."""
        return rows.study_facts(self._row("SELECT * FROM study"))

    def footage(self) -> Footage:
        """The footage as it was read when it was chosen."""
        row = self._row("SELECT f.path, f.facts FROM study s JOIN footage f ON f.id = s.footage_id")
        return replace(Footage.from_json(json.loads(row["facts"])), path=row["path"])

    def set_footage(self, footage: Footage, excerpt: Excerpt) -> None:
        """Choose other footage; runs of the old one stay, but no longer count."""
        with self._change() as db:
            found = rows.footage_id(db, footage)
            db.execute("UPDATE study SET footage_id = ?, start_frame = ?, frames = ?",
                       (found, excerpt.start_frame, excerpt.frames))  # fmt: skip

    def move_footage(self, path: Path) -> None:
        """The same footage now lies elsewhere."""
        with self._change() as db:
            db.execute("UPDATE footage SET path = ? WHERE id = (SELECT footage_id FROM study)",
                       (str(path),))  # fmt: skip

    def reseat_footage(self, footage: Footage, old_reference: str, new_reference: str) -> None:
        """The same footage, made anew, has other bytes: its runs and scores go with it."""
        with self._change() as db:
            db.execute("UPDATE footage SET path = ?, checksum = ?, facts = ? "
                       "WHERE id = (SELECT footage_id FROM study)",
                       (footage.path, footage.checksum, json.dumps(footage.to_json())))  # fmt: skip
            db.execute("UPDATE score SET reference = ? WHERE reference = ?",
                       (new_reference, old_reference))  # fmt: skip

    def set_excerpt(self, excerpt: Excerpt) -> None:
        """Choose another excerpt; runs of the old one stay, but no longer count."""
        with self._change() as db:
            db.execute("UPDATE study SET start_frame = ?, frames = ?",
                       (excerpt.start_frame, excerpt.frames))  # fmt: skip

    def set_limits(self, limits: Limits) -> None:
        """Change what makes an output acceptable."""
        with self._change() as db:
            db.execute("UPDATE study SET vmaf_mean = ?, vmaf_p5 = ?, megabytes_per_minute = ?",
                       (limits.vmaf_mean, limits.vmaf_p5, limits.megabytes_per_minute))  # fmt: skip

    def set_plan(self, title: str, rounds: int, warmup: int, tie_band: float) -> None:
        """Change the title and how much is to be timed."""
        with self._change() as db:
            db.execute("UPDATE study SET title = ?, rounds = ?, warmup = ?, tie_band = ?",
                       (title, rounds, warmup, tie_band))  # fmt: skip

    def set_baseline(self, contender_id: int) -> None:
        """Choose what the others are compared with."""
        with self._change() as db:
            db.execute("UPDATE study SET baseline_id = ?", (contender_id,))

    # The line-up

    def contenders(self, with_dropped: bool = False) -> list[Contender]:
        """Contenders in line-up order."""
        where = "" if with_dropped else "WHERE active"
        return [rows.contender(r) for r in
                self._all(f"SELECT * FROM contender {where} ORDER BY position, id")]  # fmt: skip

    def add_contender(self, contender: Contender) -> Contender:
        """Keep a contender; the result carries its number. The first one becomes the baseline."""
        with self._change() as db:
            made = rows.insert_contender(db, contender)
            db.execute("UPDATE study SET baseline_id = ? WHERE baseline_id IS NULL", (made.id,))
        return made

    def relabel(self, contenders: Iterable[Contender]) -> None:
        """Keep new labels."""
        with self._change() as db:
            db.executemany("UPDATE contender SET label = ?, label_given = ? WHERE id = ?",
                           [(c.label, int(c.label_given), c.id) for c in contenders])  # fmt: skip

    def place(self, ids: Sequence[int]) -> None:
        """Make exactly these contenders active, in this order."""
        with self._change() as db:
            db.execute("UPDATE contender SET active = 0")
            db.executemany("UPDATE contender SET active = 1, position = ? WHERE id = ?",
                           list(enumerate(ids)))  # fmt: skip

    def drop_contender(self, contender_id: int) -> None:
        """Take a contender out of the line-up. Its runs are evidence: they and it stay on file."""
        with self._change() as db:
            timed = db.execute("SELECT count(*) FROM run WHERE contender_id = ?",
                               (contender_id,)).fetchone()[0]  # fmt: skip
            heir = db.execute("SELECT id FROM contender WHERE active AND id <> ? "
                              "ORDER BY position, id LIMIT 1", (contender_id,)).fetchone()  # fmt: skip
            db.execute("UPDATE study SET baseline_id = ? WHERE baseline_id = ?",
                       (heir["id"] if heir else None, contender_id))  # fmt: skip
            if timed:
                db.execute("UPDATE contender SET active = 0 WHERE id = ?", (contender_id,))
            else:
                db.execute("DELETE FROM contender WHERE id = ?", (contender_id,))

    def change_contender(self, contender: Contender) -> Contender:
        """Keep changed settings. One that was timed is left as it is and a new one takes its place,
        so that a run always belongs to the settings it was made with."""
        old = next(c for c in self.contenders(True) if c.id == contender.id)
        if old.same_thing(contender) or not self.runs(contender.id):
            with self._change() as db:
                rows.update_contender(db, contender)
            return contender
        with self._change() as db:
            made = rows.insert_contender(db, replace(contender, id=0))
            db.execute("UPDATE contender SET position = (SELECT position FROM contender WHERE id = ?)"
                       " WHERE id = ?", (contender.id, made.id))  # fmt: skip
            db.execute("UPDATE contender SET active = 0 WHERE id = ?", (contender.id,))
            db.execute("UPDATE study SET baseline_id = ? WHERE baseline_id = ?",
                       (made.id, contender.id))  # fmt: skip
        return made

    def keep_programs(self, described: Iterable[Description]) -> None:
        """Let descriptions of programs travel with the study."""
        with self._change() as db:
            db.executemany("INSERT OR REPLACE INTO program VALUES (?,?)",
                           [(d.build_key, d.model_dump_json()) for d in described])  # fmt: skip

    def programs(self) -> list[Description]:
        """Descriptions that travel with the study; nothing is approved by that."""
        return [Description.model_validate_json(r["description"]) for r in self._all("SELECT * FROM program")]

    # The evidence

    def begin_run(self, contender_id: int, build: dict[str, Any], machine: dict[str, Any],
                  footage: Footage, excerpt: Excerpt, round_: int, warmup: bool,
                  argv: Sequence[str], output: str) -> int:  # fmt: skip
        """Note that a run has started, with its conditions; gives its number."""
        with self._change() as db:
            return rows.insert_run(
                db, contender_id, rows.build_id(db, build), rows.machine_id(db, machine),
                rows.footage_id(db, footage), excerpt, round_, warmup, argv, output, now_utc(),
            )  # fmt: skip

    def end_run(self, run_id: int, values: dict[str, Any]) -> None:
        """Complete a run that was begun; a run that is complete can't be changed."""
        with self._change() as db:
            names = ", ".join(f"{name} = ?" for name in values)
            done = db.execute(f"UPDATE run SET {names} WHERE id = ? AND state = 'running'",
                              (*values.values(), run_id))  # fmt: skip
            if done.rowcount != 1:
                raise OvrikError(f"Run {run_id} is complete already", "Runs are never edited")

    def close_interrupted(self) -> int:
        """Mark runs left unfinished by a process that is gone; gives how many."""
        if not self._all("SELECT 1 FROM run WHERE state = 'running' LIMIT 1"):
            return 0
        if self.hold.held or not self.hold.take():
            return 0  # A living process, perhaps this one, is at work on them.
        try:
            with self._change() as db:
                return db.execute(
                    "UPDATE run SET state = 'interrupted', reason = 'Ovrik ended during this run'"
                    " WHERE state = 'running'").rowcount  # fmt: skip
        finally:
            self.hold.release()

    def runs(self, contender_id: int | None = None) -> list[RunRecord]:
        """Runs in the order in which they were made, of one contender or of all."""
        where, values = ("", ()) if contender_id is None else ("WHERE r.contender_id = ?",
                                                               (contender_id,))  # fmt: skip
        return [rows.run(r) for r in self._all(f"{rows.RUN_QUERY} {where} ORDER BY r.id", values)]

    def machines(self) -> dict[int, dict[str, Any]]:
        """Machines that runs were made on, by number."""
        return {r["id"]: json.loads(r["facts"]) for r in self._all("SELECT * FROM machine")}

    def keep_score(self, score: ScoreRecord, build: dict[str, Any]) -> int:
        """Keep a checked output with its per-frame scores; gives its number."""
        with self._change() as db:
            return rows.insert_score(db, score, rows.build_id(db, build), now_utc())

    def score(self, contender_id: int, output_sha256: str, reference: str) -> ScoreRecord | None:
        """The check of one output against one reference, or None."""
        row = self._one(
            "SELECT * FROM score WHERE contender_id = ? AND output_sha256 = ? AND reference = ?",
            (contender_id, output_sha256, reference),
        )
        if row is None:
            return None
        frames = self._all("SELECT vmaf, psnr, ssim FROM frame_score WHERE score_id = ? "
                           "ORDER BY frame", (row["id"],))  # fmt: skip
        return rows.score(row, frames)

    # Thumbnails

    def thumbnails(self) -> dict[int, bytes]:
        """Small pictures of the footage, JPEG by frame number."""
        found = self._all(
            "SELECT frame, jpeg FROM thumbnail WHERE footage_id = (SELECT footage_id FROM study)"
        )
        return {r["frame"]: r["jpeg"] for r in found}

    def keep_thumbnails(self, pictures: dict[int, bytes]) -> None:
        """Keep small pictures of the footage."""
        with self._change() as db:
            footage = db.execute("SELECT footage_id FROM study").fetchone()[0]
            db.executemany("INSERT OR REPLACE INTO thumbnail VALUES (?,?,?)",
                           [(footage, n, jpeg) for n, jpeg in pictures.items()])  # fmt: skip
