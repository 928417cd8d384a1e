"""What was found: runs, scores, preparations and parts, in the study file."""

import json
import sqlite3
from collections.abc import Sequence
from typing import Any

from ovrik.errors import OvrikError
from ovrik.store import rows
from ovrik.store.records import OUTSIDE_ROUND, Decision, PartRecord, Preparation, RunRecord, ScoreRecord
from ovrik.store.sittings_table import SittingsTable
from ovrik.store.study_file import now_utc, reading
from ovrik.study.excerpt import Excerpt
from ovrik.study.footage import Footage
from ovrik.study.many_objects import collecting_later
from ovrik.study.programme import Programme


class EvidenceTables(SittingsTable):
    """The tables of the evidence."""

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
        at: str = "",
    ) -> int:
        """Note that a run has started, now or at another moment, with its conditions; gives its number. Raises
        OvrikError in a sitting that is over."""
        self._check_present()
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
                at or now_utc(),
                self.sitting_id,
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

    def move_run(self, run_id: int, to: int, round_: int, conditions: dict[str, Any]) -> None:
        """Give an outside export that was matched to the wrong contender to another one, as a round of that one; its
        conditions say where it was."""
        with self._change() as db:
            db.execute(
                "UPDATE run SET contender_id = ?, round = ?, conditions = ? WHERE id = ? AND round <= ?",
                (to, round_, json.dumps(conditions), run_id, OUTSIDE_ROUND),
            )

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
    def runs(self, contender_id: int | None = None, every_sitting: bool = False) -> list[RunRecord]:
        """Runs in the order in which they were made, of one contender or of all, in the sitting that is spoken of or
        in every one."""
        asked = {"r.contender_id": contender_id, "r.sitting_id": None if every_sitting else self.sitting_id}
        given = {name: value for name, value in asked.items() if value is not None}
        where = f"WHERE {' AND '.join(f'{name} = ?' for name in given)}" if given else ""
        return [
            rows.run(r) for r in self._all(f"{rows.RUN_QUERY} {where} ORDER BY r.id", tuple(given.values()))
        ]

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
        return self._scored(row) if row else None

    @reading("scores")
    def scored_alike(self, output_sha256: str, reference: str) -> ScoreRecord | None:
        """The newest score of a file with this content against this reference, whoever wrote it, or None."""
        row = self._one(
            "SELECT * FROM score WHERE output_sha256 = ? AND reference = ? AND EXISTS "
            "(SELECT 1 FROM score_metric WHERE score_id = score.id) ORDER BY id DESC LIMIT 1",
            (output_sha256, reference),
        )
        return self._scored(row) if row else None

    def _scored(self, row: sqlite3.Row) -> ScoreRecord:
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

    def keep_decisions(self, made: Sequence[Decision], programme: Programme, excerpt: Excerpt) -> None:
        """Keep decisions about who is timed further, all of them or none."""
        with self._change() as db:
            for one in made:
                number = rows.programme_id(db, programme)
                rows.insert_decision(db, one, number, excerpt, now_utc(), self.sitting_id)

    @reading("decisions")
    def decisions(self, programme: str, excerpt: Excerpt) -> list[Decision]:
        """Decisions on this excerpt of the programme with this checksum, in the order in which they were made."""
        found = self._all(
            "SELECT n.* FROM decision n JOIN programme p ON p.id = n.programme_id "
            "WHERE p.checksum = ? AND n.start_frame = ? AND n.frames = ? AND n.sitting_id = ? ORDER BY n.id",
            (programme, excerpt.start_frame, excerpt.frames, self.sitting_id),
        )
        return [rows.decision(r) for r in found]

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
