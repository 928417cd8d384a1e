"""What a study's runs and scores come to: one summary for each contender, and the verdict."""

import statistics
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any

from ovrik.analysis.acceptance import Measured, megabytes_per_minute, misses
from ovrik.analysis.payoff import Payoff, payoff
from ovrik.analysis.pooling import Pooled, pooled
from ovrik.analysis.ratio import Ratio, answer, paired_ratio, rounds_to_decide
from ovrik.analysis.spread import Spread, erratic, spread_of
from ovrik.analysis.together import alpha_for
from ovrik.analysis.verdict import Entrant, Verdict, decide, shared_times
from ovrik.machine.facts import differences
from ovrik.quality.reference_key import reference_key
from ovrik.store.records import Preparation, RunRecord, ScoreRecord, StudyFacts
from ovrik.store.study import Study
from ovrik.study.contender import Contender, Difference, difference
from ovrik.study.delivery import delivery
from ovrik.study.excerpt import Excerpt, NamedExcerpt
from ovrik.study.programme import Programme
from ovrik.work.order import OrderEffect, order_effects


@dataclass(frozen=True, eq=False)
class Summary:
    """All that is known of one contender.

    Fields: `contender`; `runs` of the present excerpt, in order; `median_s` of the counted ones;
    `ratio` to the baseline, None without shared rounds; `answer`, one of baseline, faster, slower,
    tie, unsure; `more_rounds` that would settle it, when unsure; `bytes` and `mb_per_minute` of the
    output; `score` on file for it, or None; `quality`, pooled by metric, empty while unscored; `reasons`
    against it, the gravest first; `judged`, whether its output was checked; `apart`, what differs from
    the baseline; `prepared`, what was made once for it or for another that shares it; `payoff` of its pre-render,
    None without one or without the same export done directly; `spread` of its times, None with fewer than two;
    `erratic`, whether that stands out among the others.
    """

    contender: Contender
    runs: tuple[RunRecord, ...]
    median_s: float | None
    ratio: Ratio | None
    answer: str
    more_rounds: int | None
    bytes: int | None
    mb_per_minute: float | None
    score: ScoreRecord | None
    quality: dict[str, Pooled]
    reasons: tuple[str, ...]
    judged: bool
    apart: Difference
    prepared: tuple[Preparation, ...] = ()
    payoff: Payoff | None = None
    spread: Spread | None = None
    erratic: bool = False

    @property
    def vmaf(self) -> Pooled | None:
        """VMAF pooled, which limits ask for; None while unscored."""
        return self.quality.get("vmaf")

    @property
    def doubt_s(self) -> float:
        """Half the coarsest step in which its times were read, seconds."""
        return max((r.doubt_s for r in self.counted), default=0.0)

    @property
    def rounds(self) -> int:
        """How many times its median rests on: of a round that was timed again only the last one."""
        return len(self.times)

    @property
    def times(self) -> list[float]:
        """Seconds of each round, oldest first: of a round that was timed again only the last one."""
        return list(times(self.counted).values())

    @property
    def counted(self) -> list[RunRecord]:
        """Runs whose times enter the statistics: measured ones, or those taken by hand where there are no others."""
        return of_one_kind(self.runs)

    @property
    def by_hand(self) -> bool:
        """Whether its times were read from a stopwatch."""
        return any(r.by_hand for r in self.counted)

    @property
    def other_forms(self) -> tuple[str, ...]:
        """Treatments that its device did not do as software does, by its last run, in words."""
        text = self.counted[-1].conditions.get("forms", ()) if self.counted else ()
        return tuple(str(words) for words in text)

    @property
    def conforms(self) -> bool | None:
        """Whether the output is what it should be; None while unchecked."""
        return None if self.score is None else not self.score.faults

    @property
    def acceptable(self) -> bool | None:
        """Checked and within the limits; None while that is open."""
        if self.reasons:
            return False
        return True if self.judged else None

    @property
    def fps(self) -> float | None:
        """Frames per second at the median time."""
        if not self.median_s or not self.runs:
            return None
        return self.runs[-1].excerpt.frames / self.median_s


