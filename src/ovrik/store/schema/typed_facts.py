"""From schema 10 to 11: where a run comes from, what disturbed it, what was read of an output and why who is timed
become values, where they were numbers and sentences."""

import json
import re
import sqlite3
from collections.abc import Callable, Iterable
from contextlib import suppress
from dataclasses import asdict
from typing import Any

from ovrik.store.records.every import TABLES
from ovrik.store.schema.rebuilt import OldRow, rebuilt
from ovrik.study.encoder.encoders import OUTSIDE
from ovrik.study.facts.device_use import FellBack, Showed
from ovrik.study.facts.disturbance import Disturbance, Disturber
from ovrik.study.facts.origin import Origin
from ovrik.study.facts.output_facts import OutputFacts
from ovrik.study.facts.reason import Against, Reason

ONCE_OUTSIDE = -1000
"""The n-th watched export of a contender was round −1000 − n, the n-th time by hand round −n."""


TYPED = 11
"""The schema from which on facts are values."""
TypeChange = Callable[[OldRow], OldRow]


def typed_facts(db: sqlite3.Connection) -> None:
    """Bring all tables of records to schema 11."""
    rebuilt(db, "build")
    change = changes_of(db)
    for table in TABLES:
        rebuilt(db, table.name, change.get(table.name, lambda row: row))
    _looks(db)


def changes_of(db: sqlite3.Connection) -> dict[str, TypeChange]:
    """By table, what makes a row of an earlier schema one of schema 11."""
    builds, labels, behind = dict[int, str](), dict[str, int](), dict[int, int]()
    with suppress(
        sqlite3.Error, UnicodeError
    ):  # where they can't be read, what there is is taken as it stands
        builds = dict(db.execute("SELECT id, key FROM build").fetchall())
        labels = dict(db.execute("SELECT label, id FROM contender").fetchall())
        behind = _rounds_behind(db, builds)
    return {
        "run": lambda row: _run(row, builds, behind),
        "decision": lambda row: _decision(row, labels),
        "score": lambda row: {**row, "facts": json.dumps(asdict(output_facts(_mapping(row["facts"]))))},
    }


def _origin(row: OldRow, builds: dict[int, str]) -> Origin:
    key = builds.get(row.get("build_id") or 0, "")
    return {OUTSIDE: Origin.WATCHED, "by hand": Origin.BY_HAND, "brought in": Origin.BROUGHT_IN}.get(
        key, Origin.DRIVEN
    )


def _rounds_behind(db: sqlite3.Connection, builds: dict[int, str]) -> dict[int, int]:
    """By sitting, how far rounds that Ovrik drove lie below 1: a study that held only a watched export, or a
    stopwatch's time, counted on from that."""
    least: dict[int, int] = {}
    for row in db.execute("SELECT * FROM run WHERE NOT warmup"):
        values = dict(zip(row.keys(), row, strict=True))
        if _origin(values, builds) is Origin.DRIVEN:
            sitting = values.get("sitting_id", 1)
            least[sitting] = min(least.get(sitting, 1), values["round"])
    return {sitting: 1 - number for sitting, number in least.items()}


def _run(row: OldRow, builds: dict[int, str], behind: dict[int, int]) -> OldRow:
    origin, number = _origin(row, builds), row["round"]
    if origin is Origin.WATCHED:
        number = ONCE_OUTSIDE - number
    elif origin is not Origin.DRIVEN:
        number = -number
    elif not row["warmup"]:
        number += behind.get(row.get("sitting_id", 1), 0)
    conditions = _mapping(row.get("conditions", "{}"))
    said = conditions.get("on_processor")
    if isinstance(said, str):
        conditions["on_processor"] = [["", words] for words in said.split("; ") if words]
    return {
        **row,
        "origin": str(origin),
        "round": number,
        "disturbed": json.dumps([asdict(d) for d in typed_disturbances(row.get("disturbed", ""))]),
        "fell_back": _fell_back(row.get("fell_back")),
        "conditions": json.dumps(conditions),
    }


def _fell_back(text: str | None) -> str | None:
    if not text:
        return None
    return text if text.startswith("{") else json.dumps(asdict(FellBack(Showed.EARLIER, said=text)))


