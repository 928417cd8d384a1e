"""Time what is still to be timed, one run after another, each kept as it ends."""

import os
import statistics
import time
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import asdict, dataclass, replace
from pathlib import Path
from typing import Any

from ovrik.analysis.times.time_left import TimeLeft, time_left
from ovrik.errors import Ask, OvrikError, Stopped
from ovrik.export.run.order import PlannedRun
from ovrik.export.run.process import Start
from ovrik.export.run.progress import Progress
from ovrik.export.run.timed import RunResult, timed_run
from ovrik.export.run.wall import Wall
from ovrik.machine.processes.strays import end_left_behind
from ovrik.machine.workstation.session import kept_awake
from ovrik.quality.reference.cut_short import cut_short
from ovrik.store.records.run import RunRecord, RunState
from ovrik.store.schema.file import nothing_timed
from ovrik.store.study import Study
from ovrik.study.contender.contender import output_name
from ovrik.study.facts.disturbance import Disturbance
from ovrik.study.files.scratch import scratch_folder
from ovrik.study.programme.excerpt import Excerpt, place_in_name
from ovrik.study.programme.programme import Programme
from ovrik.study.programme.unchanged import changed_footage, check_unchanged
from ovrik.work.evidence.counted_times import of_one_kind
from ovrik.work.evidence.gathered import counted
from ovrik.work.footage.frame_counts import count_for
from ovrik.work.lineup.able import builds_for, checked_able, judge_for
from ovrik.work.prepare.asked_devices import asked_device, fell_back, really_processor, sensors_for, untold
from ovrik.work.prepare.export_plan import Plan, changed_build
from ovrik.work.prepare.fingerprint import fingerprint
from ovrik.work.prepare.preparing import plan_for, prepare, proofs_of
from ovrik.work.timing.band import band_json, first_band
from ovrik.work.timing.beginning import WHOLE, Part, counting, held
from ovrik.work.timing.fairness import (
    State,
    Waiting,
    at_rest,
    clean_start,
    disturbances,
    missing_cores,
    remove_left,
    rest,
    take_state,
    wall_for,
)
from ovrik.work.timing.run_values import run_values, who_else
from ovrik.work.timing.update import TimingUpdate, Watcher

SAY_EVERY_S = 0.25


def time_all(
    study: Study,
    todo: Iterable[PlannedRun],
    watch: Watcher = lambda _m: None,
    should_stop: Ask = lambda: False,
    until: float | None = None,
    kinds: Sequence[Study] = (),
    part: Part = WHOLE,
) -> bool:
    """Make these runs in this order; True when all of them ended well. `kinds`: the study on each of several kinds of
    footage that the runs name by number; left out, on the present one. `part`: what they are of a longer course.

    A contender that fails is not tried again in the same call; the others go on. No run is begun after `until`, a
    moment of the monotonic clock in seconds; the one in hand is finished. Raises OvrikError when another process is
    timing this study, or times or checks anything on this machine, or its footage is not there or not the same."""
    if not held(study):
        raise OvrikError(f"{study.path} is being timed by another Ovrik", "Wait until it has ended")
    try:
        study.hold.release()
        study.close_interrupted()
        end_left_behind()
        if not held(study):
            raise OvrikError(f"{study.path} is being timed by another Ovrik", "Wait for it")
        runs = list(todo)
        for one in kinds or [study]:
            count_for(one, counting(study, runs, watch), should_stop)
        with nothing_timed(), kept_awake("Exports are being timed"):
            return _Series(study, runs, watch, should_stop, until, kinds or [study], part).go()
    except Stopped:
        return False
    finally:
        study.hold.release()


@dataclass(frozen=True)
class _Place:
    """A kind of footage: the study on it, its programme and its excerpt."""

    study: Study
    programme: Programme
    excerpt: Excerpt


