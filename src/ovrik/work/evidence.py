"""What a study's runs and scores come to: one summary for each contender, and the verdict."""

import statistics
from collections.abc import Mapping
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any

import numpy as np

from ovrik.analysis.acceptance import Measured, megabytes_per_minute, misses, near
from ovrik.analysis.best import against
from ovrik.analysis.payoff import Payoff, payoff
from ovrik.analysis.pooling import Pooled, pooled
from ovrik.analysis.ratio import Ratio, answer, rounds_to_decide
from ovrik.analysis.spread import Spread, erratic, spread_of
from ovrik.analysis.verdict import Entrant, Verdict, decide
from ovrik.machine.facts import differences
from ovrik.quality.metric_table import METRICS
from ovrik.quality.reference_key import key_of
from ovrik.store.records import Decision, PlaybackRecord, Preparation, RunRecord, ScoreRecord, StudyFacts
from ovrik.store.study import Study
from ovrik.study.contender import Contender, Difference, difference
from ovrik.study.delivery import delivery
from ovrik.study.excerpt import Excerpt, NamedExcerpt
from ovrik.study.programme import Programme
from ovrik.study.seen import Blind, Pin
from ovrik.work.counted_times import LineUpTimes, line_up_times, of_one_kind, prior_of, times
from ovrik.work.order import OrderEffect, order_effects
from ovrik.work.plays import Tried, plays_by_output, unseen_by


@dataclass(frozen=True, eq=False)
class Summary:
    """All that is known of one contender.

    Fields: `contender`; `runs` of the present excerpt, in order; `usual_s`, its time in an average round; `median_s`
    of the counted ones; `ratio` to the baseline, the quotient of their usual times, None where one has no times;
    `answer`, one of baseline, faster, slower, tie, unsure; `more_rounds` that would settle it, when unsure;
    `standing` against the choice, one of choice, slower, tie, unsure, or "" for what is not acceptable, and `gain`,
    how much faster than the choice it could be at the most, as a share; `left_out`, why it is not timed any more, or
    ""; `bytes` and `mb_per_minute` of the
    output; `score` on file for it, or None; `quality`, pooled by metric, empty while unscored; `reasons`
    against it, the gravest first; `judged`, whether its output was checked; `apart`, what differs from
    the baseline; `prepared`, what was made once for it or for another that shares it; `payoff` of its pre-render,
    None without one or without the same export done directly; `spread` of its times, None with fewer than two;
    `erratic`, whether that stands out among the others.
    """

    contender: Contender
    runs: tuple[RunRecord, ...]
    usual_s: float | None
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
    standing: str = ""
    gain: float | None = None
    left_out: str = ""
    plays: bool | None = None
    unseen: bool | None = None

    @property
    def vmaf(self) -> Pooled | None:
        """VMAF pooled, which limits ask for; None while unscored."""
        return self.quality.get("vmaf")

    @property
    def output_run(self) -> RunRecord | None:
        """The last run that wrote an output."""
        return next((r for r in reversed(self.runs) if r.state == "done" and r.output), None)

    @property
    def sampled(self) -> bool:
        """Whether its quality is known of a sample of frames only."""
        return bool(self.score and self.score.every > 1)

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
    def measured(self) -> Measured:
        """What limits ask for."""
        vmaf = self.vmaf
        return Measured(
            vmaf.mean if vmaf else None,
            vmaf.p5 if vmaf else None,
            self.mb_per_minute,
            self.plays,
            self.unseen,
        )

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
        """Frames per second at the usual time."""
        if not self.usual_s or not self.runs:
            return None
        return self.runs[-1].excerpt.frames / self.usual_s


