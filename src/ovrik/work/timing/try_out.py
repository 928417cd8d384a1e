"""A short trial of a contender, so that its time can be estimated."""

from collections.abc import Callable, Sequence
from dataclasses import replace
from pathlib import Path
from typing import Any

from ovrik.errors import Ask, OvrikError, Stopped
from ovrik.export.run.timed import timed_run
from ovrik.store.records.made import PreparationKind
from ovrik.store.study import Study
from ovrik.study.contender.contender import Contender
from ovrik.study.files.scratch import scratch_folder
from ovrik.study.programme.excerpt import Excerpt
from ovrik.work.answers.estimate import into_key, trial_frames, trial_key
from ovrik.work.lineup.able import builds_for
from ovrik.work.lineup.approvals_wanted import not_allowed
from ovrik.work.prepare.export_plan import Plan
from ovrik.work.prepare.fingerprint import fingerprint
from ovrik.work.prepare.preparing import plan_for, record_of


def try_all(
    study: Study,
    contenders: Sequence[Contender],
    on_progress: Callable[[float, str], None] = lambda _s, _w: None,
    should_stop: Ask = lambda: False,
) -> int:
    """A short trial of each contender that has neither a trial nor a run; gives how many were made.

    A trial exports the first second of the excerpt; of a contender that exports from an intermediate that is made
    first, and timed for itself. What is made is thrown away. One that fails is kept with its reason. Raises Stopped.
    """
    programme, excerpt = study.programme(), study.facts().excerpt
    short = Excerpt(excerpt.start_frame, trial_frames(excerpt, float(programme.rate)))
    known = {
        t.key for t in study.preparations("trial") if (t.programme, t.excerpt) == (programme.checksum, short)
    }
    todo = [c for c in contenders if trial_key(c) not in known]
    builds, machine = builds_for(todo), fingerprint(study).to_json() if todo else {}
    for number, c in enumerate(todo):
        if should_stop():
            raise Stopped
        on_progress(number / len(todo), f"Trying {c.label}")
        if refused := not_allowed(c):
            raise OvrikError(f"{c.label}: {refused}", "")
        with scratch_folder("try") as folder:
            plan = replace(plan_for(study, c, builds[c.build], programme, short), folder=folder)
            output = folder / f"trial.{c.recipe.container}"
            for result, partial, arguments in plan.analyses():
                result.parent.mkdir(parents=True, exist_ok=True)
                timed_run([list(arguments)], partial, result, should_stop=should_stop)
            _into_intermediate(study, plan, machine, should_stop)
            partial = output.with_name(f"partial.{c.recipe.container}")
            commands = plan.commands(partial, Path(folder) / "stats")
            done = timed_run(commands, partial, output, should_stop=should_stop, reader=plan.reader())
        if done.state == "stopped":
            raise Stopped
        study.keep_preparation(
            record_of(plan, PreparationKind.TRIAL, trial_key(c), commands[-1], done),
            programme,
            builds[c.build].to_json(),
            machine,
        )
    on_progress(1.0, "All are tried")
    return len(todo)


def _into_intermediate(study: Study, plan: Plan, machine: dict[str, Any], should_stop: Ask) -> None:
    """The pre-render of a trial, where there is one."""
    kept = plan.prerendered_file()
    if kept is None:
        return
    kept.parent.mkdir(parents=True, exist_ok=True)
    partial = kept.with_name(f"partial {kept.name}")
    arguments = plan.prerender(partial)
    done = timed_run([arguments], partial, kept, should_stop=should_stop)
    if done.state == "stopped":
        raise Stopped
    made = record_of(plan, PreparationKind.TRIAL, into_key(plan.contender), arguments, done)
    study.keep_preparation(made, plan.programme, (plan.maker or plan.build).to_json(), machine)
