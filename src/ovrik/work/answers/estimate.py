"""Before running: how long it will all take, how much disk, and what is uncertain."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from ovrik.analysis.times.estimate import Forecast, from_earlier, from_others, from_runs, from_trial
from ovrik.export.run.order import PlannedRun
from ovrik.export.run.order import planned_runs as runs_in_order
from ovrik.store.records.made import Preparation
from ovrik.store.study import Study
from ovrik.study.contender.contender import Contender
from ovrik.study.programme.excerpt import Excerpt
from ovrik.work.evidence.earlier import earlier_of
from ovrik.work.evidence.gathered import Evidence

TRIAL_S = 1.0
"""Seconds of the programme that a trial exports."""


@dataclass(frozen=True)
class Estimate:
    """Fields: `seconds` for all that is left, with `low` and `high`, pre-renders and rests included; `runs` left;
    `bytes` that the outputs will take; `missing` contenders, of which nothing is known; `by_contender`, a forecast
    of one run; `once`, seconds of them that pre-renders take; `rests`, seconds of them that rests between runs take,
    None while nothing is known of these."""

    seconds: float | None
    low: float
    high: float
    runs: int
    bytes: int | None
    missing: int
    by_contender: Mapping[int, Forecast]
    once: float = 0.0
    rests: float | None = 0.0

    @property
    def doubts(self) -> str:
        """What is uncertain, in words."""
        trials = sum(f.basis == "trial" for f in self.by_contender.values())
        earlier = sum(f.basis == "earlier studies" for f in self.by_contender.values())
        out = []
        if earlier:
            out.append(f"{earlier} known from earlier studies on this machine only")
        if trials:
            out.append(f"{trials} known from a trial of {TRIAL_S:g} s only")
        if self.missing:
            out.append(f"{self.missing} not tried yet, assumed to be like the others")
        if self.rests is None:
            out.append("without the rests between runs, of which nothing is known yet")
        return "; ".join(out)


def trial_frames(excerpt: Excerpt, rate: float) -> int:
    """How many frames a trial exports."""
    return max(2, min(excerpt.frames, round(rate * TRIAL_S)))


def trial_key(c: Contender) -> str:
    """Names the trial of a contender, from where it exports."""
    return f"trial-from-intermediate-{c.contender_id}" if c.prerendered else f"trial-{c.contender_id}"


def into_key(c: Contender) -> str:
    """Names the trial of a contender's pre-render."""
    return f"trial-into-intermediate-{c.contender_id}"


def latest_trials(study: Study) -> dict[str, Preparation]:
    """The last trial of each name that ended well, for the present programme and excerpt."""
    programme, excerpt = study.programme(), study.facts().excerpt
    frames = trial_frames(excerpt, float(programme.rate))
    return {
        t.key: t
        for t in study.preparations("trial")
        if t.state == "done"
        and t.programme == programme.checksum
        and t.excerpt == Excerpt(excerpt.start_frame, frames)
    }


def _pre_renders(
    study: Study, contenders: Sequence[Contender], trials: Mapping[str, Preparation], frames: int
) -> list[Forecast | None]:
    """One for each intermediate that is still to be made; None where nothing is known of it."""
    made = {p.contender_id for p in study.preparations("pre-render") if p.state == "done"}
    wanted: dict[tuple[object, ...], list[Contender]] = {}
    for c in contenders:
        if c.prerendered and not c.outside:
            wanted.setdefault((c.prerendered.made, c.build, c.decode, c.treat, c.methods), []).append(c)
    out: list[Forecast | None] = []
    for alike in wanted.values():
        if any(c.contender_id in made for c in alike):
            continue
        tried = next((t for c in alike if (t := trials.get(into_key(c))) and t.wall_s), None)
        out.append(
            from_trial(tried.wall_s, tried.first_frame_s, tried.excerpt.frames, frames)
            if tried and tried.wall_s
            else None
        )
    return out


def _rest_s(evidence: Evidence) -> float | None:
    """What a rest took on average so far; 0 where there are none, None while nothing is known."""
    if not evidence.facts.conduct.rest:
        return 0.0
    found = [r.conditions.get("rest_s") for s in evidence.summaries for r in s.runs]
    known = [float(v) for v in found if isinstance(v, int | float)]
    return sum(known) / len(known) if known else None


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
    unknown = [s.contender for s in evidence.summaries if not s.counted]
    earlier = earlier_of(study, unknown, evidence.programme, evidence.facts.excerpt)
    for s in evidence.summaries:
        trial = trials.get(trial_key(s.contender))
        if s.counted:
            known[s.contender.contender_id] = from_runs(s.times)
        elif trial and trial.wall_s:
            known[s.contender.contender_id] = from_trial(
                trial.wall_s, trial.first_frame_s, trial.excerpt.frames, frames
            )
        elif found := earlier.get(s.contender.contender_id):
            known[s.contender.contender_id] = from_earlier(found, frames)
        if s.bytes:
            sizes[s.contender.contender_id] = s.bytes
        elif trial and trial.bytes:
            sizes[s.contender.contender_id] = round(trial.bytes * frames / trial.excerpt.frames)
    if planned_runs is None:
        done = frozenset(
            (r.contender_id, r.round, 0) for s in evidence.summaries for r in s.runs if r.counts and r.driven
        )
        facts = evidence.facts
        planned_runs = runs_in_order(list(ids), range(1, rounds + 1), facts.warmup, facts.seed, done)
    like = from_others(list(known.values()))
    each = [known.get(t.contender_id) or like for t in planned_runs]
    said = [f for f in each if f is not None]
    mean = sum(sizes.values()) / len(sizes) if sizes else 0
    timed = {t.contender_id for t in planned_runs}
    once = _pre_renders(
        study, [s.contender for s in evidence.summaries if s.contender.contender_id in timed], trials, frames
    )
    sure = [f for f in once if f is not None]
    rest = _rest_s(evidence)
    rests = None if rest is None else rest * len(planned_runs)
    whole = len(said) == len(planned_runs) and len(sure) == len(once)
    parts, besides = [*said, *sure], rests or 0.0
    return Estimate(
        seconds=sum(f.seconds for f in parts) + besides if whole else None,
        low=sum(f.low for f in parts) + besides,
        high=sum(f.high for f in parts) + besides,
        runs=len(planned_runs),
        bytes=round(sum(sizes.get(i, mean) for i in ids)) if sizes else None,
        missing=len([i for i in ids if i not in known]),
        by_contender=known,
        once=sum(f.seconds for f in sure),
        rests=rests,
    )


def estimates_together(found: Sequence[Estimate]) -> Estimate:
    """Several excerpts one after the other; a contender's own forecasts are those on the first of them. Raises
    ValueError when there is none."""
    if len(found) == 1:
        return found[0]
    seconds = [e.seconds for e in found]
    sizes = [e.bytes for e in found]
    return Estimate(
        seconds=sum(s for s in seconds if s is not None) if None not in seconds else None,
        low=sum(e.low for e in found),
        high=sum(e.high for e in found),
        runs=sum(e.runs for e in found),
        bytes=sum(b for b in sizes if b is not None) if None not in sizes else None,
        missing=max(e.missing for e in found),
        by_contender=found[0].by_contender,
        once=sum(e.once for e in found),
        rests=None if any(e.rests is None for e in found) else sum(e.rests or 0.0 for e in found),
    )
