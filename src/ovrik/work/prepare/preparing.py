"""What must be there before a contender can be timed: analyses and intermediates, each timed itself."""

from collections import Counter
from collections.abc import Callable, Sequence
from dataclasses import replace
from pathlib import Path
from typing import Any

from ovrik.errors import Ask, Stopped
from ovrik.export.run.progress import Progress
from ovrik.export.run.timed import RunResult, timed_run
from ovrik.machine.builds.build import Build, find_build
from ovrik.quality.reference.device_forms import try_forms
from ovrik.quality.reference.form_trial import FormTrial
from ovrik.quality.reference.frames_read import reader_of
from ovrik.quality.reference.true_frames import wrong_frames
from ovrik.store.records.made import Preparation, PreparationKind
from ovrik.store.study import Study
from ovrik.study.contender.contender import Contender, output_name
from ovrik.study.programme.excerpt import Excerpt, place_in_name
from ovrik.study.programme.programme import Programme
from ovrik.study.programme.treatment_kinds import SOFTWARE
from ovrik.work.lineup.approvals_wanted import not_allowed
from ovrik.work.prepare.export_plan import First, Plan

Say = Callable[[str, Progress | None], None]


def plan_for(
    study: Study, contender: Contender, build: Build, programme: Programme, excerpt: Excerpt
) -> Plan:
    """How a contender of a study is exported; stand-ins and described programs do not pre-render."""
    other = build.simulated or build.key.startswith("described-")
    maker = find_build("bundled") if other and contender.prerendered else None
    return Plan(
        contender=contender,
        build=build,
        programme=programme,
        excerpt=excerpt,
        folder=study.outputs,
        maker=maker,
    )


def prepare(
    study: Study, plan: Plan, machine: dict[str, Any], say: Say, should_stop: Ask, times: int = 0
) -> str:
    """Prove the frames that will be read and make what is not there yet, or was not timed so many `times`; gives ""
    when all is there, "stopped", or why it can't be made."""
    if refused := not_allowed(plan.contender):
        return refused
    try:
        if wrong := _frames_proved(plan, say, should_stop):
            return wrong
        differing = forms_that_differ(plan, should_stop)
        if differing and study.facts().conduct.refuse_forms:
            return "; ".join(differing)
    except Stopped:
        return "stopped"
    return make_first(study, plan, machine, say, should_stop, times)


def make_first(
    study: Study, plan: Plan, machine: dict[str, Any], say: Say, should_stop: Ask, times: int = 0
) -> str:
    """Make what comes first and is not there; and, until each was timed so many `times` in this sitting, make it
    again, and throw that away. Gives as `prepare` does."""
    steps = plan.first()
    here = study.preparations_here() if steps and times else []
    timed = Counter(p.key for p in here if p.state == "done")
    there = bool(steps) and steps[-1].kind is PreparationKind.PRE_RENDER and steps[-1].result.exists()
    for step in steps:
        made = step.result.exists()
        if (made or there) and timed[step.key] >= times:
            continue
        done = _made(study, plan, machine, step, made, say, should_stop)
        if done.state != "done":
            return "stopped" if done.state == "stopped" else f"{NAMES[step.kind]} failed: {done.reason}"
    return ""


def _frames_proved(plan: Plan, say: Say, should_stop: Ask) -> str:
    """Why the build would read other frames than are meant, or "". What a described program reads is its own affair:
    its output is held against a reference that was proved."""
    if plan.described and plan.maker is None:
        return ""
    job, by = plan.straight(), plan.maker or plan.build
    if by.simulated:
        # A stand-in has the bundled program read for it.
        by = find_build("bundled")
        job = replace(job, program=by.path)
    clips = ", ".join(dict.fromkeys(Path(c.path).name for c in plan.programme.clips[:2]))
    words, said = f"Checking by a decode that {by.short} reads the right frames of {clips}", -1

    def on_share(share: float) -> None:
        nonlocal said
        if round(share * 20) > said:
            said = round(share * 20)
            say(f"{words}, {share:.0%}", None)

    return wrong_frames(reader_of(job, by.sha256), plan.programme, plan.excerpt, on_share, should_stop)


def forms_that_differ(plan: Plan, should_stop: Ask = lambda: False) -> list[str]:
    """Treatments that the contender's device does not do as software does, in words; tried now if they were not."""
    return [f.differs for f in proofs_of(plan, should_stop) if f.differs]


def proofs_of(plan: Plan, should_stop: Ask = lambda: False) -> list[FormTrial]:
    """What came of comparing the contender's treatments with software's; tried now if they were not."""
    if plan.contender.treat == SOFTWARE or plan.described or plan.build.simulated:
        return []
    by = plan.maker or plan.build
    return try_forms(by, plan.straight().programme, plan.contender.treat, should_stop)


TITLES = {
    PreparationKind.ANALYSIS: "Analysing for stabilisation",
    PreparationKind.PRE_RENDER: "Pre-rendering",
}
NAMES = {PreparationKind.ANALYSIS: "the stabilisation analysis", PreparationKind.PRE_RENDER: "the pre-render"}
AGAIN = "again "
"""Begins the name of what is made only to be timed once more."""


def _made(
    study: Study, plan: Plan, machine: dict[str, Any], step: First, there: bool, say: Say, should_stop: Ask
) -> RunResult:
    """Make it; where it is `there` already what is made now is thrown away."""
    words = f"{TITLES[step.kind]} for {plan.contender.label}{', to time it again' if there else ''}"
    say(words, None)
    step.result.parent.mkdir(parents=True, exist_ok=True)
    result = step.result.with_name(AGAIN + step.result.name) if there else step.result
    try:
        done = timed_run([list(step.arguments)], step.partial, result, lambda p: say(words, p), should_stop)
    finally:
        if there:
            result.unlink(missing_ok=True)
    study.keep_preparation(
        record_of(plan, step.kind, step.key, step.arguments, done),
        plan.programme,
        (plan.maker or plan.build).to_json(),
        machine,
    )
    return done


def record_of(
    plan: Plan, kind: PreparationKind, key: str, arguments: Sequence[str], done: RunResult
) -> Preparation:
    """A finished preparation as it is kept."""
    return Preparation(
        key=key,
        kind=kind,
        contender_id=plan.contender.contender_id,
        excerpt=plan.excerpt,
        argv=tuple(arguments),
        state=done.state,
        reason=done.reason,
        wall_s=done.usage.wall_s if done.usage else None,
        first_frame_s=done.start_up_s,
        bytes=done.output_bytes or None,
        programme=plan.programme.checksum,
    )


def commands_of(study: Study, contender: Contender, build: Build) -> list[list[str]]:
    """The full commands of a contender, as they stand for use elsewhere: the pre-render, if there is one, and
    the passes."""
    plan = plan_for(study, contender, build, study.programme(), study.facts().excerpt)
    output = study.outputs / output_name(contender, place_in_name(plan.programme, plan.excerpt))
    kept = plan.prerendered_file()
    return [*([plan.prerender(kept)] if kept else []), *plan.commands(output, output.with_suffix(".stats"))]
