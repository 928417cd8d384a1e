"""Before running: how long it will all take, how much disk, and what is uncertain."""

import tempfile
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from pathlib import Path

from ovrik.analysis.estimate import Forecast, from_others, from_runs, from_trial
from ovrik.errors import OvrikError, Stopped
from ovrik.export.order import PlannedRun
from ovrik.export.run import timed_run
from ovrik.store.records import Preparation
from ovrik.store.study import Study
from ovrik.study.contender import Contender
from ovrik.study.excerpt import Excerpt
from ovrik.work.claims import not_allowed
from ovrik.work.evidence import Evidence
from ovrik.work.fingerprint import fingerprint
from ovrik.work.lineup import builds_for
from ovrik.work.preparing import plan_for, record_of
from ovrik.work.timing import remaining

TRIAL_S = 1.0
"""Seconds of the programme that a trial exports."""


@dataclass(frozen=True)
class Estimate:
    """Fields: `seconds` for all that is left, with `low` and `high`; `runs` left; `bytes` that the outputs
    will take; `missing` contenders, of which nothing is known yet; `by_contender`, a forecast of one run."""

    seconds: float | None
    low: float
    high: float
    runs: int
    bytes: int | None
    missing: int
    by_contender: Mapping[int, Forecast]

    @property
    def doubts(self) -> str:
        """What is uncertain, in words."""
        trials = sum(f.basis == "trial" for f in self.by_contender.values())
        out = []
        if trials:
            out.append(f"{trials} known from a trial of {TRIAL_S:g} s only")
        if self.missing:
            out.append(f"{self.missing} not tried yet, assumed to be like the others")
        return "; ".join(out)


def trial_frames(excerpt: Excerpt, rate: float) -> int:
    """How many frames a trial exports."""
    return max(2, min(excerpt.frames, round(rate * TRIAL_S)))


def latest_trials(study: Study) -> dict[int, Preparation]:
    """The last trial that ended well of each contender, for the present programme and excerpt."""
    programme, excerpt = study.programme(), study.facts().excerpt
    frames = trial_frames(excerpt, float(programme.rate))
    return {
        t.contender_id: t
        for t in study.preparations("trial")
        if t.state == "done"
        and t.programme == programme.checksum
        and t.excerpt == Excerpt(excerpt.start_frame, frames)
    }


def estimate(
    study: Study,
    evidence: Evidence,
    ids: Sequence[int],
    rounds: int,
    planned_runs: Sequence[PlannedRun] | None = None,
) -> Estimate:
    """What timing these contenders will take. `planned_runs` are those, where they are known already."""
    trials, frames = latest_trials(study), evidence.facts.excerpt.frames
    known: dict[int, Forecast] = {}
    sizes: dict[int, int] = {}
    for s in evidence.summaries:
        trial = trials.get(s.contender.id)
        if s.counted:
            known[s.contender.id] = from_runs(s.times)
        elif trial and trial.wall_s:
            known[s.contender.id] = from_trial(
                trial.wall_s, trial.first_frame_s, trial.excerpt.frames, frames
            )
        if s.bytes:
            sizes[s.contender.id] = s.bytes
        elif trial and trial.bytes:
            sizes[s.contender.id] = round(trial.bytes * frames / trial.excerpt.frames)
    planned_runs = remaining(study, list(ids), rounds) if planned_runs is None else planned_runs
    like = from_others(list(known.values()))
    each = [known.get(t.contender) or like for t in planned_runs]
    said = [f for f in each if f is not None]
    mean = sum(sizes.values()) / len(sizes) if sizes else 0
    whole = len(said) == len(planned_runs)
    return Estimate(
        sum(f.seconds for f in said) if whole else None,
        sum(f.low for f in said),
        sum(f.high for f in said),
        len(planned_runs),
        round(sum(sizes.get(i, mean) for i in ids)) if sizes else None,
        len([i for i in ids if i not in known]),
        known,
    )


def try_all(
    study: Study,
    contenders: Sequence[Contender],
    on_progress: Callable[[float, str], None] = lambda _s, _w: None,
    should_stop: Callable[[], bool] = lambda: False,
) -> int:
    """A short trial of each contender that has neither a trial nor a run; gives how many were made.

    A trial exports the first second of the excerpt straight from the programme. Its output is thrown away.
    One that fails is kept with its reason. Raises Stopped.
    """
    programme, excerpt = study.programme(), study.facts().excerpt
    short = Excerpt(excerpt.start_frame, trial_frames(excerpt, float(programme.rate)))
    known = {
        t.contender_id
        for t in study.preparations("trial")
        if (t.programme, t.excerpt) == (programme.checksum, short)
    }
    todo = [c for c in contenders if c.id not in known]
    builds, machine = builds_for(todo), fingerprint(study).to_json() if todo else {}
    for number, c in enumerate(todo):
        if should_stop():
            raise Stopped
        on_progress(number / len(todo), f"Trying {c.label}")
        if refused := not_allowed(c):
            raise OvrikError(f"{c.label}: {refused}", "")
        # What is pre-rendered is tried from the source: it is there only once it has been made.
        plan = plan_for(study, replace(c, prerendered=None), builds[c.build], programme, short)
        with tempfile.TemporaryDirectory(prefix="ovrik-try-") as folder:
            output = Path(folder) / f"trial.{c.recipe.container}"
            for result, partial, arguments in plan.analyses():
                result.parent.mkdir(parents=True, exist_ok=True)
                timed_run([list(arguments)], partial, result, should_stop=should_stop)
            partial = output.with_name(f"partial.{c.recipe.container}")
            commands = plan.commands(partial, Path(folder) / "stats")
            done = timed_run(commands, partial, output, should_stop=should_stop, reader=plan.reader())
        if done.state == "stopped":
            raise Stopped
        study.keep_preparation(
            record_of(plan, "trial", f"trial-{c.id}", commands[-1], done),
            programme,
            builds[c.build].to_json(),
            machine,
        )
    on_progress(1.0, "All are tried")
    return len(todo)