@dataclass(frozen=True, eq=False)
class Evidence:
    """Fields: `facts` and `programme` of the study; `summaries` in line-up order; `times` of all of them at once;
    `verdict`; `machines`, what differs between the machines, or states of one, that the counted runs were made on, in
    words; `set_aside`, runs on file that belong to another excerpt or programme and do not count; `excerpts` kept by
    name; `order`, how times moved with order and hour; `comparisons` that the intervals hold for together;
    `decisions` about who is timed further, `playbacks`, what was played, `pins`, notes on frames, and `blinds`, blind
    comparisons, each in the order in which they were made."""

    facts: StudyFacts
    programme: Programme
    summaries: tuple[Summary, ...]
    times: LineUpTimes
    verdict: Verdict
    machines: tuple[str, ...]
    set_aside: int
    excerpts: tuple[NamedExcerpt, ...] = ()
    order: tuple[OrderEffect, ...] = ()
    comparisons: int = 1
    decisions: tuple[Decision, ...] = ()
    playbacks: tuple[PlaybackRecord, ...] = ()
    pins: tuple[Pin, ...] = ()
    blinds: tuple[Blind, ...] = ()

    @property
    def stamp(self) -> tuple[object, ...]:
        """Changes whenever anything that is shown of it does."""
        return (
            self.facts,
            self.programme.checksum,
            self.set_aside,
            self.machines,
            len(self.playbacks),
            self.pins,
            self.blinds,
            tuple(
                (
                    *(s.contender, s.reasons, s.acceptable, s.bytes, s.payoff, s.left_out, len(s.prepared)),
                    s.score.id if s.score else None,
                    tuple((r.id, r.state) for r in s.runs),
                )
                for s in self.summaries
            ),
        )

    @property
    def near_limits(self) -> tuple[str, ...]:
        """Where a limit is close to deciding: of the choice, and of what is no slower."""
        choice = next((s for s in self.summaries if s.standing == "choice"), None)
        longest = choice.usual_s if choice and choice.usual_s else float("inf")
        return tuple(
            f"{s.contender.label} ({'; '.join(found)})"
            for s in self.summaries
            if s.usual_s and s.usual_s <= longest and (found := near(self.facts.limits, s.measured))
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
    first = next((c for c in contenders if c.id == facts.baseline_id), None)
    found = line_up_times(
        [c.id for c in contenders], by_contender, facts.baseline_id, prior_of(facts.conduct)
    )
    ratios = _ratios(found, facts)
    decisions = study.decisions(programme.checksum, facts.excerpt)
    playbacks = study.playbacks(programme.checksum, facts.excerpt)
    tried = Tried(plays_by_output(playbacks), study.blinds(programme.checksum, facts.excerpt))
    last = {d.contender_id: d for d in decisions}
    left_out = {i: d.reason for i, d in last.items() if d.out}
    summaries = tuple(
        _summary(study, c, by_contender.get(c.id, []), found, ratios.get(c.id), facts, programme, tried)
        for c in contenders
    )
    summaries = tuple(
        replace(
            s, apart=difference(first or s.contender, s.contender), left_out=left_out.get(s.contender.id, "")
        )
        for s in summaries
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
        [_entrant(s, found.rows) for s in summaries], found.found, facts.tie_band, facts.conduct.looks
    )
    standing = {label: (said, gain) for label, said, gain in verdict.standing}
    summaries = tuple(
        replace(s, standing=standing[s.contender.label][0], gain=standing[s.contender.label][1])
        if s.contender.label in standing
        else s
        for s in summaries
    )
    whole = Evidence(
        facts,
        programme,
        summaries,
        found,
        verdict,
        _differences(kept),
        len(every) - len(mine),
        tuple(study.excerpts()),
        order_effects(r for s in summaries for r in s.runs),
        max(sum(i != facts.baseline_id for i in ratios), 1),
        tuple(decisions),
        tuple(playbacks),
        tuple(study.pins(programme.checksum, facts.excerpt)),
        tuple(tried.blinds),
    )
    return with_barred(whole, barred or {})


def _ratios(found: LineUpTimes, facts: StudyFacts) -> dict[int, Ratio]:
    """Each contender against the baseline, by number: times by hand against times by hand."""
    out: dict[int, Ratio] = {}
    others = [i for i in found.rows if i != facts.baseline_id]
    for base in (found.base, found.base_by_hand):
        if base is None:
            continue
        rows = {found.rows[i]: i for i in others if found.base_for(i) == base}
        ratios = against(found.found, base, np.array(sorted(rows), int), facts.conduct.looks)
        out |= {rows[row]: r for row, r in ratios.items()}
    own = found.rows.get(facts.baseline_id or 0)
    if own is not None and (count := int(found.found.counts[own])):
        out[facts.baseline_id or 0] = Ratio(1.0, 1.0, 1.0, count)
    return out


def _prepared(c: Contender, made: list[Preparation], contenders: list[Contender]) -> tuple[Preparation, ...]:
    """What was made for this contender, or for one that exports from the same."""
    sharing = {
        o.id
        for o in contenders
        if (o.prerendered, o.decode, o.treat, o.build, o.methods)
        == (c.prerendered, c.decode, c.treat, c.build, c.methods)
    }
    return tuple(p for p in made if p.contender_id in sharing)


def _payoff(s: Summary, every: tuple[Summary, ...]) -> Payoff | None:
    """The pre-render's cost against what it saves: needs the same export done directly."""
    c = s.contender
    if c.prerendered is None or s.usual_s is None:
        return None
    direct = next((o.usual_s for o in every if o.contender.same_thing(replace(c, prerendered=None))), None)
    cost = next((p for p in reversed(s.prepared) if p.kind == "pre-render" and p.state == "done"), None)
    if direct is None or cost is None or cost.wall_s is None:
        return None
    return payoff(cost.wall_s, direct, s.usual_s, cost.bytes or 0)


def _differences(machines: list[dict[str, Any]]) -> tuple[str, ...]:
    """What differs among machines, each against the first, the weightiest first."""
    found = [words for other in machines[1:] for words in differences(machines[0], other)]
    return tuple(dict.fromkeys(found))


def _entrant(s: Summary, rows: Mapping[int, int]) -> Entrant:
    return Entrant(s.contender.label, rows[s.contender.id], s.usual_s, s.reasons, s.judged)


def _summary(
    study: Study,
    c: Contender,
    runs: list[RunRecord],
    found: LineUpTimes,
    ratio: Ratio | None,
    facts: StudyFacts,
    programme: Programme,
    tried: Tried,
) -> Summary:
    mine = times(of_one_kind(runs))
    said = "baseline" if c.id == facts.baseline_id else answer(ratio, facts.tie_band)
    more = rounds_to_decide(ratio, facts.tie_band) if said == "unsure" and mine else None
    done = [r for r in runs if r.state == "done" and r.output_sha256]
    size = done[-1].output_bytes if done else None
    wanted = delivery(programme, facts.excerpt, c.recipe)
    duration, rate = wanted.duration_s, float(wanted.rate)
    key = key_of(facts, programme, wanted)
    per_minute = megabytes_per_minute(size, duration) if size else None
    score = study.score(c.id, done[-1].output_sha256 or "", key) if done else None
    quality = _pooled(score, rate) if score else {}
    vmaf = quality.get("vmaf")
    sha256 = (done[-1].output_sha256 or "") if done else ""
    held = tried.plays.get((c.id, sha256))
    unseen = unseen_by(tried.blinds, sha256, key) if sha256 else None
    reasons = list(_failures(runs, mine))
    fallen = [r for r in runs if r.fell_back and r.counts]
    if fallen:
        reasons.append(f"it fell back: {fallen[-1].fell_back}")
    if score is not None:
        reasons += [*score.faults, *([score.problem] if score.problem and not score.faults else [])]
    reasons += misses(
        facts.limits,
        Measured(vmaf.mean if vmaf else None, vmaf.p5 if vmaf else None, per_minute, held, unseen),
    )
    return Summary(
        c,
        tuple(runs),
        float(np.exp(found.found.logs[found.rows[c.id]])) if mine else None,
        statistics.median(mine.values()) if mine else None,
        ratio,
        said,
        more,
        size,
        per_minute,
        score,
        quality,
        tuple(reasons),
        score is not None
        and (held is not None or not facts.limits.plays)
        and (unseen is not None or not facts.limits.unseen),
        difference(c, c),
        spread=spread_of(list(mine.values())),
        plays=held,
        unseen=unseen,
    )


def _pooled(score: ScoreRecord, rate: float) -> dict[str, Pooled]:
    """What the metrics come to, by key."""
    found = {m.key: score.of(m.key) for m in METRICS}
    return {key: pooled(values, rate) for key, values in found.items() if len(values)}


def _failures(runs: list[RunRecord], mine: dict[int, float]) -> list[str]:
    """A contender whose every try failed is out; one that failed and later worked is not."""
    if mine or not runs or runs[-1].state != "failed":
        return []
    return [f"it failed: {runs[-1].reason}"]
