"""Rows of the study file to values and back."""

import json
import os
import sqlite3
from collections.abc import Mapping, Sequence
from dataclasses import replace
from typing import Any
from urllib.parse import quote_from_bytes, unquote_to_bytes

import numpy as np

from ovrik.errors import OvrikError
from ovrik.store.records import (
    Decision,
    MetricScores,
    PartRecord,
    Preparation,
    RunRecord,
    ScoreRecord,
    StudyFacts,
)
from ovrik.store.sound import mapping, sound, texts
from ovrik.study.conduct import Conduct
from ovrik.study.containers import CONTAINERS
from ovrik.study.contender import Contender
from ovrik.study.encoders import ENCODERS
from ovrik.study.excerpt import Excerpt
from ovrik.study.footage import Footage
from ovrik.study.intermediate import Intermediate
from ovrik.study.limits import limits_from
from ovrik.study.methods import Methods, methods
from ovrik.study.plain import from_plain
from ovrik.study.point import points_from
from ovrik.study.programme import Programme
from ovrik.study.recipe import Recipe
from ovrik.study.worth import Worth

RUN_QUERY = (
    "SELECT r.*, b.version AS build_version, b.sha256 AS build_sha256, p.checksum AS programme "
    "FROM run r LEFT JOIN build b ON b.id = r.build_id JOIN programme p ON p.id = r.programme_id"
)


def study_facts(row: sqlite3.Row, asked: Mapping[str, float]) -> StudyFacts:
    """The table `study`, and the floors and ceilings of `limit_value`."""
    sound(row)
    return StudyFacts(
        row["title"],
        row["created_utc"],
        Excerpt(row["start_frame"], row["frames"]),
        row["rounds"],
        row["warmup"],
        row["tie_band"],
        row["baseline_id"],
        row["seed"],
        limits_from(asked, bool(row["plays"]), bool(row["unseen"])),
        Conduct.from_json(json.loads(row["conduct"])),
        Worth.from_json(mapping(row["worth"])),
    )


RAW_NAME = "bytes:"


def path_text(path: str) -> str:
    """A path as it can be kept as text: one whose bytes are no UTF-8 is written out byte by byte."""
    try:
        path.encode("utf-8")
    except UnicodeEncodeError:
        return RAW_NAME + quote_from_bytes(os.fsencode(path))
    return path


def path_of(text: str) -> str:
    """The inverse of `path_text`."""
    return os.fsdecode(unquote_to_bytes(text[len(RAW_NAME) :])) if text.startswith(RAW_NAME) else text


def footage_id(db: sqlite3.Connection, footage: Footage) -> int:
    """Number of the footage with this checksum, kept now if it is new."""
    found = db.execute("SELECT id FROM footage WHERE checksum = ?", (footage.checksum,)).fetchone()
    if found:
        return int(found[0])
    made = db.execute(
        "INSERT INTO footage (path, checksum, facts) VALUES (?,?,?)",
        (path_text(footage.path), footage.checksum, json.dumps(footage.to_json())),
    )
    return int(made.lastrowid or 0)


def programme_id(db: sqlite3.Connection, programme: Programme) -> int:
    """Number of a programme, kept now with its clips if it is new. One with the same checksum shows the
    same, so that its name and what was left out are brought up to date."""
    for clip in programme.clips:
        footage_id(db, clip)
    edit = json.dumps(programme.to_json())
    found = db.execute("SELECT id FROM programme WHERE checksum = ?", (programme.checksum,)).fetchone()
    if found:
        db.execute("UPDATE programme SET edit = ? WHERE id = ?", (edit, found[0]))
        return int(found[0])
    made = db.execute("INSERT INTO programme (checksum, edit) VALUES (?,?)", (programme.checksum, edit))
    return int(made.lastrowid or 0)


def build_id(db: sqlite3.Connection, build: dict[str, Any]) -> int:
    """Number of a build, kept now if it is new."""
    values = tuple(build[k] for k in ("key", "path", "version", "sha256"))
    db.execute("INSERT OR IGNORE INTO build (key, path, version, sha256) VALUES (?,?,?,?)", values)
    return int(
        db.execute(
            "SELECT id FROM build WHERE key = ? AND path = ? AND sha256 = ?",
            (values[0], values[1], values[3]),
        ).fetchone()[0]
    )


def machine_id(db: sqlite3.Connection, machine: dict[str, Any]) -> int:
    """Number of a machine with exactly these facts, kept now if it is new."""
    facts = json.dumps(machine, sort_keys=True)
    db.execute("INSERT OR IGNORE INTO machine (facts) VALUES (?)", (facts,))
    return int(db.execute("SELECT id FROM machine WHERE facts = ?", (facts,)).fetchone()[0])


