"""Files with anything in them: no traceback, no hang, no flood of memory. `./run bench fuzz` goes on for longer."""

import os
import re
import shutil
import signal
import sqlite3
import time
from collections.abc import Callable, Iterator
from contextlib import closing, contextmanager
from functools import cache
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from hypothesis import HealthCheck, given, seed, settings
from hypothesis import strategies as st

from added_runs import BUILD, add_run
from ovrik.cli import main
from ovrik.errors import OvrikError
from ovrik.quality.decode.probe import probe
from ovrik.quality.decode.timelines import read_timeline, read_timeline_apart
from ovrik.quality.reference.key import key_of
from ovrik.standin.profile import FOLDER, ProfileError, load_profile
from ovrik.store.records.made import PlaybackRecord
from ovrik.store.records.score import MetricScores, ScoreRecord
from ovrik.store.study import Study
from ovrik.study.contender.contender import Contender
from ovrik.study.contender.delivery import delivery
from ovrik.study.contender.described import load_description
from ovrik.study.encoder.recipe import recipe
from ovrik.study.facts.notes import Blind, BlindChoice, Pin, Spot
from ovrik.study.facts.played import Pace
from ovrik.study.facts.point import RIGHT, UNKNOWN, Point
from ovrik.study.programme.excerpt import Excerpt
from ovrik.study.programme.lut import check_cube
from ovrik.study.programme.programme import of_clip
from ovrik.study.question.plan import load_plan
from ovrik.study.timeline.writer import write_timeline
from ovrik.work.lineup.approvals_wanted import waiting
from timeline_texts import EDL, XMEML
from tiny_clip import write_clip

SECONDS = float(os.environ.get("OVRIK_FUZZ_SECONDS", "6"))
SEED = int(os.environ.get("OVRIK_FUZZ_SEED", "10"))
LONGEST_S = 10
MOST_BYTES = 500 * 2**20

PLAN = """[study]
title = "T"
footage = "clip.mkv"
rounds = 3
warmup = 1
excerpt = { start = 0, frames = 9 }
[timing]
rest = false
order = "random"
seed = 4
[limits]
min_vmaf = 90.0
max_mb_per_min = 100
[[treatment]]
kind = "blur"
radius = 4
[[contender]]
label = "x"
encoder = "libx264"
preset = "medium"
quality = 23
raw = { bf = 2, x264-params = "keyint=50" }
[[grid]]
encoders = ["libx264", "libx265"]
presets = ["fast", "slow"]
qualities = [18, 23]
[[program]]
key = "x"
title = "X"
program = "x-enc"
codec = "h264"
arguments = ["-i", "{input}", "-q", "{settings.q}", "{output}"]
settings = { q = 3 }
"""
DESCRIPTION = """key = "x"
title = "X"
program = "/opt/x"
codec = "h264"
arguments = ["-i", "{input}", "-q", "{settings.q}", "{output}"]
settings = { q = 3 }
[version]
arguments = ["--version"]
"""
CUBE = 'TITLE "x"\nLUT_3D_SIZE 2\nDOMAIN_MIN 0 0 0\nDOMAIN_MAX 1 1 1\n' + "0.5 0.25 1\n" * 8

ODD = [
    "nan",
    "inf",
    "-inf",
    "-1",
    "0",
    "1/0",
    "9" * 400,
    "1e999",
    "-0.0",
    "²",
    "\x00",
    "\x1b[2J",
    "../../etc/passwd",
    "/dev/zero",
    "/proc/self/mem",
    "true",
    "[]",
    "{}",
    '""',
    '"',
    "'''",
    "[" * 200,
    "{a=" * 50,
    "concat:a|b",
    "%41",
    "é" * 50,
    "[[",
    "]]",
    "00:00:00:00",
    "99:99:99;99",
    "25/1",
    "1:99999999999",
    "<!ENTITY a 'b'>&a;",
    "{input}",
    "\ud7ff",
    "\ufeff",
    "\r",
    "1979-05-27",
]
TOKEN = re.compile(r'"[^"\n]*"|[\w.+/:-]+')

