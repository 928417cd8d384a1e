"""Rows of the study file to values and back."""

import json
import sqlite3
from collections.abc import Sequence
from dataclasses import replace
from typing import Any

import numpy as np

from ovrik.store.records import RunRecord, ScoreRecord, StudyFacts
from ovrik.study.contender import Contender
from ovrik.study.excerpt import Excerpt
from ovrik.study.footage import Footage
from ovrik.study.limits import Limits
from ovrik.study.recipe import Recipe

RUN_QUERY = (
    "SELECT r.*, b.version AS build_version, b.sha256 AS build_sha256, f.checksum AS footage "
    "FROM run r LEFT JOIN build b ON b.id = r.build_id JOIN footage f ON f.id = r.footage_id"
)


def study_facts(row: sqlite3.Row) -> StudyFacts:
    """The table `study`."""
    return StudyFacts(
        row["title"], row["created_utc"], Excerpt(row["start_frame"], row["frames"]),
        row["rounds"], row["warmup"], row["tie_band"], row["baseline_id"], row["seed"],
        Limits(row["vmaf_mean"], row["vmaf_p5"], row["megabytes_per_minute"]),
    )  # fmt: skip


def footage_id(db: sqlite3.Connection, footage: Footage) -> int:
    """Number of the footage with this checksum, kept now if it is new."""
    found = db.execute("SELECT id FROM footage WHERE checksum = ?", (footage.checksum,)).fetchone()
    if found:
        return int(found[0])
    made = db.execute("INSERT INTO footage (path, checksum, facts) VALUES (?,?,?)",
                      (footage.path, footage.checksum, json.dumps(footage.to_json())))  # fmt: skip
    return int(made.lastrowid or 0)


def build_id(db: sqlite3.Connection, build: dict[str, Any]) -> int:
    """Number of a build, kept now if it is new."""
    values = tuple(build[k] for k in ("key", "path", "version", "sha256"))
    db.execute("INSERT OR IGNORE INTO build (key, path, version, sha256) VALUES (?,?,?,?)", values)
    return int(db.execute("SELECT id FROM build WHERE key = ? AND path = ? AND sha256 = ?",
                          (values[0], values[1], values[3])).fetchone()[0])  # fmt: skip


def machine_id(db: sqlite3.Connection, machine: dict[str, Any]) -> int:
    """Number of a machine with exactly these facts, kept now if it is new."""
    facts = json.dumps(machine, sort_keys=True)
    db.execute("INSERT OR IGNORE INTO machine (facts) VALUES (?)", (facts,))
    return int(db.execute("SELECT id FROM machine WHERE facts = ?", (facts,)).fetchone()[0])


def contender(row: sqlite3.Row) -> Contender:
    """The table `contender`."""
    return Contender(row["build"], Recipe(**json.loads(row["recipe"])), row["label"],
                     bool(row["label_given"]), row["id"], bool(row["active"]))  # fmt: skip


def insert_contender(db: sqlite3.Connection, made: Contender) -> Contender:
    """Add a contender at the end of the line-up."""
    done = db.execute(
        "INSERT INTO contender (position, label, label_given, build, recipe) VALUES "
        "((SELECT ifnull(max(position), -1) + 1 FROM contender), ?, ?, ?, ?)",
        (made.label, int(made.label_given), made.build, json.dumps(made.recipe.to_json())),
    )
    return replace(made, id=int(done.lastrowid or 0), active=True)


def update_contender(db: sqlite3.Connection, made: Contender) -> None:
    """Overwrite a contender that has no runs, or only its label."""
    db.execute(
        "UPDATE contender SET label = ?, label_given = ?, build = ?, recipe = ? WHERE id = ?",
        (made.label, int(made.label_given), made.build, json.dumps(made.recipe.to_json()), made.id),
    )


def insert_run(
    db: sqlite3.Connection, contender_id: int, build: int, machine: int, footage: int,
    excerpt: Excerpt, round_: int, warmup: bool, argv: Sequence[str], output: str, at: str,
) -> int:  # fmt: skip
    """Add a run that has just begun."""
    done = db.execute(
        "INSERT INTO run (contender_id, build_id, machine_id, footage_id, start_frame, frames,"
        " round, warmup, state, started_utc, argv, output) VALUES (?,?,?,?,?,?,?,?,'running',?,?,?)",
        (contender_id, build, machine, footage, excerpt.start_frame, excerpt.frames, round_,
         int(warmup), at, json.dumps(list(argv)), output),
    )  # fmt: skip
    return int(done.lastrowid or 0)


SAME_NAME = (
    "id", "contender_id", "round", "state", "reason", "started_utc", "wall_s", "first_picture_s",
    "last_picture_s", "user_s", "system_s", "peak_bytes", "frames_written", "output",
    "output_bytes", "output_sha256", "exit_code", "own_cpu_s", "other_cpu_s", "stolen_s",
    "machine_id", "footage",
)  # fmt: skip


def run(row: sqlite3.Row) -> RunRecord:
    """The table `run` with its build."""
    return RunRecord(
        **{name: row[name] for name in SAME_NAME},
        warmup=bool(row["warmup"]),
        argv=tuple(json.loads(row["argv"])),
        log=tuple(json.loads(row["log"])),
        excerpt=Excerpt(row["start_frame"], row["frames"]),
        build=row["build_version"] or "",
        build_sha256=row["build_sha256"] or "",
    )


def insert_score(db: sqlite3.Connection, made: ScoreRecord, build: int, at: str) -> int:
    """Add a score, in place of an earlier one of the same output and reference."""
    db.execute("DELETE FROM score WHERE contender_id = ? AND output_sha256 = ? AND reference = ?",
               (made.contender_id, made.output_sha256, made.reference))  # fmt: skip
    done = db.execute(
        "INSERT INTO score (contender_id, output_sha256, reference, build_id, measured_utc, faults,"
        " facts, problem) VALUES (?,?,?,?,?,?,?,?)",
        (made.contender_id, made.output_sha256, made.reference, build, at,
         json.dumps(made.faults), json.dumps(made.facts), made.problem),
    )  # fmt: skip
    number = int(done.lastrowid or 0)
    frames = zip(made.vmaf.tolist(), made.psnr.tolist(), made.ssim.tolist(), strict=True)
    db.executemany("INSERT INTO frame_score VALUES (?,?,?,?,?)",
                   [(number, n, *values) for n, values in enumerate(frames)])  # fmt: skip
    return number


def score(row: sqlite3.Row, frames: Sequence[sqlite3.Row]) -> ScoreRecord:
    """The tables `score` and `frame_score`."""
    values = np.array([tuple(f) for f in frames], float).reshape(-1, 3)
    return ScoreRecord(
        row["id"], row["contender_id"], row["output_sha256"], row["reference"],
        tuple(json.loads(row["faults"])), row["problem"], json.loads(row["facts"]),
        values[:, 0], values[:, 1], values[:, 2],
    )  # fmt: skip