class _Series:
    def __init__(
        self,
        study: Study,
        todo: list[PlannedRun],
        watch: Watcher,
        should_stop: Ask,
        until: float | None,
        kinds: Sequence[Study],
        part: Part,
    ) -> None:
        self.part = part
        self.study, self.todo, self.watch, self.should_stop = study, todo, watch, should_stop
        self.until = until
        self.contenders = {c.contender_id: c for c in study.contenders()}
        self.builds = builds_for(self.contenders.values())
        self.places = [_Place(one, one.programme(), one.facts().excerpt) for one in kinds]
        self.conduct = study.facts().conduct
        self.band = State(1.0, None, None)
        self.bands: dict[tuple[str, ...], State] = {}
        self.machine = fingerprint(study).to_json()
        self.disturbed_now: tuple[Disturbance, ...] = ()
        self.now: Mapping[str, float] = {}
        self.barred: dict[tuple[int, int], str] = {}
        self.plans: dict[tuple[int, int], Plan] = {}
        self.repeated: dict[PlannedRun, tuple[Disturbance, ...]] = {}
        self.between: list[float] = []
        self.took: dict[tuple[int, int], list[float]] = {}
        for kind, place in enumerate(self.places):
            for run in of_one_kind(counted(place.study), by_hand=False):
                self.took.setdefault((run.contender_id, kind), []).append(run.wall_s or 0.0)

    def go(self) -> bool:
        if missing := missing_cores(self.conduct):
            raise OvrikError(
                f"Of the cores that exports are to use, {missing}", "Choose others in Conditions"
            )
        for kind, place in enumerate(self.places):
            check_unchanged(place.programme)
            judge = judge_for(place.programme, place.excerpt, self.contenders.values(), self.builds)
            found = checked_able(self.contenders.values(), judge)
            self.barred |= {(e.contender.contender_id, kind): e.reason for e in found if e.reason}
        well = not any(self._is_barred(t) for t in self.todo)
        if self.conduct.rest:
            self.band = first_band(self.study, self.machine) or at_rest(take_state())
        number = 0
        while number < len(self.todo):
            planned = self.todo[number]
            number += 1
            if self.should_stop():
                return False
            if self.until is not None and time.monotonic() > self.until:
                break
            if self._is_barred(planned):
                continue
            state = self._made(planned, number)
            if state == "stopped":
                return False
            well &= state == "done"
        return well

    def _is_barred(self, planned: PlannedRun) -> bool:
        """Whether it can't be made, or failed in this series: nothing is waited for it any more."""
        return (
            planned.contender_id,
            planned.kind,
        ) in self.barred or planned.contender_id not in self.contenders

    def _made(self, planned: PlannedRun, number: int) -> str:
        """Make one run; gives its state."""
        plan, place = self._plan(planned), self.places[planned.kind]
        unmade = prepare(
            place.study,
            plan,
            self.machine,
            self._preparing(planned, number),
            self.should_stop,
            min(max(planned.round, 1), self.conduct.first_times),
        )
        if unmade == "stopped":
            return unmade
        if not unmade:
            unmade = changed_build(plan)
        if unmade:
            self._failed_before(planned, plan, unmade)
            self.barred[planned.contender_id, planned.kind] = unmade
            return "failed"
        began = time.monotonic()
        result = self._run(planned, number, plan)
        took = result.usage.wall_s if result.usage else 0.0
        self.between.append(max(time.monotonic() - began - took, 0.0))
        if result.state == "failed":
            self.barred[planned.contender_id, planned.kind] = result.reason
        if result.state != "stopped":
            self._again_if_disturbed(planned, number)
        return result.state

    def _again_if_disturbed(self, planned: PlannedRun, number: int) -> None:
        """A disturbed run is made again once, when its round is over."""
        if (
            not (self.disturbed_now and self.conduct.repeat_disturbed)
            or planned.warmup
            or planned in self.repeated
        ):
            return
        self.repeated[planned] = self.disturbed_now
        end = number
        while end < len(self.todo) and self.todo[end].round == planned.round:
            end += 1
        self.todo.insert(end, planned)

    def _plan(self, planned: PlannedRun) -> Plan:
        """Made once: it is asked for with every report of progress."""
        key = planned.contender_id, planned.kind
        if key not in self.plans:
            contender, place = self.contenders[planned.contender_id], self.places[planned.kind]
            build = self.builds[contender.build]
            self.plans[key] = plan_for(place.study, contender, build, place.programme, place.excerpt)
        return self.plans[key]

    def _update(self, planned: PlannedRun, number: int, **more: Any) -> TimingUpdate:
        return TimingUpdate(
            planned=planned,
            number=self.part.before + number,
            total=self.part.before + len(self.todo) + len(self.part.later),
            label=self.contenders[planned.contender_id].label,
            frames=self._plan(planned).frames,
            again=self.repeated.get(planned, ()),
            **more,
        )

    def _preparing(self, planned: PlannedRun, number: int) -> Callable[[str, Progress | None], None]:
        def say(words: str, progress: Progress | None) -> None:
            left = self._left(planned, number, None, False)
            self.watch(self._update(planned, number, progress=progress, left=left, preparing=words))

        return say

    def _begun(self, planned: PlannedRun, plan: Plan, **more: Any) -> int:
        """A run that begins now; gives its number."""
        place = self.places[planned.kind]
        made = RunRecord(
            contender_id=plan.contender.contender_id,
            excerpt=place.excerpt,
            started_utc="",
            round=planned.round,
            warmup=planned.warmup,
            **more,
        )
        return self.study.begin_run(made, plan.build.to_json(), self.machine, place.programme)

    def _failed_before(self, planned: PlannedRun, plan: Plan, reason: str) -> None:
        """A run that could not even begin is a failed run: it is on file, and is not waited for again."""
        run_id = self._begun(planned, plan)
        self.study.end_run(run_id, {"state": RunState.FAILED, "reason": reason})

    def _run(self, planned: PlannedRun, number: int, plan: Plan) -> RunResult:
        contender = plan.contender
        for place in (self.study.path, Path(self.conduct.outputs or "/")):
            if not place.exists():
                raise OvrikError(
                    f"{place} is no longer there; its drive may have been removed",
                    "Reconnect the drive and continue: finished runs are kept",
                )
        plan.folder.mkdir(parents=True, exist_ok=True)
        at = self.places[planned.kind]
        output = plan.folder / output_name(contender, place_in_name(at.programme, at.excerpt))
        partial = plan.folder / f"partial {output.name}"
        if self.conduct.remove_left:
            remove_left(plan.folder)
        with scratch_folder("pass") as scratch:
            commands = plan.commands(partial, scratch / "stats")
            wall = wall_for(plan, plan.folder, scratch)
            return self._timed(planned, number, plan, commands, partial, output, wall)

    def _timed(
        self,
        planned: PlannedRun,
        number: int,
        plan: Plan,
        commands: list[list[str]],
        partial: Path,
        output: Path,
        wall: Wall | None,
    ) -> RunResult:
        rested = self._rest(planned, number, plan)
        begun = clean_start(plan, self.conduct, [p for p in (output, partial) if p.exists()])
        programme = self.places[planned.kind].programme
        check_unchanged(programme)
        run_id = self._begun(
            planned,
            plan,
            argv=tuple(commands[-1]),
            earlier_passes=tuple(map(tuple, commands[:-1])),
            output=output.name,
        )
        self.now = {}
        self._say(planned, number, None)
        result = timed_run(
            commands,
            partial,
            output,
            self._now_and_then(planned, number),
            self.should_stop,
            reader=plan.reader(),
            sensors=sensors_for(plan),
            fault=lambda made: "" if plan.described else cut_short(made, plan.frames),
            on_row=self._note,
            start=Start(self.conduct.nice, self.conduct.cores),
            sync=self.conduct.sync,
            wall=wall,
        )
        if result.state == "done" and (changed := _changed_meanwhile(plan, programme)):
            output.unlink(missing_ok=True)
            result = replace(
                result, state="failed", reason=f"{changed}, while it was exported", output_bytes=0
            )
        self.disturbed_now = disturbances(result, self.conduct, os.cpu_count() or 1)
        values = run_values(result, output) | {
            "conditions": {
                **begun,
                **rested,
                **who_else(result),
                "outputs": str(plan.folder),
                "first": [step.key for step in plan.first()],
                "proofs": [asdict(f) for f in proofs_of(plan)],
                "on_processor": [[o.path, o.device] for o in really_processor(plan)],
                "untold": untold(plan, result),
            },
            "disturbed": self.disturbed_now,
            "fell_back": fell_back(plan, result),
        }
        self.study.end_run(run_id, values, result.trace.packed() if result.trace else b"")
        if result.state == "done" and result.usage:
            self.took.setdefault((planned.contender_id, planned.kind), []).append(result.usage.wall_s)
        self._say(planned, number, None, result)
        return result

    def _now_and_then(self, planned: PlannedRun, number: int) -> Callable[[Progress], None]:
        """Passes progress on, but not all of it: whoever watches loads the machine too."""
        said = -SAY_EVERY_S

        def hear(progress: Progress) -> None:
            nonlocal said
            if progress.ended or progress.at_s - said >= SAY_EVERY_S:
                said = progress.at_s
                self._say(planned, number, progress)

        return hear

    def _note(self, row: dict[str, float]) -> None:
        self.now = row

    def _rest(self, planned: PlannedRun, number: int, plan: Plan) -> dict[str, Any]:
        """Wait for the machine, and for the device as it was found before the first run that asks for it."""
        sensors, key = sensors_for(plan), (plan.build.key, asked_device(plan))
        if key not in self.bands:
            found = take_state(sensors).device_celsius if sensors and self.conduct.rest else None
            earlier = first_band(self.study, self.machine, key)
            self.bands[key] = replace(self.band, device_celsius=earlier.device_celsius if earlier else found)
        band = self.bands[key]
        text = {"band": band_json(band, key)} if self.conduct.rest else {}

        def say(waiting: Waiting) -> None:
            left = self._left(planned, number, None, False)
            self.watch(self._update(planned, number, left=left, waiting=waiting))

        return {**rest(band, self.conduct, self.should_stop, sensors, say), **text}

    def _say(
        self, planned: PlannedRun, number: int, progress: Progress | None, result: RunResult | None = None
    ) -> None:
        self.watch(
            self._update(
                planned,
                number,
                progress=progress,
                left=self._left(planned, number, progress, ended=result is not None),
                ended=result.state if result else "",
                reason=result.reason if result else "",
                now=self.now,
            )
        )

    def _left(self, planned: PlannedRun, number: int, now: Progress | None, ended: bool) -> TimeLeft | None:
        """Time for all that is left, the current run included unless it has ended; rests and checks as they took so
        far. Nobody is counted who is barred."""
        later = [*self.todo[number:], *self.part.later]
        to_come = [(t.contender_id, t.kind) for t in later if not self._is_barred(t)]
        around = statistics.fmean(self.between) if self.between else 0.0
        if ended:
            return time_left(self.took, to_come, around_s=around)
        frames = self._plan(planned).frames
        whole = now.at_s * frames / now.frame if now and now.frame else None
        running = planned.contender_id, planned.kind
        return time_left(self.took, to_come, running, now.at_s if now else 0.0, whole, around)


def _changed_meanwhile(plan: Plan, programme: Programme) -> str:
    """What is no longer what it was when the run began, in a clause, or ""."""
    return changed_footage(programme) or changed_build(plan)
