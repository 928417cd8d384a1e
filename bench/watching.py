"""What is kept of exports that nobody drives, by habits put together at random, against what the program says itself:
does the interval hold the truth, and is every export kept once and nothing else?"""

import json
import multiprocessing
import queue
import subprocess
import sys
import threading
import time
from collections.abc import Callable
from contextlib import closing
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import psutil

from bench.seed import drawn
from bench.subject import footage_path, work_folder
from bench.x_server import x_server
from ovrik.machine.builds.build import locate
from ovrik.outside.watch import FileWatch
from ovrik.quality.decode.probe import probe
from ovrik.quality.reference.cut_short import cut_short
from ovrik.standin.habits import Habit, drawn_habit
from ovrik.store.records.run import RunRecord
from ovrik.store.study import Study
from ovrik.study.programme.excerpt import Excerpt
from ovrik.study.programme.programme import of_clip
from ovrik.work.evidence.gathered import gather
from ovrik.work.outside.exports import next_card, outside_contender
from ovrik.work.outside.watching import Orders, Watched, watch_for

FRAMES, HABITS = 50, 40
NOTHING, PROGRAM, KEY, TRIAL = (
    "nothing chosen",
    "program chosen",
    "start key",
    "program and a trial with the key",
)
NARROW_S = 0.3
QUIET_S, LONGEST_S = 3.5, 40.0
"""After an export it is seen for so long whether anything else is kept; and so long it is waited for."""


@dataclass(frozen=True)
class Kept:
    """Fields: `habit`; `known`, what was told of it; `runs` that were kept of it, those that were corrected once;
    `covers`, whether the last one's bounds hold the truth, None of one that was killed or missed; `wide_s`, how far
    they are apart; `off_s`, by how much they miss it; `by`, how its start was
    found."""

    habit: Habit
    known: str
    runs: int
    covers: bool | None
    wide_s: float
    off_s: float = 0.0
    by: str = ""

    @property
    def missed(self) -> bool:
        """Whether an export was not found."""
        return not self.habit.killed and not self.runs

    @property
    def made_up(self) -> bool:
        """Whether there is one too many: two of one, or one of none."""
        return self.runs > (0 if self.habit.killed else 1)


def kept(habits: int = HABITS, loops: int = 0) -> list[Kept]:
    """So many habits of the day, each with nothing chosen, the program and a trial by the start key before, the key,
    or the program alone, in turn; `loops` that keep cores busy meanwhile."""
    draw, out = drawn(f"habits {loops}"), list[Kept]()
    busy = [multiprocessing.Process(target=_busy, daemon=True) for _n in range(loops)]
    for one in busy:
        one.start()
    try:
        with x_server():
            for number in range(habits):
                known = (NOTHING, TRIAL, KEY, PROGRAM)[number % 4]
                found = _one(drawn_habit(draw), known, f"{loops} {number}", float(draw.uniform(0.5, 3.5)))
                print(*map(_words, found), sep="\n", flush=True)
                out += found
    finally:
        for one in busy:
            one.kill()
    return out


def _busy() -> None:
    while True:
        sum(n * n for n in range(10_000))


def _words(found: Kept) -> str:
    how = (
        "killed" if found.habit.killed else "missed" if found.missed else "covers" if found.covers else "OFF"
    )
    wrong = f", off by {found.off_s:.2f} s" if found.covers is False else ""
    width = f"{found.wide_s:.2f} s wide by {found.by}"
    return f"{found.known}: {found.runs} kept, {how}{wrong}, {width}; {found.habit.to_json()}"