WHO = r"(?: \((?P<who>.*)\))?"
DISTURBED: tuple[tuple[Disturber, str, float], ...] = (
    (Disturber.PROGRAMS, rf"other programs used (?P<size>\d+) % of the processors{WHO}", 0.01),
    (Disturber.HOST, r"the virtual machine's host used (?P<size>\d+) % of the processor", 0.01),
    (Disturber.ASLEEP, r"the machine was suspended for (?P<size>\d+) s", 1),
    (Disturber.DISKS, rf"other programs moved (?P<size>\d+) MB/s on the disks{WHO}", 1),
    (Disturber.LIMITED, r"heat or power limited the device (?P<size>\d+) % of the time", 0.01),
    (Disturber.CLOCK, r"the (?P<name>clock.*) dropped from (?P<was>\d+) to (?P<size>\d+) MHz", 1),
    (Disturber.DEVICE, r"(?P<name>.+) used (?P<size>\d+) % of the device", 0.01),
)
"""What earlier schemas said in words, and the unit of its number."""
EACH = re.compile(r"(.+?) (\d+) (?:% of a core|MB/s)(?:, |$)")


def typed_disturbances(text: str) -> list[Disturbance]:
    """What earlier schemas wrote of a run, as values; kept as it stands where it can't be read as such."""
    if text in ("", "[]"):
        return []
    found = [_disturbance(part) for part in text.split("; ")]
    read = [d for d in found if d is not None]
    return read if len(read) == len(found) else [Disturbance(Disturber.EARLIER, said=text)]


def _disturbance(text: str) -> Disturbance | None:
    for by, pattern, unit in DISTURBED:
        if found := re.fullmatch(pattern, text):
            said = found.groupdict()
            share = 0.01 if by is Disturber.PROGRAMS else 1
            who = tuple((name, share * float(size)) for name, size in EACH.findall(said.get("who") or ""))
            was, name = float(said.get("was") or 0), said.get("name") or ""
            return Disturbance(by, unit * float(said["size"]), who, was, name)
    return None


def output_facts(said: dict[str, Any]) -> OutputFacts:
    """What earlier schemas wrote of an output, name by name in words."""
    if "pixel_format" in said:
        return OutputFacts(**said)
    width, height = (int(v) for v in ([*_numbers(said.get("size", "")), 0, 0])[:2])
    audio = said.get("audio", "none")
    likeness = _numbers(said.get("likeness", ""))
    return OutputFacts(
        codec=str(said.get("codec", "")),
        profile=str(said.get("profile", "")),
        frames=int(_first(said.get("frames", ""))),
        width=width,
        height=height,
        pixel_format=str(said.get("pixel format", "")),
        rate=_first(said.get("rate", "")),
        duration_s=_first(said.get("duration", "")),
        audio=() if audio == "none" else tuple(audio.split(", ")),
        lag=int(_first(said.get("offset", ""))),
        likeness=likeness[0] if likeness else None,
        every=max(int(_first(said.get("scored", ""), 1)), 1),
        losses_measurable="kinds of loss" not in said,
    )


def _numbers(text: object) -> list[float]:
    return [float(v) for v in re.findall(r"-?\d+(?:\.\d+)?", str(text))]


def _first(text: object, usual: float = 0) -> float:
    return next(iter(_numbers(text)), usual)


UNWANTED, BY_HAND = "not acceptable: ", "by hand"


def _decision(row: OldRow, labels: dict[str, int]) -> OldRow:
    said = row.get("reason", "")
    why = Reason(Against.EARLIER, said.removeprefix(UNWANTED)) if row["kind"] == "set aside" else None
    return {
        **row,
        "choice_id": _named(said, labels) if row["kind"] == "left out" else None,
        "why": json.dumps(asdict(why)) if why else None,
        "asked": int(said.endswith(BY_HAND)),
    }


def _named(said: str, labels: dict[str, int]) -> int | None:
    """The contender that a sentence ends with."""
    found: Iterable[str] = (name for name in labels if said.endswith(f" than {name}"))
    return labels.get(max(found, key=len, default=""))


def _looks(db: sqlite3.Connection) -> None:
    """Whoever was timed until it was decided was looked at after every round, and may have been so where nothing but
    decisions says it."""
    rounds, text = db.execute("SELECT rounds, conduct FROM study").fetchone() or (0, "{}")
    conduct = _mapping(text)
    most = conduct.get("most_rounds", 12)
    place = "programme_id, start_frame, frames, sitting_id"
    source = f"SELECT DISTINCT {place} FROM decision"
    if conduct.get("until_decided", conduct.get("until_told")):
        source += f" UNION SELECT DISTINCT {place} FROM run WHERE state = 'done' AND NOT warmup AND origin = 'driven'"
    db.execute(
        f"INSERT INTO look ({place}, most, taken, rounds) SELECT {place}, ?, 0, ? FROM ({source})",
        (most, rounds),
    )


def _mapping(text: str) -> dict[str, Any]:
    found = json.loads(text)
    return found if isinstance(found, dict) else {}
