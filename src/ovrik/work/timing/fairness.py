"""A clean start for every run, a rest before it, and what disturbed it."""

import os
import statistics
import threading
import time
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any

from ovrik.errors import Ask
from ovrik.export.graph.long_graph import graph_folder
from ovrik.export.graph.lut_nodes import lut_folder
from ovrik.export.graph.treat import FONT
from ovrik.export.run.timed import RunResult
from ovrik.export.run.wall import Wall
from ovrik.machine.sensors.load import clock_mhz, counters, drop_from_cache, hottest_c, read_into_cache
from ovrik.machine.sensors.readings import Sensors
from ovrik.machine.workstation.readiness import process_seconds
from ovrik.study.facts.disturbance import Disturbance, Disturber
from ovrik.study.programme.unchanged import files_of
from ovrik.study.question.conduct import COLD, WARM, Conduct
from ovrik.work.prepare.asked_devices import asked
from ovrik.work.prepare.export_plan import Plan

LOOK_S = 0.5
WARMER_C = 4.0
SLOWER_SHARE = 0.1
IDLE_SHARE = 0.08
RESTING_SHARE = 0.1
THROTTLED_SHARE = 0.8
STOLEN_SHARE = 0.02
HELD_BACK_SHARE = 0.05
ASLEEP_S = 1.0
DISK_MB_S = 30.0
LEAST_S, LEAST_DISK = 0.3, 60_000_000
"""What is less than this is within what the kernel's own counting leaves open, whatever its share."""


def sources(plan: Plan) -> list[Path]:
    """The files that an export reads."""
    kept = plan.prerendered_file()
    if kept is not None:
        return [kept]
    return list(dict.fromkeys([*(path for path, _checksum in files_of(plan.programme)), *plan.analysed()]))


def wall_for(plan: Plan, *writes: Path) -> Wall | None:
    """What a run may read and write; None for what works on a device or is a program of its own kind, which may need
    more than can be known of it."""
    if plan.described or plan.build.simulated or asked(plan):
        return None
    return Wall(
        (*_homes(Path(plan.build.path)), FONT, lut_folder(), graph_folder(), *sources(plan)), tuple(writes)
    )


def _homes(program: Path) -> list[Path]:
    """A program and where it may keep its libraries."""
    real = program.resolve()
    asked_for = [Path(p) for p in os.environ.get("LD_LIBRARY_PATH", "").split(":") if p]
    beside = [real.parent, real.parent.parent / "lib", real.parent.parent / "lib64", *asked_for]
    # A build that lies in the home folder itself, or above it, does not open that.
    return [program, real, *(place for place in beside if not Path.home().is_relative_to(place))]


def remove_left(folder: Path) -> None:
    """Remove what runs that were cut off left in a folder of outputs. Outputs themselves stay."""
    for path in folder.glob("partial *"):
        if path.is_file():
            path.unlink(missing_ok=True)


def clean_start(plan: Plan, conduct: Conduct, outputs: list[Path]) -> dict[str, Any]:
    """Bring the page cache into the state that is asked for; gives what was done, to be kept with the run."""
    steps: dict[str, Any] = {
        "cache": conduct.cache,
        "nice": conduct.nice,
        "cores": list(conduct.cores),
        "remove_left": conduct.remove_left,
        "sync": conduct.sync,
    }
    done = {COLD: drop_from_cache, WARM: read_into_cache}.get(conduct.cache)
    if done is None:
        return steps
    files = [p for p in (*sources(plan), *(outputs if conduct.cache == COLD else [])) if p.exists()]
    steps["files"] = len(files)
    steps["failed"] = [p.name for p in files if not done(p)]
    return steps


@dataclass(frozen=True)
class State:
    """The machine at rest. Fields: `busy`, share of all processors in use; `clock` in MHz and `celsius`, None
    where the machine does not report it; `device_celsius`, of the device that is asked for, likewise."""

    busy: float
    clock: float | None
    celsius: float | None
    device_celsius: float | None = None


def at_rest(seen: State) -> State:
    """What is taken for a machine's resting state: one that is busy when the first run is due is not at rest."""
    return replace(seen, busy=min(seen.busy, RESTING_SHARE))


def take_state(sensors: Sequence[Sensors] = ()) -> State:
    """Look for half a second; `sensors` are those of the device that is asked for."""
    before = counters()
    time.sleep(LOOK_S)
    now = counters()
    span = max(now.at - before.at, 1e-6) * max(len(now.busy), 1)
    device = max((v.value for s in sensors for v in s.read() if v.unit == "°C"), default=None)
    return State((sum(now.busy) - sum(before.busy)) / span, clock_mhz(), hottest_c(), device)


def within(now: State, band: State) -> str:
    """What is not back to how it was before the first run: "load", "temperature", "clock", or ""."""
    if now.busy > band.busy + IDLE_SHARE:
        return "load"
    if _warmer(now.celsius, band.celsius):
        return "temperature"
    if _warmer(now.device_celsius, band.device_celsius):
        return "temperature of the device"
    if now.clock is not None and band.clock is not None and now.clock < band.clock * (1 - SLOWER_SHARE):
        return "clock"
    return ""