def _one(habit: Habit, known: str, name: str, idle_s: float) -> list[Kept]:
    """One export, or two that overlap, `idle_s` after the folder was armed."""
    place = work_folder() / name
    folder = place / "exports"
    folder.mkdir(parents=True)
    clip = probe(footage_path())
    made = Study.create(place / "s.ovrik", "s", of_clip(clip), Excerpt(0, FRAMES), rounds=1, warmup=0)
    with closing(made) as study:
        study.add_contender(outside_contender("Bell Yard", "1.0", {}, "mkv"))
        card = next_card(gather(study))
        log = place / "log"
        stems = [Path(card.name).stem, f"{Path(card.name).stem} as well"][: 2 if habit.overlap else 1]
        files = [folder / f"{stem}.{habit.ending}" for stem in stems]
        rehearsal = folder / f"first.{habit.ending}" if known == TRIAL else None
        with _program(habit, files, log, rehearsal) as running:
            orders, seen, ended = (
                Orders(trial=known == TRIAL),
                queue.SimpleQueue[Watched](),
                threading.Event(),
            )
            pid = running.pid if known in (PROGRAM, TRIAL) else None
            watching = threading.Thread(
                target=watch, args=(study.path, folder, pid, orders, seen.put, ended.is_set), daemon=True
            )
            watching.start()
            seen.get(timeout=LONGEST_S)  # armed
            if known == TRIAL:
                _pressed(running, orders, 1.0)
                _until(seen, lambda now: now.tried is not None)
            _pressed(running, orders if known == KEY else None, idle_s)
            running.wait(LONGEST_S)
            _settled(seen, habit)
            ended.set()
            watching.join()
        truths = {t["path"]: t for t in map(json.loads, log.read_text().splitlines())}
        with closing(Study.open(study.path)) as again:
            runs = [r for r in again.runs() if r.watched]
    # The second of two is begun by nobody's key.
    told = [known, NOTHING if known == KEY else known]
    return [
        _kept_of(habit, how, [r for r in runs if r.output == file.name], truths[str(file)])
        for how, file in zip(told, files, strict=False)
    ]


def _pressed(running: "subprocess.Popen[bytes]", key: Orders | None, idle_s: float) -> None:
    """The program's button, after a while, and the start key with it."""
    time.sleep(idle_s)
    if key is not None:
        key.press()
    assert running.stdin is not None
    running.stdin.write(b"go\n")
    running.stdin.flush()


def _until(seen: "queue.SimpleQueue[Watched]", there: Callable[[Watched], bool]) -> None:
    until = time.monotonic() + LONGEST_S
    while time.monotonic() < until and not there(seen.get(timeout=LONGEST_S)):
        pass


def _kept_of(habit: Habit, known: str, runs: list[RunRecord], truth: dict[str, Any]) -> Kept:
    last = list({r.round: r for r in runs}.values())
    if not last or truth["ended_s"] is None:
        return Kept(habit, known, len(last), None, 0.0)
    return _against(habit, known, last, truth["ended_s"] - truth["began_s"])


def _against(habit: Habit, known: str, runs: list[RunRecord], took: float) -> Kept:
    low, high = runs[-1].conditions["bounds_s"]
    off = max(low - took, took - high, 0.0)
    by = runs[-1].conditions["watched"]["began_by"]
    return Kept(habit, known, len(runs), off == 0.0, high - low, off, by)


def _program(habit: Habit, files: list[Path], log: Path, rehearsal: Path | None) -> "subprocess.Popen[bytes]":
    command = [sys.executable, "-m", "ovrik.standin.editing", "--program", str(locate("bundled")), "--button"]
    command += ["--source", str(footage_path()), "--seconds", "2"]
    command += ["--drawn", habit.to_json(), "--log", str(log)]
    command += ["--rehearsal", str(rehearsal)] if rehearsal else []
    running = subprocess.Popen([*command, *map(str, files)], stdin=subprocess.PIPE)
    time.sleep(1.0)  # until it waits for its button
    return running


def watch(
    path: Path,
    folder: Path,
    pid: int | None,
    orders: Orders,
    show: Callable[[Watched], None],
    should_stop: Callable[[], bool],
) -> None:
    """A watch in a thread of its own."""
    with closing(Study.open(path)) as study:
        watch_for(study, folder, pid, orders, show, should_stop)


def _settled(seen: "queue.SimpleQueue[Watched]", habit: Habit) -> None:
    """Wait until something was kept, and then whether something else is."""
    until = time.monotonic() + (6.0 if habit.killed else LONGEST_S)
    while (left := until - time.monotonic()) > 0:
        try:
            if seen.get(timeout=left).run is not None:
                until = time.monotonic() + QUIET_S
        except queue.Empty:
            return


def idle_share(seconds: float = 20.0) -> float:
    """Ovrik's use of one core while a folder is armed and a program is watched that does nothing."""
    folder = work_folder()
    program = subprocess.Popen([sys.executable, "-c", "import time; time.sleep(600)"])
    watch = FileWatch(folder, lambda path: cut_short(path, 1), program.pid)
    watch.start()
    own, before = psutil.Process(), time.monotonic()
    used = sum(own.cpu_times()[:2])
    while time.monotonic() - before < seconds:
        watch.look()
        time.sleep(0.1)
    share = (sum(own.cpu_times()[:2]) - used) / (time.monotonic() - before)
    watch.stop()
    program.kill()
    return float(share)