change = st.tuples(
    st.sampled_from(("token", "line", "double", "cut", "insert", "byte", "swap")),
    st.floats(0, 1, exclude_max=True),
    st.floats(0, 1, exclude_max=True),
    st.one_of(st.sampled_from(ODD), st.text(max_size=12), st.integers().map(str), st.floats().map(str)),
)
changes = st.lists(change, min_size=1, max_size=6)


def changed(text: str, made: list[tuple[str, float, float, str]]) -> bytes:
    """A text after some changes: values replaced, lines dropped, doubled or exchanged, the end cut off."""
    for kind, at, other, value in made:
        lines = text.splitlines(keepends=True) or [""]
        here, there = int(at * len(lines)), int(other * len(lines))
        if kind == "token" and (found := list(TOKEN.finditer(text))):
            spot = found[int(at * len(found))]
            put = value if other < 0.5 else f'"{value}"'
            text = text[: spot.start()] + put + text[spot.end() :]
        elif kind == "line":
            text = "".join(lines[:here] + lines[here + 1 :])
        elif kind == "double":
            text = "".join(lines[:here] + [lines[here]] * (1 + int(other * 300)) + lines[here:])
        elif kind == "swap":
            lines[here], lines[there] = lines[there], lines[here]
            text = "".join(lines)
        elif kind == "cut":
            text = text[: int(at * len(text))]
        elif kind == "insert":
            text = text[: (spot := int(at * len(text)))] + value + text[spot:]
    data = bytearray(text.encode("utf-8", "surrogatepass"))
    for kind, at, other, _value in made:
        if kind == "byte" and data:
            data[int(at * len(data))] = int(other * 256)
    return bytes(data)


def status(name: str) -> int:
    """A memory figure of this process, in bytes."""
    found = re.search(rf"^{name}:\s+(\d+) kB", Path("/proc/self/status").read_text(), re.MULTILINE)
    return int(found[1]) * 1024 if found else 0


@contextmanager
def bounded() -> Iterator[None]:
    """What is inside ends within 10 s and takes no more than 500 MB."""

    def late(_number: int, _frame: object) -> None:
        raise AssertionError(f"no end within {LONGEST_S} s")

    Path("/proc/self/clear_refs").write_text("5")  # the peak is counted anew from here
    before, old = status("VmRSS"), signal.signal(signal.SIGALRM, late)
    signal.setitimer(signal.ITIMER_REAL, LONGEST_S)
    try:
        yield
    finally:
        signal.setitimer(signal.ITIMER_REAL, 0)
        signal.signal(signal.SIGALRM, old)
    assert status("VmHWM") - before < MOST_BYTES


@cache
def bench() -> Path:
    """A folder with a small clip and a sound study."""
    import tempfile

    folder = Path(tempfile.mkdtemp(prefix="ovrik-fuzz-"))
    clip = write_clip(folder / "clip.mkv", 12)
    programme = of_clip(probe(clip))
    study = Study.create(folder / "sound.ovrik", "S", programme, Excerpt(0, 9), rounds=3, warmup=0)
    for preset in ("fast", "slow"):
        study.add_contender(
            Contender("bundled", recipe("libx264", preset), label=preset, methods=(("resize", "area"),))
        )
    for contender in (1, 2):
        for n in range(1, 4):
            add_run(study, contender, n, 2.0 + n / 100)
    pace = Pace(9, 0, 0, 25.0, 0.0, 25.0)
    played = PlaybackRecord(1, "", "full", 1, 1, (pace,), 0.5, {"decoding": 0.01})
    study.keep_playback([played], programme, Excerpt(0, 9), {"processor": "x"})
    done = study.runs(1)[-1]
    points = (Point("frames", RIGHT), Point("levels", UNKNOWN, "too little contrast"))
    key = key_of(study.facts(), programme, delivery(programme, Excerpt(0, 9), recipe("libx264", "fast")))
    sha256 = done.output_sha256 or ""
    kept = {name: MetricScores("1", np.linspace(80, 99, 9)) for name in ("vmaf", "loss_detail", "bits")}
    study.keep_score(ScoreRecord(1, sha256, key, points=points, metrics=kept), BUILD)
    study.keep_pin(Pin(1, sha256, 3, (0.1, 0.2, 0.3, 0.4), "soft"), programme, Excerpt(0, 9))
    seen = Blind(sha256, "reference", key, "Ida", "Fit", (Spot(3),), 12, (BlindChoice(0, True, False, 1.5),))
    study.keep_blind(seen, programme, Excerpt(0, 9))
    study.close()
    write_timeline(programme, folder / "sound.otio")
    return folder