def _warmer(now: float | None, before: float | None) -> bool:
    return now is not None and before is not None and now > before + WARMER_C


def missing_cores(conduct: Conduct) -> str:
    """Which of the cores that are asked for this machine lacks, in a clause, or ""."""
    there = os.sched_getaffinity(0)
    missing = [str(n) for n in conduct.cores if n not in there]
    if not missing:
        return ""
    is_not = "core {} is not there" if len(missing) == 1 else "cores {} are not there"
    return f"{is_not.format(', '.join(missing))}; there are {', '.join(map(str, sorted(there)))}"


@dataclass(frozen=True)
class Waiting:
    """A rest that goes on. Fields: `for_what`, "load", "temperature" and so on; `who`, names of programs that load
    the machine, busiest first; `took_s` so far, of `most_s`; `go_on`, ends it at once."""

    for_what: str
    who: tuple[str, ...]
    took_s: float
    most_s: float
    go_on: Callable[[], None]


def _busiest(before: dict[int, tuple[str, float]], after: dict[int, tuple[str, float]]) -> tuple[str, ...]:
    spent = {pid: (s - before[pid][1], name) for pid, (name, s) in after.items() if pid in before}
    spent.pop(os.getpid(), None)
    top = sorted(spent.values(), reverse=True)[:2]
    return tuple(dict.fromkeys(name for seconds, name in top if seconds > IDLE_SHARE * LOOK_S))


def rest(
    band: State,
    conduct: Conduct,
    should_stop: Ask,
    sensors: Sequence[Sensors] = (),
    on_wait: Callable[[Waiting], None] = lambda _w: None,
) -> dict[str, Any]:
    """Wait until load, temperature and clock are back, with a limit; gives how long and what it waited for.
    `on_wait` is called about twice a second while it waits."""
    began, waited_for, went_on = time.monotonic(), "", threading.Event()
    others = dict[int, tuple[str, float]]()
    if not conduct.rest:
        return {"rest_s": 0.0, "waited_for": "", "not_back": "", "celsius": hottest_c(), "clock": clock_mhz()}
    while True:
        now = take_state(sensors)
        missing = within(now, band)
        took = time.monotonic() - began
        if not missing or took > conduct.rest_limit_s or went_on.is_set() or should_stop():
            return {
                "rest_s": round(took, 2),
                "waited_for": waited_for,
                "not_back": missing,
                "celsius": now.celsius,
                "device_celsius": now.device_celsius,
                "clock": now.clock,
            }
        waited_for, before, others = missing, others, process_seconds() if missing == "load" else {}
        on_wait(Waiting(missing, _busiest(before, others), took, conduct.rest_limit_s, went_on.set))


def disturbances(result: RunResult, conduct: Conduct, cores: int) -> tuple[Disturbance, ...]:
    """What disturbed a run; empty when nothing did."""
    usage = result.usage
    if usage is None or usage.wall_s <= 0:
        return ()
    all_s, wall_s = usage.wall_s * max(cores, 1), usage.wall_s
    out = []
    if result.other_cpu_s / all_s > conduct.disturbed_share and result.other_cpu_s > LEAST_S:
        who = tuple((name, s / wall_s) for name, s in result.others[:2])
        out.append(Disturbance(Disturber.PROGRAMS, result.other_cpu_s / all_s, who))
    if result.stolen_s / all_s > STOLEN_SHARE and result.stolen_s > LEAST_S:
        out.append(Disturbance(Disturber.HOST, result.stolen_s / all_s))
    if result.asleep_s > ASLEEP_S:
        out.append(Disturbance(Disturber.ASLEEP, result.asleep_s))
    if result.halted_s > 0:
        out.append(Disturbance(Disturber.HALTED, result.halted_s))
    # What the export wrote reaches the disk under the kernel's own name.
    other_disk = result.disk_bytes - usage.read_bytes - max(usage.written_bytes, 2 * result.output_bytes)
    if other_disk > LEAST_DISK and other_disk / wall_s / 1e6 > DISK_MB_S:
        out.append(Disturbance(Disturber.DISKS, other_disk / wall_s / 1e6, result.disk_users[:2]))
    out += [Disturbance(Disturber.DEVICE, share, name=name) for name, share in result.device_users]
    return (*out, *throttled(result))


def throttled(result: RunResult) -> list[Disturbance]:
    """Whether a device was held back, or a clock sank while the run went on: its last third against its first."""
    if result.trace is None:
        return []
    columns = result.trace.columns
    held = max((result.trace.mean(n) for n in columns if n.startswith("held back")), default=0.0)
    if held > 100 * HELD_BACK_SHARE:
        return [Disturbance(Disturber.LIMITED, float(held) / 100)]
    for name, values in columns.items():
        if not name.startswith("clock") or len(values) < 9:
            continue
        third = len(values) // 3
        early, late = statistics.median(values[1 : third + 1]), statistics.median(values[-third:-1])
        if late < THROTTLED_SHARE * early:
            return [Disturbance(Disturber.CLOCK, float(late), was=float(early), name=name.split(" [")[0])]
    return []
