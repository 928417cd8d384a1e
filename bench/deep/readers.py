"""What is read of strangers, each made from a sound one: how it is changed, and the commands that read it."""

import json
import sqlite3
import xml.etree.ElementTree as Xml
from collections.abc import Callable
from contextlib import closing, suppress
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np

from bench.deep.sound import PLAN, PROFILE, Sound
from bench.deep.structure import NUMBERS, changed, other, toml
from ovrik.quality.decode.timelines import read_timeline
from ovrik.standin.profile import load_profile
from ovrik.store.schema.row_sums import sum_all
from ovrik.study.programme.lut import check_cube

Commands = list[list[str] | Callable[[], object]]
"""Of Ovrik's command line, or what reads a file that no command reads by itself."""
Laid = Callable[[Sound, Path, np.random.Generator], Commands]


@dataclass(frozen=True)
class Reader:
    """Fields: `name`; `lay`, which puts a changed one into a folder and gives the commands that read it; `modules` of
    `ovrik` whose lines are counted, by the beginnings of their paths."""

    name: str
    lay: Laid
    modules: tuple[str, ...]


def _plan(sound: Sound, folder: Path, chance: np.random.Generator) -> Commands:
    path = folder / "p.toml"
    path.write_text(toml(changed(PLAN, chance, sound.texts)), errors="replace")
    return [["plan", str(path)], ["estimate", str(path)]]


def _profile(sound: Sound, folder: Path, chance: np.random.Generator) -> Commands:
    path = folder / "profile.toml"
    path.write_text(toml(changed(PROFILE, chance, sound.texts)), errors="replace")
    return [lambda: load_profile(path)]


def _description(sound: Sound, folder: Path, chance: np.random.Generator) -> Commands:
    path = folder / "d.toml"
    path.write_text(toml(changed(PLAN["program"][0], chance, sound.texts)), errors="replace")
    return [["build", "describe", str(path)]]


def _otio(sound: Sound, folder: Path, chance: np.random.Generator) -> Commands:
    path = folder / "t.otio"
    path.write_text(json.dumps(changed(json.loads(sound.otio), chance, sound.texts)))
    return [lambda: read_timeline(path)]


def _xml(sound: Sound, folder: Path, chance: np.random.Generator) -> Commands:
    root = Xml.fromstring(sound.xmeml)
    for _ in range(int(chance.integers(1, 4))):
        every = list(root.iter())
        parent = every[int(chance.integers(len(every)))]
        if len(parent) and chance.random() < 0.4:
            child = parent[int(chance.integers(len(parent)))]
            parent.remove(child) if chance.random() < 0.5 else parent.append(child)
            continue
        text = (parent.text or "").strip()
        number = float(text) if text.lstrip("-").isdigit() else text
        parent.text = str(other(number, [e.text for e in every if e.text], chance, sound.texts))
    path = folder / "t.xml"
    with suppress(ValueError):  # what no XML may hold
        path.write_bytes(Xml.tostring(root))
    return [lambda: read_timeline(path)] if path.exists() else []


def _edl(sound: Sound, folder: Path, chance: np.random.Generator) -> Commands:
    lines = changed([line.split(" ") for line in sound.edl.splitlines()], chance, sound.texts)
    path = folder / "t.edl"
    path.write_text(
        "\n".join(" ".join(map(str, line)) if isinstance(line, list) else str(line) for line in lines)
    )
    return [lambda: read_timeline(path)]


def _lut(sound: Sound, folder: Path, chance: np.random.Generator) -> Commands:
    lines = changed([line.split(" ") for line in sound.cube.splitlines()], chance, tuple(map(str, NUMBERS)))
    path = folder / "l.cube"
    path.write_text(
        "\n".join(" ".join(map(str, line)) if isinstance(line, list) else str(line) for line in lines)
    )
    return [lambda: check_cube(path)]


def _table(sound: Sound, folder: Path, chance: np.random.Generator) -> Commands:
    rows = changed(sound.table, chance, (*sound.texts, "1:02", "00:01:02,5", "3 min", "61 s", "nan", "1,5"))
    sign, path = str(chance.choice([",", ";", "\t"])), folder / "old.csv"
    cells = [[str(c) for c in row] if isinstance(row, list) else [str(row)] for row in rows]
    path.write_text("\n".join(sign.join(row) for row in cells), errors="replace")
    study = sound.study_in(folder)
    return [["outside", "import", str(study), str(path), "--yes"], ["verdict", str(study)]]