def contender(row: sqlite3.Row) -> Contender:
    """The table `contender`."""
    sound(row)
    into, made = row["prerendered"], Recipe.from_json(json.loads(row["recipe"]))
    if made.encoder not in ENCODERS or made.container not in CONTAINERS:
        raise ValueError(f"contender {row['id']} uses an encoder or a container that is not known")
    return Contender(
        recipe=made,
        **{name: row[name] for name in ("build", "label", "id", "decode", "treat")},
        label_given=bool(row["label_given"]),
        active=bool(row["active"]),
        prerendered=from_plain(Intermediate, json.loads(into)) if into else None,
        methods=_methods(row["methods"]),
    )


def _methods(text: str) -> Methods:
    try:
        return methods(mapping(text))
    except OvrikError as exc:
        raise ValueError(exc.problem) from None


def _columns(made: Contender) -> dict[str, object]:
    return {
        "label": made.label,
        "label_given": int(made.label_given),
        "build": made.build,
        "recipe": json.dumps(made.recipe.to_json()),
        "decode": made.decode,
        "treat": made.treat,
        "prerendered": json.dumps(made.prerendered.to_json()) if made.prerendered else None,
        "methods": json.dumps(dict(made.methods)),
    }


def insert_contender(db: sqlite3.Connection, made: Contender) -> Contender:
    """Add a contender at the end of the line-up."""
    values = _columns(made)
    done = db.execute(
        f"INSERT INTO contender (position, {', '.join(values)}) VALUES "
        f"((SELECT ifnull(max(position), -1) + 1 FROM contender), {', '.join('?' * len(values))})",
        tuple(values.values()),
    )
    return replace(made, id=int(done.lastrowid or 0), active=True)


def update_contender(db: sqlite3.Connection, made: Contender) -> None:
    """Overwrite a contender that has no runs, or only its label."""
    values = _columns(made)
    db.execute(
        f"UPDATE contender SET {', '.join(f'{k} = ?' for k in values)} WHERE id = ?",
        (*values.values(), made.id),
    )


def insert_run(
    db: sqlite3.Connection,
    contender_id: int,
    build: int,
    machine: int,
    programme: int,
    excerpt: Excerpt,
    round_: int,
    warmup: bool,
    commands: Sequence[Sequence[str]],
    output: str,
    at: str,
    sitting: int,
) -> int:
    """Add a run that has just begun."""
    done = db.execute(
        "INSERT INTO run (contender_id, build_id, machine_id, programme_id, start_frame, frames,"
        " round, warmup, state, started_utc, argv, output, earlier_passes,"
        " sitting_id) VALUES (?,?,?,?,?,?,?,?,'running',?,?,?,?,?)",
        (
            contender_id,
            build,
            machine,
            programme,
            excerpt.start_frame,
            excerpt.frames,
            round_,
            int(warmup),
            at,
            json.dumps(list(commands[-1])),
            output,
            json.dumps([list(c) for c in commands[:-1]]),
            sitting,
        ),
    )
    return int(done.lastrowid or 0)


def insert_decision(
    db: sqlite3.Connection, made: Decision, programme: int, excerpt: Excerpt, at: str, sitting: int
) -> None:
    """Add a decision about who is timed further."""
    db.execute(
        "INSERT INTO decision (contender_id, programme_id, start_frame, frames, round, kind, gain, reason, made_utc,"
        " sitting_id) VALUES (?,?,?,?,?,?,?,?,?,?)",
        (
            *(made.contender_id, programme, excerpt.start_frame, excerpt.frames, made.round),
            *(made.kind, made.gain, made.reason, at, sitting),
        ),
    )


def decision(row: sqlite3.Row) -> Decision:
    """A row of the table `decision`."""
    sound(row)
    return Decision(
        row["contender_id"], row["round"], row["kind"], row["gain"], row["reason"], row["made_utc"]
    )


SAME_NAME = (
    "id",
    "contender_id",
    "round",
    "state",
    "reason",
    "started_utc",
    "wall_s",
    "first_frame_s",
    "last_frame_s",
    "user_s",
    "system_s",
    "peak_bytes",
    "frames_written",
    "output",
    "output_bytes",
    "output_sha256",
    "exit_code",
    "own_cpu_s",
    "other_cpu_s",
    "stolen_s",
    "machine_id",
    "programme",
    "disturbed",
    "fell_back",
)


def run(row: sqlite3.Row) -> RunRecord:
    """The table `run` with its build. Raises ValueError on one whose figures can't be."""
    wall = sound(row)["wall_s"]
    if row["state"] == "done" and not (wall is not None and 0 < wall < 1e9):
        raise ValueError(f"run {row['id']} is done, but its time is {wall}")
    return RunRecord(
        **{name: row[name] for name in SAME_NAME},
        warmup=bool(row["warmup"]),
        argv=texts(row["argv"]),
        earlier_passes=tuple(tuple(c) for c in json.loads(row["earlier_passes"])),
        log=texts(row["log"]),
        conditions=mapping(row["conditions"]),
        excerpt=Excerpt(row["start_frame"], row["frames"]),
        build=row["build_version"] or "",
        build_sha256=row["build_sha256"] or "",
        sitting=row["sitting_id"],
    )


