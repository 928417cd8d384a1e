"""Every command that works for long, killed at any moment, on a drive that fills and comes back: what had ended
stays, is counted once, and nothing is left over."""

import os
import re
import shutil
import subprocess
import sys
import tempfile
import time
from collections import Counter
from collections.abc import Callable, Iterator
from contextlib import closing, contextmanager, suppress
from dataclasses import dataclass, field
from pathlib import Path

import numpy as np

from bench.kills import at_work, long_plan
from bench.seed import drawn
from bench.subject import work_folder
from ovrik.errors import OvrikError
from ovrik.store.study import Study

FULL_SHARE, LEFT_BYTES = 0.2, (0, 200_000)
"""Of the lives on a drive that is full, or nearly, from some moment on; and what is left on it then."""
LIFE_S = (0.4, 7.0)
SETTLED_S = 0.4
DRIVE_MB = 48
OLD_SCHEMA = Path(__file__).parents[1] / "tests" / "store" / "schemas" / "schema-5.sql"
KEPT = Path(tempfile.gettempdir()) / "ovrik-kills"
"""Where a study that could not be opened is kept, to be looked at."""
ENDED = re.compile(rb"\] (\S+), round (\d+): done")


@dataclass
class Found:
    """Fields: `kills` by command; runs `finished` by them; what was `lost`, counted `twice`, `left` over, or could
    not be `opened`, each said."""

    kills: Counter[str] = field(default_factory=Counter)
    finished: int = 0
    lost: list[str] = field(default_factory=list)
    twice: list[str] = field(default_factory=list)
    left: list[str] = field(default_factory=list)
    opened: list[str] = field(default_factory=list)


@dataclass(frozen=True)
class Command:
    """Fields: `name`; `argv` of it on a drive; `lay`, what it needs there and has not yet; `written`, the file that
    it makes, which is there whole or not at all, "" for none."""

    name: str
    argv: Callable[[Path], list[str]]
    lay: Callable[[Path], object] = lambda _drive: None
    written: str = ""


def _study(drive: Path) -> str:
    return str(drive / "kill.ovrik")


def _unchecked(drive: Path) -> None:
    """Outputs that are still to be checked."""
    with closing(Study.open(drive / "kill.ovrik")) as study, study._change() as db:
        db.execute("DELETE FROM score")


def _old(drive: Path) -> None:
    import sqlite3

    for tail in ("", "-wal", "-shm"):
        (drive / f"old.ovrik{tail}").unlink(missing_ok=True)
    with closing(sqlite3.connect(drive / "old.ovrik")) as db:
        db.executescript(OLD_SCHEMA.read_text())


def _gone(name: str) -> Callable[[Path], None]:
    return lambda drive: (drive / name).unlink(missing_ok=True)


def _sent(drive: Path) -> None:
    shutil.rmtree(drive / "sent outputs", ignore_errors=True)
    if not (drive / "sent.ovrik").exists():
        _to_end(["send", _study(drive), "-o", str(drive / "sent.ovrik"), "--outputs"])


def _watched(drive: Path) -> None:
    """A folder into which somebody exports meanwhile."""
    place = drive / "exports"
    shutil.rmtree(place, ignore_errors=True)
    place.mkdir()
    from ovrik.machine.builds.build import locate

    source = "testsrc2=s=64x36:r=25,trim=end_frame=25"
    line = [str(locate("bundled")), "-v", "error", "-f", "lavfi", "-i", source, "-y"]
    script = "import subprocess,sys,time\ntime.sleep(1)\nfor n in range(6):\n" + (
        f"    subprocess.run({line!r} + [f'{place}/a{{n}}.mkv'])\n    time.sleep(.4)\n"
    )
    subprocess.Popen([sys.executable, "-c", script], stderr=subprocess.DEVNULL)


PLAN = "kill.toml"
COMMANDS = (
    Command("run", lambda d: ["run", str(work_folder() / PLAN), "-o", _study(d)]),
    Command("run", lambda d: ["run", str(work_folder() / PLAN), "-o", _study(d)]),
    Command("check", lambda d: ["check", _study(d)], _unchecked),
    Command("match", lambda d: ["match", _study(d), "c0", "--floor", "vmaf_mean=60"]),
    Command("sitting", lambda d: ["again", _study(d), "--rounds", "1"]),
    Command(
        "watch", lambda d: ["outside", "watch", _study(d), str(d / "exports"), "--exports", "9"], _watched
    ),
    Command(
        "send",
        lambda d: ["send", _study(d), "-o", str(d / "made.ovrik"), "--outputs"],
        _gone("made.ovrik"),
        "made.ovrik",
    ),
    Command("unpack", lambda d: ["unpack", str(d / "sent.ovrik")], _sent),
    Command("migration", lambda d: ["verdict", str(d / "old.ovrik")], _old, "old.ovrik"),
    Command(
        "rescue",
        lambda d: ["rescue", _study(d), "-o", str(d / "saved.ovrik")],
        _gone("saved.ovrik"),
        "saved.ovrik",
    ),
)


