"""Start and end of outside exports as a watch finds them, against what the exporting program says of itself."""

import json
import subprocess
import sys
import threading
import time
from dataclasses import dataclass
from pathlib import Path

import psutil

from bench.seed import drawn
from bench.subject import footage_path, work_folder
from ovrik.machine.builds.build import locate
from ovrik.outside.watch import FileWatch, OutsideTime
from ovrik.quality.reference.cut_short import cut_short
from ovrik.standin.editing import HABITS

SILENT = ("prepared", "in memory")
"""Habits that work before the first byte: there the stated doubt must cover the truth."""
WITHIN_S = 0.1


@dataclass(frozen=True)
class Found:
    """Fields: `exports` watched; `missed`, those not found at all; `off`, starts or ends of the plain habits that
    are off by more than 0.1 s; `uncovered`, silent ones whose stated doubt does not cover the truth; `worst_s`, the
    largest deviation of a plain one; `own_share`, Ovrik's use of one core while watching."""

    exports: int
    missed: int
    off: int
    uncovered: int
    worst_s: float
    own_share: float


def _noise(folder: Path, ended: threading.Event) -> None:
    """Another program that writes in the same folder."""
    number = 0
    while not ended.wait(0.05):
        (folder / f"render cache {number % 40}.tmp").write_bytes(b"x" * 4096)
        number += 1


def watched(times: int = 13) -> Found:
    """Let the stand-in program export with every habit, with and without sight of it, so many times each, for
    as long as the day has it."""
    folder, log = work_folder() / "exports", work_folder() / "log"
    folder.mkdir()
    ended = threading.Event()
    threading.Thread(target=_noise, args=(folder, ended), daemon=True).start()
    missed = off = uncovered = exports = 0
    worst, own, spent = 0.0, psutil.Process(), 0.0
    began, draw = time.monotonic(), drawn("lengths of exports")
    for number in range(times):
        for habit in HABITS:
            exports += 1
            name = f"{habit} {number}.mkv"
            command = [sys.executable, "-m", "ovrik.standin.editing", "--program", str(locate("bundled"))]
            command += ["--source", str(footage_path()), "--habit", habit, "--log", str(log)]
            command += [
                "--seconds",
                f"{draw.uniform(0.5, 2.5):.2f}",
                "--pause",
                f"{draw.uniform(0.5, 2.0):.2f}",
            ]
            running = subprocess.Popen([*command, str(folder / name)])
            watch = FileWatch(folder, lambda path: cut_short(path, 1), running.pid if number % 2 else None)
            watch.start()
            found = _awaited(watch, running)
            watch.stop()
            if found is None:
                missed += 1
                continue
            said = json.loads(log.read_text().splitlines()[-1])
            if habit in SILENT:
                low, high = found.began_s - found.lead_s - found.doubt_s, found.began_s + found.doubt_s
                uncovered += not low <= said["began_s"] <= high
            else:
                apart = max(abs(found.began_s - said["began_s"]), abs(found.ended_s - said["ended_s"]))
                worst = max(worst, apart)
                off += apart > WITHIN_S
    used = own.cpu_times()
    spent = used.user + used.system
    ended.set()
    return Found(exports, missed, off, uncovered, worst, spent / (time.monotonic() - began))


def _awaited(watch: FileWatch, running: "subprocess.Popen[bytes]") -> OutsideTime | None:
    until = time.monotonic() + 60
    while time.monotonic() < until:
        found = watch.look()
        if found:
            running.wait()
            return found[0]
        time.sleep(0.1)
    running.kill()
    return None


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