def fuzz(share: float, each_s: float) -> Callable[[Callable[..., None]], Callable[..., None]]:
    """Settings for a property that gets a share of the time and takes so long for each example."""
    examples = max(int(SECONDS * share / each_s), 5)
    with_settings = settings(
        max_examples=examples,
        deadline=None,
        database=None,
        print_blob=True,
        suppress_health_check=list(HealthCheck),
    )
    return lambda test: seed(SEED)(with_settings(test))


def read_only_clear(read: Callable[[Path], Any], path: Path, data: bytes) -> None:
    """A file with these bytes is read, or refused in one line."""
    path.write_bytes(data)
    refusal = "none"
    with bounded():
        try:
            read(path)
        except (OvrikError, ProfileError) as exc:
            refusal = str(exc)
    assert 0 < len(refusal) < 4000


def command_ends_well(capsys: pytest.CaptureFixture[str], *arguments: str | Path) -> None:
    with bounded():
        code = main([str(a) for a in arguments])
    said = capsys.readouterr()
    assert code in (0, 1, 2)
    assert "error in Ovrik itself" not in said.err, said.err
    assert "Traceback" not in said.err
    assert "\x1b" not in said.out + said.err


@pytest.fixture(autouse=True)
def own_data(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """Nothing here is approved, and nothing is kept."""
    monkeypatch.setenv("XDG_DATA_HOME", str(tmp_path / "data"))


@fuzz(0.15, 0.012)
@given(made=changes)
def test_plans(made: list[tuple[str, float, float, str]]) -> None:
    read_only_clear(load_plan, bench() / "fuzzed.toml", changed(PLAN, made))


@fuzz(0.15, 0.025)
@given(made=changes)
def test_plans_looked_over(
    made: list[tuple[str, float, float, str]], capsys: pytest.CaptureFixture[str]
) -> None:
    path = bench() / "fuzzed plan.toml"
    path.write_bytes(changed(PLAN, made))
    command_ends_well(capsys, "plan", path)
    with bounded():
        try:
            waiting(load_plan(path))
        except OvrikError:
            return


@fuzz(0.1, 0.02)
@given(made=changes, kind=st.sampled_from((".edl", ".xml")))
def test_timelines(made: list[tuple[str, float, float, str]], kind: str) -> None:
    text = {".edl": EDL, ".xml": XMEML}[kind]
    read_only_clear(read_timeline, bench() / f"fuzzed{kind}", changed(text, made))


@fuzz(0.1, 1.0)
@given(made=changes)
def test_timelines_whose_reader_may_fall_over(made: list[tuple[str, float, float, str]]) -> None:
    text = (bench() / "sound.otio").read_text()
    read_only_clear(read_timeline_apart, bench() / "fuzzed.otio", changed(text, made))


@fuzz(0.05, 0.003)
@given(made=changes)
def test_luts(made: list[tuple[str, float, float, str]]) -> None:
    read_only_clear(check_cube, bench() / "fuzzed.cube", changed(CUBE, made))


@fuzz(0.05, 0.006)
@given(made=changes)
def test_profiles(made: list[tuple[str, float, float, str]]) -> None:
    text = (FOLDER / "anvil.toml").read_text()
    read_only_clear(load_profile, bench() / "fuzzed profile.toml", changed(text, made))


@fuzz(0.05, 0.003)
@given(made=changes)
def test_descriptions(made: list[tuple[str, float, float, str]]) -> None:
    def read(path: Path) -> None:
        found = load_description(path)
        assert found.filled()

    read_only_clear(read, bench() / "fuzzed description.toml", changed(DESCRIPTION, made))


@fuzz(0.2, 0.1)
@given(
    spots=st.lists(
        st.tuples(st.floats(0, 1, exclude_max=True), st.integers(0, 255)), min_size=1, max_size=200
    ),
    kept=st.sampled_from((1.0, 1.0, 1.0, 0.5, 0.99)),
)
def test_damaged_studies(
    spots: list[tuple[float, int]], kept: float, capsys: pytest.CaptureFixture[str]
) -> None:
    data = bytearray((bench() / "sound.ovrik").read_bytes())
    for at, value in spots:
        data[int(at * len(data))] = value
    path = bench() / "damaged.ovrik"
    path.write_bytes(data[: int(kept * len(data))])
    look_and_rescue(path, capsys)


def places() -> list[tuple[str, str]]:
    """Every column of every table."""
    with closing(sqlite3.connect(bench() / "sound.ovrik")) as db:
        every = db.execute("SELECT name FROM sqlite_schema WHERE type = 'table'").fetchall()
        tables = [t for (t,) in every if "sqlite" not in t]
        return [(t, c[1]) for t in tables for c in db.execute(f"PRAGMA table_info({t})")]


@fuzz(0.2, 0.1)
@given(
    edits=st.lists(
        st.tuples(
            st.floats(0, 1, exclude_max=True),
            st.one_of(
                st.none(),
                st.integers(-(2**63), 2**63 - 1),
                st.floats(),
                st.sampled_from(ODD),
                st.binary(max_size=8),
                st.text(max_size=20),
            ),
            st.booleans(),
        ),
        min_size=1,
        max_size=4,
    )
)
def test_edited_studies(edits: list[tuple[float, Any, bool]], capsys: pytest.CaptureFixture[str]) -> None:
    path = bench() / "edited.ovrik"
    shutil.copy(bench() / "sound.ovrik", path)
    with closing(sqlite3.connect(path)) as db:
        for pragma in ("foreign_keys = OFF", "ignore_check_constraints = ON"):
            db.execute(f"PRAGMA {pragma}")
        for at, value, within in edits:
            every = places()
            table, column = every[int(at * len(every))]
            try:
                edit(db, table, column, value, within)
            except (sqlite3.Error, OverflowError, UnicodeError):
                continue
        db.commit()
    look_and_rescue(path, capsys)


def edit(db: sqlite3.Connection, table: str, column: str, value: Any, within: bool) -> None:
    """Put a value into a column; `within` JSON, in place of the first thing in it."""
    if within and isinstance(value, str):
        for key, text in db.execute(f"SELECT rowid, {column} FROM {table}").fetchall():
            if isinstance(text, str) and ":" in text:
                put = re.sub(r": *[^,}]+", lambda _m: f": {value}", text, count=1 + len(value) % 3)
                db.execute(f"UPDATE {table} SET {column} = ? WHERE rowid = ?", (put, key))
        return
    db.execute(f"UPDATE {table} SET {column} = ?", (value,))


def look_and_rescue(path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    new = path.with_name("rescued.ovrik")
    for left in path.parent.glob("rescued.ovrik*"):
        left.unlink()
    command_ends_well(capsys, "verdict", path)
    command_ends_well(capsys, "rescue", path, "-o", new)
    if new.exists():
        command_ends_well(capsys, "verdict", new)


def test_the_measure_of_time_and_memory_can_fail() -> None:
    def flood() -> None:
        with bounded():
            held = bytearray(MOST_BYTES + 2**24)
            held[::4096] = b"x" * len(held[::4096])

    with pytest.raises(AssertionError):
        flood()
    global LONGEST_S
    LONGEST_S, kept = 1, LONGEST_S
    try:
        with pytest.raises(AssertionError, match="no end"), bounded():
            time.sleep(3)
    finally:
        LONGEST_S = kept