@dataclass(frozen=True, eq=False)
class Evidence:
    """Fields: `facts` and `programme` of the study; `summaries` in line-up order; `verdict`;
    `machines`, what differs between the machines, or states of one, that the
    counted runs were made on, in words; `set_aside`, runs on file
    that belong to another excerpt or programme and do not count; `excerpts` kept by name; `order`, how times
    moved with order and hour; `comparisons` that the intervals hold for together."""

    facts: StudyFacts
    programme: Programme
    summaries: tuple[Summary, ...]
    verdict: Verdict
    machines: tuple[str, ...]
    set_aside: int
    excerpts: tuple[NamedExcerpt, ...] = ()
    order: tuple[OrderEffect, ...] = ()
    comparisons: int = 1

    @property
    def stamp(self) -> tuple[object, ...]:
        """Changes whenever anything that is shown of it does."""
        return (
            self.facts,
            self.programme.checksum,
            self.set_aside,
            self.machines,
            tuple(
                (
                    *(s.contender, s.reasons, s.acceptable, s.bytes, s.payoff, len(s.prepared)),
                    s.score.id if s.score else None,
                    tuple((r.id, r.state) for r in s.runs),
                )
                for s in self.summaries
            ),
        )

    @property
    def excerpt_name(self) -> str:
        """Name of the present excerpt, "" when it has none."""
        return next((e.name for e in self.excerpts if e.excerpt == self.facts.excerpt), "")

    def of(self, contender_id: int) -> Summary | None:
        """The summary of one contender."""
        return next((s for s in self.summaries if s.contender.id == contender_id), None)


def belongs(run: RunRecord, facts: StudyFacts, programme: Programme) -> bool:
    """Whether a run exported the present excerpt of the present programme."""
    return run.excerpt == facts.excerpt and run.programme == programme.checksum


def counted(study: Study) -> list[RunRecord]:
    """Runs whose times enter the statistics of the present question."""
    facts, programme = study.facts(), study.programme()
    return [r for r in study.runs() if r.counts and belongs(r, facts, programme)]


def latest_output(study: Study, contender_id: int) -> RunRecord | None:
    """The run that wrote the output file of the present excerpt now on disk."""
    facts, programme = study.facts(), study.programme()
    done = [r for r in study.runs(contender_id) if r.state == "done" and r.output]
    mine = [r for r in done if belongs(r, facts, programme)]
    later = [r for r in done if mine and r.id > mine[-1].id and r.output == mine[-1].output]
    return mine[-1] if mine and not later else None


def output_path(study: Study, run: RunRecord) -> Path:
    """Where a run's output lies: in the folder that it was written to, or, in a study that was moved, in the one that
    goes with it now."""
    name = run.output or ""
    written = Path(str(run.conditions.get("outputs") or study.outputs)) / name
    return written if written.exists() else study.outputs / name


def with_barred(evidence: Evidence, barred: Mapping[int, str]) -> Evidence:
    """The same evidence with the reasons why contenders can't run here. The verdict stays: what has no times has
    no part in it."""
    if not barred:
        return evidence
    return replace(
        evidence,
        summaries=tuple(
            replace(s, reasons=(f"it can't run: {barred[s.contender.id]}", *s.reasons))
            if s.contender.id in barred and not s.times
            else s
            for s in evidence.summaries
        ),
    )


def gather(study: Study, barred: Mapping[int, str] | None = None, excerpt: Excerpt | None = None) -> Evidence:
    """Read everything and sum it up; `barred` says which contenders can't run here, and why. `excerpt` is another
    one to speak of than the study's present one."""
    facts, programme, contenders = study.facts(), study.programme(), study.contenders()
    facts = replace(facts, excerpt=excerpt or facts.excerpt)
    every = study.runs()
    mine = [r for r in every if belongs(r, facts, programme)]
    by_contender: dict[int, list[RunRecord]] = {}
    for run in mine:
        by_contender.setdefault(run.contender_id, []).append(run)
    base = by_contender.get(facts.baseline_id or 0, [])
    first = next((c for c in contenders if c.id == facts.baseline_id), None)
    comparisons = sum(
        c.id != facts.baseline_id and bool(times(by_contender.get(c.id, []))) for c in contenders
    )
    summaries = tuple(
        _summary(
            study,
            c,
            by_contender.get(c.id, []),
            base,
            facts,
            programme,
            difference(first or c, c),
            comparisons,
        )
        for c in contenders
    )
    made = [
        p
        for p in study.preparations()
        if p.kind != "trial" and (p.programme, p.excerpt) == (programme.checksum, facts.excerpt)
    ]
    if made:
        everyone = study.contenders(with_dropped=True)
        summaries = tuple(replace(s, prepared=_prepared(s.contender, made, everyone)) for s in summaries)
        summaries = tuple(replace(s, payoff=_payoff(s, summaries)) for s in summaries)
    every_spread = [s.spread.share for s in summaries if s.spread]
    summaries = tuple(
        replace(s, erratic=erratic(s.spread.share, every_spread)) if s.spread else s for s in summaries
    )
    used = {r.machine_id for s in summaries for r in s.counted}
    kept = [facts_ for number, facts_ in study.machines().items() if number in used]
    verdict = decide(
        [_entrant(s) for s in summaries], facts.tie_band, alpha_for(max(comparisons, 1), facts.conduct.looks)
    )
    found = Evidence(
        facts,
        programme,
        summaries,
        verdict,
        _differences(kept),
        len(every) - len(mine),
        tuple(study.excerpts()),
        order_effects(r for s in summaries for r in s.runs),
        max(comparisons, 1),
    )
    return with_barred(found, barred or {})


