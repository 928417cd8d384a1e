"""A study whose Ovrik is killed at random moments: what had ended stays, and nothing is left at work."""

import re
import subprocess
import sys
import time
from dataclasses import dataclass
from pathlib import Path

import psutil

from bench.seed import drawn
from bench.subject import work_folder
from ovrik.demo.film import make_film
from ovrik.errors import OvrikError
from ovrik.machine.processes.strays import MARK
from ovrik.store.study import Study

CONTENDERS, ROUNDS = 20, 100
LONGEST_LIFE_S = 3.5
SETTLED_S = 0.5
ENDED = re.compile(rb"\] (\S+), round (\d+): done")


@dataclass
class Found:
    """Fields: `kills` made; runs `finished`; how many were `lost`; processes `left`; times `unreadable`."""

    kills: int = 0
    finished: int = 0
    lost: int = 0
    left: int = 0
    unreadable: int = 0


def kill_often(times: int = 200) -> Found:
    """Run one plan over and over, kill it each time, delete its write-ahead log, and look at the study."""
    chance, found = drawn("moments of kills"), Found()
    plan, study = long_plan(), work_folder() / "kill.ovrik"
    known: dict[tuple[str, int], float] = {}
    while found.kills < times:
        said, killed = _one_life(plan, study, chance.uniform(0.05, LONGEST_LIFE_S))
        found.kills += 1
        left = at_work(killed)
        found.left += len(left)
        print(*left, sep="\n", end="\n" if left else "", file=sys.stderr)
        for tail in ("-wal", "-shm"):
            Path(f"{study}{tail}").unlink(missing_ok=True)
        kept = _kept(study)
        if kept is None:
            found.unreadable += study.exists()
            continue
        found.lost += sum(kept.get(key) != wall for key, wall in known.items()) + len(said - set(kept))
        known = kept
    found.finished = len(known)
    return found


def long_plan() -> Path:
    clip = make_film(path=work_folder() / "kill.mov", frames=12)
    path = work_folder() / "kill.toml"
    contenders = "".join(
        f'[[contender]]\nlabel="c{n}"\nencoder="libx264"\npreset="ultrafast"\nquality={10 + n}\n'
        for n in range(CONTENDERS)
    )
    path.write_text(
        f'[study]\ntitle="Kill"\nfootage="{clip}"\nrounds={ROUNDS}\nwarmup=0\n[timing]\nrest=false\n'
        f"repeat_disturbed=false\nsync=false\n{contenders}"
    )
    return path


def _one_life(plan: Path, study: Path, seconds: float) -> tuple[set[tuple[str, int]], int]:
    """Gives the runs that it said had ended before it was killed, and its number. It is let past its start, which
    writes nothing."""
    log = work_folder() / "kill.log"
    with log.open("wb") as out:
        child = subprocess.Popen(
            [sys.executable, "-u", "-m", "ovrik", "run", str(plan), "-o", str(study)], stdout=out, stderr=out
        )
        time.sleep(0.5 + seconds)
        child.kill()
        child.wait()
    time.sleep(SETTLED_S)
    return {(m[1].decode(), int(m[2])) for m in ENDED.finditer(log.read_bytes())}, child.pid


def at_work(killed: int) -> list[str]:
    """Commands of living processes that carry the mark of an export of this Ovrik."""
    found = []
    for process in psutil.process_iter():
        try:
            mark = "" if process.status() == psutil.STATUS_ZOMBIE else process.environ().get(MARK, "")
            if mark.startswith(f"{killed}:"):
                found.append(" ".join(process.cmdline()))
        except psutil.Error:
            continue
    return found


def _kept(path: Path) -> dict[tuple[str, int], float] | None:
    """Wall times of the runs on file, by label and round; None when the study can't be opened."""
    try:
        study = Study.open(path)
    except OvrikError as exc:
        print(exc, file=sys.stderr)
        return None
    labels = {c.contender_id: c.label for c in study.contenders(with_dropped=True)}
    runs = {(labels[r.contender_id], r.round): r.wall_s or 0.0 for r in study.runs() if r.state == "done"}
    study.close()
    return runs
