"""Timing the parts of an export by themselves, or an export at other lengths, apart from the rounds."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from pathlib import Path

from ovrik.analysis.forecast.ladder import Ladder, Load, ladder
from ovrik.errors import Ask, OvrikError, Stopped
from ovrik.export.command.export import Export
from ovrik.export.command.parts import Places, part_commands, raw_command, raw_pictures
from ovrik.export.run.process import Start
from ovrik.export.run.progress import Progress
from ovrik.export.run.timed import RunResult, timed_run
from ovrik.machine.builds.build import Build, find_build
from ovrik.store.records.made import PartRecord
from ovrik.store.study import Study
from ovrik.study.contender.contender import Contender
from ovrik.study.contender.described import KEY as DESCRIBED_KEY
from ovrik.study.encoder.encoders import OUTSIDE
from ovrik.study.facts.part import ALL, DECODE, SOUND, TITLES, TREAT
from ovrik.study.files.scratch import scratch_folder
from ovrik.study.programme.excerpt import Excerpt
from ovrik.work.lineup.able import builds_for
from ovrik.work.prepare.asked_devices import sensors_for
from ovrik.work.prepare.export_plan import Plan, intermediate_footage
from ovrik.work.prepare.fingerprint import fingerprint
from ovrik.work.prepare.preparing import plan_for, prepare

ROUNDS = 3
MOST_RAW_BYTES = 2 << 30

Say = Callable[[float, str], None]


@dataclass(frozen=True)
class Bench:
    """Where parts are timed. Fields: `study`; `say`, given the share done and what is going on; `should_stop`."""

    study: Study
    say: Say = lambda _share, _what: None
    should_stop: Ask = lambda: False

    def plan(self, contender: Contender, excerpt: Excerpt) -> Plan:
        """How a contender exports a segment. Raises OvrikError for a program that can't be taken apart."""
        build = builds_for([contender])[contender.build]
        _must_take_apart(build)
        plan = plan_for(self.study, contender, build, self.study.programme(), excerpt)
        machine = fingerprint(self.study).to_json()
        problem = prepare(self.study, plan, machine, lambda _w, _p: None, self.should_stop)
        if problem == "stopped":
            raise Stopped
        if problem:
            raise OvrikError(f"It can't be timed: {problem}", "See the log of its run")
        return plan

    def time(
        self,
        plan: Plan,
        name: str,
        commands: list[list[str]],
        partial: Path,
        output: Path,
        writes: bool,
        on_progress: Callable[[Progress], None] = lambda _p: None,
    ) -> PartRecord:
        """Time one part and keep it. Raises OvrikError when it fails, Stopped."""
        conduct, hold = self.study.facts().conduct, self.study.hold
        if not hold.take():
            raise OvrikError(f"{self.study.path} is being timed by another Ovrik", "Wait until it has ended")
        try:
            done = timed_run(
                commands,
                partial,
                output,
                on_progress,
                self.should_stop,
                sensors=sensors_for(plan),
                start=Start(conduct.nice, conduct.cores),
                writes=writes,
            )
        finally:
            hold.release()
        ended(done, TITLES[name])
        made = _record(plan, name, commands[-1], done)
        self.study.keep_part(made, plan.programme)
        return made


def _must_take_apart(build: Build) -> None:
    if build.key == OUTSIDE:
        raise OvrikError(build.problem, "Choose a contender that Ovrik drives")
    if build.key.startswith(DESCRIBED_KEY):
        raise OvrikError(
            f"“{build.key}” can't be timed in parts: it only exports as a whole", "Choose another contender"
        )


def _without_encoder(plan: Plan, job: Export) -> Export:
    """The same export by a program that also works without an encoder: a stand-in does nothing but encode."""
    if not plan.build.simulated:
        return job
    by = find_build("bundled")
    return replace(job, program=by.path, options=by.options)


def ended(done: RunResult, what: str) -> None:
    """Raises Stopped or OvrikError when a run did not end well."""
    if done.state == "stopped":
        raise Stopped
    if done.state != "done":
        raise OvrikError(f"“{what}” failed: {done.reason}", "Check that the export itself runs")