def _prepared(c: Contender, made: list[Preparation], contenders: list[Contender]) -> tuple[Preparation, ...]:
    """What was made for this contender, or for one that exports from the same."""
    sharing = {
        o.id
        for o in contenders
        if (o.prerendered, o.decode, o.treat, o.build) == (c.prerendered, c.decode, c.treat, c.build)
    }
    return tuple(p for p in made if p.contender_id in sharing)


def _payoff(s: Summary, every: tuple[Summary, ...]) -> Payoff | None:
    """The pre-render's cost against what it saves: needs the same export done directly."""
    c = s.contender
    if c.prerendered is None or s.median_s is None:
        return None
    direct = next((o.median_s for o in every if o.contender.same_thing(replace(c, prerendered=None))), None)
    cost = next((p for p in reversed(s.prepared) if p.kind == "pre-render" and p.state == "done"), None)
    if direct is None or cost is None or cost.wall_s is None:
        return None
    return payoff(cost.wall_s, direct, s.median_s, cost.bytes or 0)


def _differences(machines: list[dict[str, Any]]) -> tuple[str, ...]:
    """What differs among machines, each against the first, the weightiest first."""
    found = [words for other in machines[1:] for words in differences(machines[0], other)]
    return tuple(dict.fromkeys(found))


def times(runs: list[RunRecord]) -> dict[int, float]:
    """Seconds by round of the counted runs; the last one where a round was timed twice."""
    return {r.round: r.wall_s for r in runs if r.counts and r.wall_s is not None}


def of_one_kind(runs: Iterable[RunRecord], by_hand: bool | None = None) -> list[RunRecord]:
    """The counted runs of one kind of evidence: of times that Ovrik measured, or by hand. Left open, measured ones
    where there are any: the two are never pooled."""
    found = [r for r in runs if r.counts]
    if by_hand is None:
        by_hand = all(r.by_hand for r in found)
    return [r for r in found if r.by_hand == by_hand]


def _entrant(s: Summary) -> Entrant:
    return Entrant(s.contender.label, times(s.counted), s.median_s, s.reasons, s.judged, s.doubt_s)


def _summary(
    study: Study,
    c: Contender,
    runs: list[RunRecord],
    base: list[RunRecord],
    facts: StudyFacts,
    programme: Programme,
    apart: Difference,
    comparisons: int,
) -> Summary:
    own = of_one_kind(runs)
    # Like is compared with like: a time by hand with the baseline's times by hand.
    theirs = of_one_kind(base, own[0].by_hand if own else None)
    mine = times(own)
    alpha = alpha_for(comparisons, facts.conduct.looks)
    doubt = max((r.doubt_s for r in (*theirs, *own)), default=0.0)
    ratio = paired_ratio(*shared_times(times(theirs), mine), alpha, doubt)
    said = "baseline" if c.id == facts.baseline_id else answer(ratio, facts.tie_band)
    more = rounds_to_decide(ratio, facts.tie_band, alpha) if said == "unsure" and mine else None
    done = [r for r in runs if r.state == "done" and r.output_sha256]
    size = done[-1].output_bytes if done else None
    wanted = delivery(programme, facts.excerpt, c.recipe)
    duration, rate = wanted.duration_s, float(wanted.rate)
    key = reference_key(programme, facts.excerpt, wanted)
    per_minute = megabytes_per_minute(size, duration) if size else None
    score = study.score(c.id, done[-1].output_sha256 or "", key) if done else None
    quality = {k: pooled(m.values, rate) for k, m in score.metrics.items() if len(m.values)} if score else {}
    vmaf = quality.get("vmaf")
    reasons = list(_failures(runs, mine))
    fallen = [r for r in runs if r.fell_back and r.counts]
    if fallen:
        reasons.append(f"it fell back: {fallen[-1].fell_back}")
    if score is not None:
        reasons += [*score.faults, *([score.problem] if score.problem and not score.faults else [])]
    reasons += misses(
        facts.limits, Measured(vmaf.mean if vmaf else None, vmaf.p5 if vmaf else None, per_minute)
    )
    return Summary(
        c,
        tuple(runs),
        statistics.median(mine.values()) if mine else None,
        ratio,
        said,
        more,
        size,
        per_minute,
        score,
        quality,
        tuple(reasons),
        score is not None,
        apart,
        spread=spread_of(list(mine.values())),
    )


def _failures(runs: list[RunRecord], mine: dict[int, float]) -> list[str]:
    """A contender whose every try failed is out; one that failed and later worked is not."""
    if mine or not runs or runs[-1].state != "failed":
        return []
    return [f"it failed: {runs[-1].reason}"]
