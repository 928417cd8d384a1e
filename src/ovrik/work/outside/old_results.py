"""Times from a table that was kept elsewhere: read, shown before they are taken, and marked as brought in."""

import csv
import io
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path

from ovrik.errors import OvrikError
from ovrik.store.records.run import RunRecord, RunState
from ovrik.store.study import Study
from ovrik.study.contender.contender import Contender
from ovrik.study.facts.origin import Origin
from ovrik.study.files.text_file import read_text
from ovrik.work.evidence.counted_times import next_round
from ovrik.work.evidence.gathered import belongs
from ovrik.work.outside.by_hand import parse_time
from ovrik.work.outside.exports import outside_contender
from ovrik.work.prepare.fingerprint import fingerprint

MOST_ROWS, MOST_NAMED, MOST_S = 10_000, 8, 1e6
BUILD = {"key": "brought in", "path": "", "version": "brought in", "sha256": ""}
NAMES = (
    "contender",
    "setting",
    "settings",
    "name",
    "label",
    "encoder",
    "preset",
    "test",
    "codec",
    "program",
    "programme",
    "software",
    "version",
)
TIMES = ("time", "seconds", "duration", "export time", "render time", "minutes", "min", "sec", "s")
UNITS = {"s": 1.0, "min": 60.0, "h": 3600.0}
UNIT_WORDS = {"seconds": "s", "sec": "s", "s": "s", "minutes": "min", "min": "min", "hours": "h", "h": "h"}


@dataclass(frozen=True)
class OldTimes:
    """What a file holds. Fields: `heads`; `rows`, each as long as the heads; `name`, `time`, the columns taken for
    contender and time; `unit` of plain numbers, "" where nothing says."""

    heads: tuple[str, ...]
    rows: tuple[tuple[str, ...], ...]
    name: str
    time: str
    unit: str


@dataclass(frozen=True)
class OldTime:
    """One time as it will be taken. Fields: `row` in the file, from 1; `label`; `seconds`; `step_s`, the step in
    which it was read, as its digits say; `text` as it stands there."""

    row: int
    label: str
    seconds: float
    step_s: float
    text: str


@dataclass(frozen=True)
class LeftOut:
    """A row that is not taken. Fields: `row` in the file, from 1; `why`, in a clause."""

    row: int
    why: str


def read_table(path: Path, name: str = "", time: str = "", unit: str = "") -> OldTimes:
    """Read a CSV file; columns and unit that are not given are guessed from the heads. Raises OvrikError."""
    text = read_text(path, what="a table")
    rows = [
        tuple(c.strip() for c in row) for row in csv.reader(io.StringIO(text), delimiter=_delimiter(text))
    ]
    rows = [r for r in rows if any(r)]
    if len(rows) < 2:
        raise OvrikError(f"{path} holds no table", "It needs a line of headings and a line for each time")
    if len(rows) > MOST_ROWS:
        raise OvrikError(f"{path} has {len(rows)} rows", f"Bring in at most {MOST_ROWS} at once")
    heads = rows[0]
    whole = tuple(r + ("",) * (len(heads) - len(r)) for r in rows[1:])
    chosen = _column(heads, time, TIMES, "time")
    return OldTimes(heads, whole, _column(heads, name, NAMES, "contender"), chosen, unit or _unit_of(chosen))


def heads_of(path: Path) -> tuple[str, ...]:
    """The headings of a table. Raises OvrikError when the file holds none."""
    text = read_text(path, what="a table")
    first = next((row for row in csv.reader(io.StringIO(text), delimiter=_delimiter(text)) if any(row)), [])
    if len(first) < 2:
        raise OvrikError(f"{path} holds no table", "It needs a line of headings and a line for each time")
    return tuple(c.strip() for c in first)


def _delimiter(text: str) -> str:
    """A decimal comma makes commas poor witnesses: the sign that is as frequent in every line wins."""
    lines = [line for line in text.splitlines() if line.strip()][:20]
    found = [(min(line.count(sign) for line in lines), sign) for sign in (";", "\t", ",")] if lines else []
    return max(found, key=lambda f: f[0])[1] if found and max(found)[0] else ","