LOOKS = ("verdict", "history", "explain", "command", "estimate")


def _study(sound: Sound, folder: Path, chance: np.random.Generator) -> Commands:
    path = sound.study_in(folder)
    with closing(sqlite3.connect(path)) as db:
        db.execute("PRAGMA foreign_keys = OFF")
        db.execute("PRAGMA ignore_check_constraints = ON")
        for _ in range(int(chance.integers(1, 4))):
            with suppress(sqlite3.Error, OverflowError, UnicodeError):
                _edit(db, sound, chance)
        sum_all(db)  # whoever means harm can write checksums too
        db.commit()
    look, new = str(chance.choice(LOOKS)), folder / "rescued.ovrik"
    wrote = [
        ["report", str(path), "-o", str(folder / "r.html")],
        ["export", str(path), "-o", str(folder / "e.json")],
    ]
    return [[look, str(path)], wrote[int(chance.integers(2))], ["rescue", str(path), "-o", str(new)]]


def _edit(db: sqlite3.Connection, sound: Sound, chance: np.random.Generator) -> None:
    table = sound.tables[int(chance.integers(len(sound.tables)))]
    rows = db.execute(f"SELECT rowid FROM {table}").fetchall()
    if not rows:
        return
    [row] = rows[int(chance.integers(len(rows)))]
    names = [r[1] for r in db.execute(f"PRAGMA table_info({table})")]
    if chance.random() < 0.1:
        db.execute(f"DELETE FROM {table} WHERE rowid = ?", (row,))
        return
    name = names[int(chance.integers(len(names)))]
    [here] = db.execute(f"SELECT {name} FROM {table} WHERE rowid = ?", (row,)).fetchone()
    db.execute(f"UPDATE {table} SET {name} = ? WHERE rowid = ?", (_in_place_of(here, sound, chance), row))


def _in_place_of(here: Any, sound: Sound, chance: np.random.Generator) -> Any:
    if isinstance(here, bytes):
        return here[: int(chance.integers(len(here) + 1))] + chance.bytes(int(chance.integers(9)))
    if isinstance(here, str):
        with suppress(ValueError):
            return json.dumps(changed(json.loads(here), chance, sound.texts))
    return other(here, [here], chance, sound.texts) if here is not None else 1


def _sent(sound: Sound, folder: Path, chance: np.random.Generator) -> Commands:
    path = folder / "s.ovrik"
    path.write_bytes(sound.sent.read_bytes())
    with closing(sqlite3.connect(path)) as db:
        db.execute("PRAGMA ignore_check_constraints = ON")
        for _ in range(int(chance.integers(1, 3))):
            with suppress(sqlite3.Error, OverflowError, UnicodeError):
                [row] = db.execute("SELECT id FROM carried ORDER BY random() LIMIT 1").fetchone()
                names = ("kind", "name", "sha256", "bytes", "piece", "data", "id")
                name = names[int(chance.integers(len(names)))]
                [here] = db.execute(f"SELECT {name} FROM carried WHERE id = ?", (row,)).fetchone()
                db.execute(
                    f"UPDATE carried SET {name} = ? WHERE id = ?", (_in_place_of(here, sound, chance), row)
                )
        db.commit()
    return [["unpack", str(path)], ["check", str(path)] if chance.random() < 0.1 else ["verdict", str(path)]]


TIMELINE = tuple(f"study/timeline/{name}" for name in ("reader", "file", "media_finder", "speed", "cut"))
PLANS = (
    "study/question/plan",
    "study/contender/as_table",
    "study/contender/grid",
    "work/lineup/from_plan",
    "study/programme/treatment",
)
READERS = {
    r.name: r
    for r in (
        Reader(
            "plans",
            _plan,
            (
                "study/question/plan",
                "study/contender/as_table",
                "study/contender/grid",
                "work/lineup/from_plan",
            ),
        ),
        Reader("studies", _study, ("store/records/", "store/tables/", "store/rescue")),
        Reader("timelines", _otio, TIMELINE),
        Reader("XML timelines", _xml, TIMELINE),
        Reader("edit lists", _edl, (*TIMELINE, "study/timeline/edl")),
        Reader("LUTs", _lut, ("study/programme/lut",)),
        Reader("old tables", _table, ("work/outside/old_results",)),
        Reader("profiles", _profile, ("standin/profile",)),
        Reader("descriptions", _description, ("study/contender/described",)),
        Reader("sent studies", _sent, ("store/tables/carried",)),
    )
}