def kill_everywhere(times: int = 1000) -> Found:
    """One command after another, each killed; after each the study is looked at. At the end each is let to its end,
    and what is left over is counted."""
    chance, found = drawn("moments of kills, everywhere"), Found()
    long_plan()
    with _drive() as drive:
        _to_end(["run", str(work_folder() / PLAN), "-o", _study(drive)], seconds=15)
        known = _kept(drive / "kill.ovrik", found) or {}
        for number in range(times):
            command = COMMANDS[int(chance.integers(len(COMMANDS)))]
            known = _one_life(command, drive, chance, known, found)
            found.kills[command.name] += 1
            if number % 50 == 49:
                print(f"{number + 1} kills, {len(known)} runs", flush=True)
        found.finished = len(known)
        for command in {c.name: c for c in COMMANDS if c.name not in ("run", "watch")}.values():
            command.lay(drive)
            _to_end(command.argv(drive))
        names = [*drive.rglob(".*"), *Path(os.environ["TMPDIR"]).iterdir()]
        found.left += [str(p) for p in names if p.name != ".hold"]
    return found


def _one_life(
    command: Command, drive: Path, chance: np.random.Generator, known: dict[str, float], found: Found
) -> dict[str, float]:
    command.lay(drive)
    log = work_folder() / "everywhere.log"
    with log.open("wb") as out:
        child = subprocess.Popen(
            [sys.executable, "-u", "-m", "ovrik", *command.argv(drive)], stdout=out, stderr=out
        )
        lives = float(chance.uniform(*LIFE_S))
        fills = chance.random() < FULL_SHARE
        time.sleep(lives / 2)
        if fills:
            _fill(drive, int(chance.choice(LEFT_BYTES)))
        time.sleep(lives / 2)
        child.kill()
        child.wait()
    time.sleep(SETTLED_S)
    found.left += [f"{command.name}: {line}" for line in at_work(child.pid)]
    kept = _kept(drive / "kill.ovrik", found)  # while it may still be full
    (drive / "filler").unlink(missing_ok=True)
    said = log.read_bytes()
    if b"Traceback" in said or b"error in Ovrik itself" in said:
        found.left.append(f"{command.name}: {said[-300:].decode(errors='replace')}")
    if command.written:
        _whole(drive / command.written, command, found)
    kept = _kept(drive / "kill.ovrik", found) if kept is None else kept
    if kept is None:
        return known
    found.lost += [f"{command.name}: {key}" for key, wall in known.items() if kept.get(key) != wall]
    if command.name == "run":
        done = {key.rsplit("#", 1)[0].split(" ", 1)[1] for key in kept}
        for match in ENDED.finditer(said):
            if f"{match[1].decode()} {int(match[2])}" not in done:
                found.lost.append(f"run: {match[0].decode()} was said")
    return kept


def _whole(path: Path, command: Command, found: Found) -> None:
    """What it made is a study, where it is there at all."""
    with suppress(FileNotFoundError):
        if path.stat().st_size:
            try:
                Study.open(path).close()
            except OvrikError as exc:
                found.opened.append(f"{command.name}: {exc}")


def _kept(path: Path, found: Found) -> dict[str, float] | None:
    """Wall times of the runs that are done, by sitting, label, round and number; None where it can't be opened."""
    try:
        with closing(Study.open(path)) as study:
            labels = {c.contender_id: c.label for c in study.contenders(with_dropped=True)}
            every = [r for r in study.runs(every_sitting=True) if r.state == "done"]
    except OvrikError as exc:
        found.opened.append(str(exc))
        kept = KEPT / str(len(found.opened))
        shutil.copytree(
            path.parent, kept, dirs_exist_ok=True, ignore=shutil.ignore_patterns("* outputs", "filler")
        )
        return None
    rounds = Counter(
        (r.sitting_id, r.contender_id, r.round)
        for r in every
        if r.driven and not r.warmup and not r.disturbed
    )
    found.twice += [f"{key} {count} times" for key, count in rounds.items() if count > 1]
    return {f"{r.sitting_id} {labels[r.contender_id]} {r.round}#{r.id}": r.wall_s or 0.0 for r in every}


def _fill(drive: Path, left: int) -> None:
    free = shutil.disk_usage(drive).free - left
    with suppress(OSError), (drive / "filler").open("wb") as out:
        out.write(bytes(max(free, 0)))


def _to_end(argv: list[str], seconds: float = 120) -> None:
    child = subprocess.Popen(
        [sys.executable, "-m", "ovrik", *argv], stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL
    )
    with suppress(subprocess.TimeoutExpired):
        child.wait(seconds)
    if child.poll() is None:
        child.terminate()
        child.wait()


@contextmanager
def _drive() -> Iterator[Path]:
    """A small drive of its own where one can be mounted, else a folder; what is worked in lies beside it."""
    place, scratch = work_folder() / "drive", work_folder() / "tmp"
    place.mkdir()
    scratch.mkdir()
    before = os.environ.get("TMPDIR")
    os.environ["TMPDIR"] = str(scratch)
    mounted = not subprocess.run(
        ["mount", "-t", "tmpfs", "-o", f"size={DRIVE_MB}m", "none", str(place)],
        check=False,
        capture_output=True,
    ).returncode
    try:
        yield place
    finally:
        if mounted:
            subprocess.run(["umount", "-l", str(place)], check=False)
        os.environ["TMPDIR"] = before or tempfile.gettempdir()


if __name__ == "__main__":
    result = kill_everywhere(int(sys.argv[1]) if len(sys.argv) > 1 else 1000)
    print(dict(result.kills), result.finished, "runs")
    for name in ("lost", "twice", "left", "opened"):
        print(name, len(getattr(result, name)), *getattr(result, name)[:20], sep="\n  ")