def short_enough(plan: Plan) -> Excerpt:
    """The excerpt, cut so that its raw frames take no more than 2 GiB."""
    wide = 2 if plan.programme.pixel_format.endswith("le") else 1
    each = plan.programme.width * plan.programme.height * 3 * wide
    return replace(plan.excerpt, frames=max(2, min(plan.excerpt.frames, MOST_RAW_BYTES // each)))


def time_parts(bench: Bench, contender: Contender, rounds: int = ROUNDS) -> Ladder | None:
    """Time every part of a contender's export `rounds` times and keep it; gives what they come to.

    Raises OvrikError when a part can't be made, Stopped.
    """
    if contender.prerendered and contender.prerendered.passed:
        raise OvrikError(
            f"{contender.label} codes nothing: its frames are passed through", "Time what comes first instead"
        )
    plan = bench.plan(contender, bench.study.facts().excerpt)
    shorter = short_enough(plan)
    if shorter != plan.excerpt:
        plan = bench.plan(contender, shorter)
    bench.study.outputs.mkdir(parents=True, exist_ok=True)
    with scratch_folder("parts", bench.study.outputs) as place:
        places = Places(place / "raw.nut", place)
        job = plan.export()
        helper = _without_encoder(plan, job)
        bench.say(0.0, "Preparing raw frames")
        partial = places.partial("raw")
        made = timed_run([raw_command(helper, partial)], partial, places.raw, should_stop=bench.should_stop)
        ended(made, "Preparing raw frames")
        clip = intermediate_footage(job.programme, job.excerpt, raw_pictures(job), places.raw)
        steps = part_commands(job, helper, clip, places)
        for number in range(rounds):
            for place_, (name, commands) in enumerate(steps.items()):
                bench.say(
                    (number + place_ / len(steps)) / rounds, f"{TITLES[name]}, round {number + 1} of {rounds}"
                )
                bench.time(
                    plan,
                    name,
                    commands,
                    places.partial(name),
                    places.kept(name),
                    writes=name not in (DECODE, TREAT, SOUND),
                )
    return ladder_of(bench.study, contender)


def _record(plan: Plan, name: str, argv: Sequence[str], done: RunResult) -> PartRecord:
    usage, trace = done.usage, done.trace
    assert usage is not None
    load: dict[str, float] = {}
    if trace:
        usual = trace.usual("")
        cores = [v for n, v in usual.items() if n.startswith("core ")]
        load = {
            "all cores": usual.get("cpu", 0.0),
            "busiest core": max(cores, default=0.0),
            "disk": usual.get("disk", 0.0),
            "memory": usual.get("memory share", 0.0),
            **trace.usual("", "load [%]"),
        }
    return PartRecord(
        contender_id=plan.contender.contender_id,
        excerpt=plan.excerpt,
        name=name,
        argv=tuple(argv),
        wall_s=usage.wall_s,
        first_frame_s=done.start_up_s,
        cpu_s=usage.user_s + usage.system_s,
        load={k: round(v, 1) for k, v in load.items()},
        programme=plan.programme.checksum,
    )


def parts_of(study: Study, contender: Contender) -> list[PartRecord]:
    """Parts on file of a contender, for the present programme."""
    programme = study.programme().checksum
    return [p for p in study.parts() if (p.contender_id, p.programme) == (contender.contender_id, programme)]


def ladder_of(study: Study, contender: Contender) -> Ladder | None:
    """What the parts on file of a contender come to, for the present excerpt or the beginning of it."""
    now = study.facts().excerpt
    mine = [
        p
        for p in parts_of(study, contender)
        if p.excerpt.start_frame == now.start_frame and p.excerpt.frames <= now.frames
    ]
    apart = [p for p in mine if p.name != ALL]
    if not apart:
        return None
    mine = [p for p in mine if p.excerpt == apart[-1].excerpt]
    seconds: dict[str, list[float]] = {}
    for part in mine:
        seconds.setdefault(part.name, []).append(part.wall_s)
    return ladder(seconds, _load([p for p in mine if p.name == ALL]))


def _load(whole: Sequence[PartRecord]) -> Load:
    def mean(name: str) -> float:
        return sum(p.load.get(name, 0.0) for p in whole) / max(len(whole), 1)

    units = {n.removesuffix(" load [%]"): mean(n) for p in whole for n in p.load if n.endswith("load [%]")}
    link = units.pop("link", 0.0)
    unit = max(units, key=lambda n: units[n], default="")
    return Load(
        all_cores=mean("all cores"),
        busiest_core=mean("busiest core"),
        disk=mean("disk"),
        memory=mean("memory"),
        unit=units.get(unit, 0.0),
        unit_name=unit,
        link=link,
    )
