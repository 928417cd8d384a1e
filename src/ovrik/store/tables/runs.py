"""Runs, and the series of what went on while they ran, in the study file."""

import json
import sqlite3
from dataclasses import replace
from typing import Any

from ovrik.errors import OvrikError
from ovrik.store.records.run import RUNS, RunRecord
from ovrik.store.schema.row_sums import trace_matches
from ovrik.store.tables import ids
from ovrik.store.tables.sittings import SittingsTable
from ovrik.store.tables.study_file import now_utc, reading_rows
from ovrik.study.facts.origin import Origin
from ovrik.study.files.many_objects import collecting_later
from ovrik.study.programme.programme import Programme

RUN_QUERY = (
    "SELECT r.*, ifnull(b.version, '') AS build_version, ifnull(b.sha256, '') AS build_sha256,"
    " ifnull(b.identity, '') AS build_identity,"
    " p.checksum AS programme FROM run r LEFT JOIN build b ON b.id = r.build_id"
    " JOIN programme p ON p.id = r.programme_id"
)


ENDED = "Ovrik ended during this run"


class RunTables(SittingsTable):
    """The tables `run` and `trace`."""

    def begin_run(
        self, begun: RunRecord, build: dict[str, Any], machine: dict[str, Any], programme: Programme
    ) -> int:
        """Note that a run has started, with its conditions; gives its number. One that does not say when began now.
        Raises OvrikError in a sitting that is over."""
        self._check_present()
        with self._change() as db:
            return RUNS.insert(
                db,
                replace(
                    begun,
                    started_utc=begun.started_utc or now_utc(),
                    machine_id=ids.machine_id(db, machine),
                    sitting_id=self.sitting_id,
                ),
                build_id=ids.build_id(db, build),
                programme_id=ids.programme_id(db, programme),
            )

    def end_run(self, run_id: int, values: dict[str, Any], series: bytes = b"") -> None:
        """Complete a run that was begun with more of its fields, and the series of what went on; a run that is
        complete can't be changed."""
        with self._change() as db:
            if RUNS.update(db, "id = ? AND state = 'running'", [run_id], values) != 1:
                raise OvrikError(f"Run {run_id} is complete already", "Runs are never edited")
            if series:
                db.execute("INSERT INTO trace VALUES (?,?)", (run_id, series))
        self._settle()

    def keep_run(
        self,
        made: RunRecord,
        build: dict[str, Any],
        machine: dict[str, Any],
        programme: Programme,
        series: bytes = b"",
    ) -> RunRecord:
        """Keep a run that has ended already: read from a stopwatch or a table, or watched. Gives it as it is kept."""
        run_id = self.begin_run(replace(made, state=RunRecord.state), build, machine, programme)
        self.end_run(run_id, {"state": made.state}, series)
        return next(r for r in self.runs(made.contender_id) if r.id == run_id)

    def move_run(self, run_id: int, to_id: int, round_: int, conditions: dict[str, Any]) -> None:
        """Give an outside export that was matched to the wrong contender to another one, as a round of that one; its
        conditions say where it was."""
        with self._change() as db:
            RUNS.update(
                db,
                "id = ? AND origin = ?",
                [run_id, Origin.WATCHED],
                {"contender_id": to_id, "round": round_, "conditions": conditions},
            )

    def _settle(self) -> None:
        """Bring what is in the write-ahead log into the file itself, so that the file alone is the study."""
        with self._lock:
            try:
                self._db.execute("PRAGMA wal_checkpoint(TRUNCATE)").fetchall()
            except sqlite3.Error:
                return  # it is safe in the log, and goes over with the next run

    @reading_rows("traces")
    def series(self, run_id: int) -> bytes | None:
        """The packed series of a run, None where there is none. Raises OvrikError on one that was changed."""
        row = self._one("SELECT series FROM trace WHERE run_id = ?", (run_id,))
        with self._lock:
            if row and not trace_matches(self._db, run_id):
                raise ValueError(f"that of run {run_id} is not as it was written")
        return bytes(row["series"]) if row else None

    def close_interrupted(self) -> int:
        """Mark runs left unfinished by a process that is gone; gives how many."""
        if not self._all("SELECT 1 FROM run WHERE state = 'running' LIMIT 1"):
            return 0
        if self.read_only:
            return 0 if self.hold.taken or self.aside else self._read_as_interrupted()
        if self.hold.held or not self.hold.take():
            return 0  # A living process, perhaps this one, is at work on them.
        try:
            with self._change() as db:
                return db.execute(
                    f"UPDATE run SET state = 'interrupted', reason = '{ENDED}' WHERE state = 'running'"
                ).rowcount
        except OvrikError as exc:
            if not isinstance(exc.__cause__, sqlite3.Error):
                raise
            return self._read_as_interrupted()  # the drive may be full: reading needs no room on it
        finally:
            self.hold.release()

    def _read_as_interrupted(self) -> int:
        """The same for whoever reads the study by this connection, which writes nothing from then on."""
        unfinished = {"state": "'interrupted'", "reason": f"'{ENDED}'"}
        names = [row[1] for row in self._all("PRAGMA main.table_info(run)")]
        columns = [
            f"CASE state WHEN 'running' THEN {unfinished[n]} ELSE {n} END AS {n}" if n in unfinished else n
            for n in names
        ]
        with self._lock:
            self._db.execute(f"CREATE TEMP VIEW run AS SELECT {', '.join(columns)} FROM main.run")
        self.read_only = True
        return int(self._row("SELECT count(*) FROM main.run WHERE state = 'running'")[0])

    @reading_rows("runs")
    @collecting_later()
    def runs(self, contender_id: int | None = None, every_sitting: bool = False) -> list[RunRecord]:
        """Runs in the order in which they were made, of one contender or of all, in the sitting that is spoken of or
        in every one."""
        asked = {"r.contender_id": contender_id, "r.sitting_id": None if every_sitting else self.sitting_id}
        given = {name: value for name, value in asked.items() if value is not None}
        where = f"WHERE {' AND '.join(f'{name} = ?' for name in given)}" if given else ""
        return self._read(RUNS, f"{RUN_QUERY} {where} ORDER BY r.id", tuple(given.values()))

    @reading_rows("machines")
    def machines(self) -> dict[int, dict[str, Any]]:
        """Machines that runs were made on, by number."""
        return {r["id"]: json.loads(r["facts"]) for r in self._all("SELECT * FROM machine")}