def _column(heads: Sequence[str], asked: str, usual: Sequence[str], what: str) -> str:
    if asked:
        if asked not in heads:
            raise OvrikError(f"There is no column “{asked}”", f"Choose one of {', '.join(heads)}")
        return asked
    lower = {h.lower().partition("(")[0].partition("[")[0].strip(): h for h in heads}
    for word in usual:
        if word in lower:
            return lower[word]
    # "Export seconds", "time of export": one of the words alone says it.
    for word in usual:
        for said, head in lower.items():
            if word in said.split():
                return head
    raise OvrikError(f"No column looks like the {what}", f"Name it; there are {', '.join(heads)}")


def _unit_of(head: str) -> str:
    words = head.lower().replace("(", " ").replace(")", " ").replace("[", " ").replace("]", " ").split()
    # "Seconds" is a unit; "time" is none. "Export time (min)" says it last.
    return next((UNIT_WORDS[w] for w in reversed(words) if w in UNIT_WORDS), "")


def times_of(table: OldTimes) -> tuple[list[OldTime], list[LeftOut]]:
    """Every time of the table, and the rows that hold none. Raises OvrikError when no row holds one, or plain numbers
    have no unit."""
    name, time = table.heads.index(table.name), table.heads.index(table.time)
    out, left = list[OldTime](), list[LeftOut]()
    for number, row in enumerate(table.rows, 2):
        empty = next((head for head, at in ((table.name, name), (table.time, time)) if not row[at]), "")
        if empty:
            left.append(LeftOut(number, f"“{empty}” is empty"))
            continue
        try:
            parse_time(row[time])
        except OvrikError as exc:
            left.append(LeftOut(number, exc.problem))
            continue
        seconds, step = _seconds(row[time], table.unit)
        if not 0 < seconds < MOST_S:
            left.append(LeftOut(number, f"“{row[time]}” can't be the time of an export"))
            continue
        out.append(OldTime(number, row[name], seconds, step, row[time]))
    if not out:
        first = f"; row {left[0].row}: {left[0].why}" if left else ""
        raise OvrikError(f"No row has a contender and a time{first}", "Choose other columns")
    return out, left


def left_out_words(left: Sequence[LeftOut]) -> str:
    """How many rows are left out, which and why; "" where none is."""
    if not left:
        return ""
    some = "; ".join(f"row {one.row}: {one.why}" for one in left[:MOST_NAMED])
    more = f"; and {len(left) - MOST_NAMED} more" if len(left) > MOST_NAMED else ""
    return f"{len(left)} row{'s' * (len(left) != 1)} left out ({some}{more})"


def _seconds(text: str, unit: str) -> tuple[float, float]:
    value = parse_time(text)
    _whole, _point, digits = text.replace(",", ".").partition(".")
    step = 10.0 ** -len(digits)
    if ":" in text:
        return value, step
    if not unit:
        raise OvrikError(f"“{text}” may be seconds or minutes", "Say which unit plain numbers have")
    return value * UNITS[unit], step * UNITS[unit]


def bring_in(study: Study, found: Sequence[OldTime], source: str, add: bool = False) -> int:
    """Keep times as runs of the contenders whose labels they carry; gives how many. With `add`, labels that the
    line-up lacks become contenders of another program. Raises OvrikError on labels that it lacks."""
    by_label: dict[str, Contender] = {c.label: c for c in study.contenders()}
    missing = list(dict.fromkeys(t.label for t in found if t.label not in by_label))
    if missing and not add:
        some = ", ".join(missing[:5])
        raise OvrikError(f"The line-up has no {some}", "Rename them in the table, or add them to the line-up")
    for label in missing:
        by_label[label] = study.add_contender(outside_contender(label, "", {}))
    machine = fingerprint(study).to_json()
    facts, programme = study.facts(), study.programme()
    for one in found:
        owner = by_label[one.label].contender_id
        mine = (r for r in study.runs(owner) if belongs(r, facts, programme))
        brought = {"file": source, "row": one.row, "text": one.text}
        made = RunRecord(
            contender_id=owner,
            excerpt=facts.excerpt,
            started_utc="",
            origin=Origin.BROUGHT_IN,
            round=next_round(mine, Origin.BROUGHT_IN),
            state=RunState.DONE,
            wall_s=one.seconds,
            conditions={"step_s": one.step_s, "brought_in": brought},
        )
        study.keep_run(made, BUILD, machine, programme)
    return len(found)