def insert_preparation(
    db: sqlite3.Connection, made: Preparation, programme: int, build: int, machine: int | None, at: str
) -> int:
    """Add a preparation that has ended."""
    done = db.execute(
        "INSERT INTO preparation (key, kind, contender_id, programme_id, start_frame, frames, build_id,"
        " machine_id, started_utc, argv, state, reason, wall_s, first_frame_s, bytes)"
        " VALUES (?,?,?,?,?,?,?,?,?,?,?,?,?,?,?)",
        (
            made.key,
            made.kind,
            made.contender_id,
            programme,
            made.excerpt.start_frame,
            made.excerpt.frames,
            build,
            machine,
            at,
            json.dumps(list(made.argv)),
            made.state,
            made.reason,
            made.wall_s,
            made.first_frame_s,
            made.bytes,
        ),
    )
    return int(done.lastrowid or 0)


def preparation(row: sqlite3.Row) -> Preparation:
    """The table `preparation` with its programme's checksum."""
    sound(row)
    return Preparation(
        row["key"],
        row["kind"],
        row["contender_id"],
        row["checksum"],
        Excerpt(row["start_frame"], row["frames"]),
        texts(row["argv"]),
        row["state"],
        row["reason"],
        row["wall_s"],
        row["first_frame_s"],
        row["bytes"],
    )


def insert_part(db: sqlite3.Connection, made: PartRecord, programme: int, at: str) -> None:
    """Add a timed part of an export."""
    db.execute(
        "INSERT INTO part (contender_id, programme_id, start_frame, frames, name, started_utc, argv, wall_s,"
        " first_frame_s, cpu_s, load) VALUES (?,?,?,?,?,?,?,?,?,?,?)",
        (
            made.contender_id,
            programme,
            made.excerpt.start_frame,
            made.excerpt.frames,
            made.name,
            at,
            json.dumps(list(made.argv)),
            made.wall_s,
            made.first_frame_s,
            made.cpu_s,
            json.dumps(made.load),
        ),
    )


def part(row: sqlite3.Row) -> PartRecord:
    """The table `part` with its programme's checksum."""
    sound(row)
    return PartRecord(
        row["contender_id"],
        row["checksum"],
        Excerpt(row["start_frame"], row["frames"]),
        row["name"],
        texts(row["argv"]),
        row["wall_s"],
        row["first_frame_s"],
        row["cpu_s"],
        mapping(row["load"]),
    )


def insert_score(db: sqlite3.Connection, made: ScoreRecord, build: int, at: str) -> int:
    """Add a score, in place of an earlier one of the same output and reference."""
    db.execute(
        "DELETE FROM score WHERE contender_id = ? AND output_sha256 = ? AND reference = ?",
        (made.contender_id, made.output_sha256, made.reference),
    )
    done = db.execute(
        "INSERT INTO score (contender_id, output_sha256, reference, build_id, measured_utc, faults,"
        " facts, problem, points) VALUES (?,?,?,?,?,?,?,?,?)",
        (
            made.contender_id,
            made.output_sha256,
            made.reference,
            build,
            at,
            json.dumps(made.faults),
            json.dumps(made.facts),
            made.problem,
            json.dumps([[p.name, p.answer, p.words, p.asked] for p in made.points]),
        ),
    )
    number = int(done.lastrowid or 0)
    for key, scores in made.metrics.items():
        db.execute(
            "INSERT INTO score_metric (score_id, metric, version, series) VALUES (?,?,?,?)",
            (number, key, scores.version, scores.values.astype("<f8").tobytes()),
        )
    return number


def score(row: sqlite3.Row, metrics: Sequence[sqlite3.Row], frames: Sequence[sqlite3.Row]) -> ScoreRecord:
    """The tables `score`, `score_metric` and `frame_score`. Raises ValueError where a frame is missing."""
    sound(row)
    values: dict[int, list[float]] = {sound(m)["id"]: [] for m in metrics}
    for number, frame, value in frames:
        if frame != len(values[number]):
            raise ValueError(f"frame {len(values[number])} of score {row['id']} is missing")
        values[number].append(value)
    return ScoreRecord(
        row["id"],
        row["contender_id"],
        row["output_sha256"],
        row["reference"],
        texts(row["faults"]),
        row["problem"],
        mapping(row["facts"]),
        {m["metric"]: MetricScores(m["version"], _series(m["series"], values[m["id"]])) for m in metrics},
        points_from(row["points"]),
    )


def _series(packed: bytes | None, values: Sequence[float]) -> np.ndarray:
    """Values of a metric: packed, or row by row as they once were."""
    return np.array(values, float) if packed is None else np.frombuffer(packed, "<f8").astype(float)
