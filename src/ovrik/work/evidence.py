"""What a study's runs and scores come to: one summary for each contender, and the verdict."""

from collections import Counter
from collections.abc import Mapping
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any

import numpy as np

from ovrik.analysis.acceptance import judge, near, standings
from ovrik.analysis.best import against
from ovrik.analysis.delivered import upload_s, with_upload
from ovrik.analysis.joint import Joint
from ovrik.analysis.ratio import Ratio
from ovrik.analysis.spread import erratic
from ovrik.analysis.verdict import UNCHECKED, Entrant, Verdict, decide
from ovrik.analysis.whole import Timed, costs
from ovrik.machine.facts import differences
from ovrik.store.records import Decision, PlaybackRecord, RunRecord, StudyFacts
from ovrik.store.study import Study
from ovrik.study.contender import difference
from ovrik.study.excerpt import Excerpt, NamedExcerpt
from ovrik.study.footage_kind import FootageKind
from ovrik.study.limits import Limits
from ovrik.study.part import ALL
from ovrik.study.programme import Programme
from ovrik.study.seen import Blind, Pin
from ovrik.study.sitting import Sitting
from ovrik.study.worth import Worth
from ovrik.work.counted_times import LineUpTimes, line_up_times, prior_of
from ovrik.work.order import OrderEffect, order_effects
from ovrik.work.plays import Tried, plays_by_output
from ovrik.work.summary import Case, Summary, payoff_of, prepared_for, summary_of


@dataclass(frozen=True, eq=False)
class Evidence:
    """Fields: `facts` and `programme` of the study; `summaries` in line-up order; `times` of all of them at once;
    `verdict`; `machines`, what differs between the machines, or states of one, that the counted runs were made on,
    in words; `set_aside`, runs on file that belong to another excerpt or programme and do not count; `excerpts`
    kept by name; `kinds` of footage, those of other programmes too; `order`, how times moved with order and hour;
    `comparisons` that the intervals hold for together; `decisions` about who is timed further, `playbacks`, what
    was played, `pins`, notes on frames, and `blinds`, blind comparisons, each in the order in which they were
    made; `sittings` of the study, and `sitting`, the number of the one that is spoken of."""

    facts: StudyFacts
    programme: Programme
    summaries: tuple[Summary, ...]
    times: LineUpTimes
    verdict: Verdict
    machines: tuple[str, ...]
    set_aside: int
    excerpts: tuple[NamedExcerpt, ...] = ()
    kinds: tuple[FootageKind, ...] = ()
    order: tuple[OrderEffect, ...] = ()
    comparisons: int = 1
    decisions: tuple[Decision, ...] = ()
    playbacks: tuple[PlaybackRecord, ...] = ()
    pins: tuple[Pin, ...] = ()
    blinds: tuple[Blind, ...] = ()
    sittings: tuple[Sitting, ...] = ()
    sitting: int = 1

    @property
    def stamp(self) -> tuple[object, ...]:
        """Changes whenever anything that is shown of it does."""
        return (
            self.facts,
            self.kinds,
            self.programme.checksum,
            self.set_aside,
            self.machines,
            len(self.playbacks),
            self.pins,
            self.blinds,
            (self.sittings, self.sitting),
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
    def fails(self) -> dict[str, int]:
        """How many of those that were timed miss each floor and ceiling."""
        every = [standings(self.facts.limits, s.measured) for s in self.summaries if s.usual_s is not None]
        return dict(Counter(x.kind.key for found in every for x in found if x.missed))

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
    every = study.runs(contender_id, every_sitting=True)
    later = [
        r for r in every if mine and r.id > mine[-1].id and (r.state, r.output) == ("done", mine[-1].output)
    ]
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
            replace(
                s,
                faults=(f"it can't run: {barred[s.contender.id]}", *s.faults),
                reasons=(f"it can't run: {barred[s.contender.id]}", *s.reasons),
            )
            if s.contender.id in barred and not s.times
            else s
            for s in evidence.summaries
        ),
    )


def judged(e: Evidence, asked: Limits, worth: Worth | None = None) -> Evidence:
    """The same evidence by these limits, and by this aim where one is given."""
    facts = replace(e.facts, limits=asked, worth=worth or e.facts.worth)
    counted = aimed(e, facts.worth)
    entrants = [_entrant(s, e.times.rows[s.contender.id], counted, asked) for s in e.summaries]
    to = "deliver" if facts.worth.delivered else "export"
    verdict = decide(entrants, counted, facts.tie_band, facts.conduct.looks, to)
    standing = {label: (said, gain) for label, said, gain in verdict.standing}
    summaries = tuple(
        _standing(s, one, *standing.get(one.label, ("", None)))
        for s, one in zip(e.summaries, entrants, strict=True)
    )
    return replace(e, facts=facts, verdict=verdict, summaries=summaries)


def aimed(e: Evidence, worth: Worth) -> Joint:
    """The times that are compared: until the file is written, or until it has been sent."""
    if not worth.delivered:
        return e.times.found
    added = np.full(len(e.times.found.logs), np.nan)
    for s in e.summaries:
        if s.bytes is not None:
            added[e.times.rows[s.contender.id]] = upload_s(s.bytes, worth.line_mbit_s)
    return with_upload(e.times.found, added)


def _entrant(s: Summary, row: int, counted: Joint, asked: Limits) -> Entrant:
    seconds = float(np.exp(counted.logs[row])) if s.usual_s is not None else None
    known = seconds is not None and np.isfinite(seconds)
    by = judge(asked, s.measured)
    open_ = UNCHECKED if s.score is None else by.wanting
    return Entrant(
        s.contender.label,
        row,
        seconds if known else None,
        (*s.faults, *by.reasons),
        not open_,
        by.missed,
        s.bytes,
        open_,
    )


def _standing(s: Summary, by: Entrant, said: str, gain: float | None) -> Summary:
    if (s.reasons, s.judged, s.standing, s.gain) == (by.reasons, by.judged, said, gain):
        return s
    return replace(s, reasons=by.reasons, judged=by.judged, standing=said, gain=gain)


NO_VERDICT = Verdict((), "none", "")


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
    case = Case(facts, programme, found, tried)
    summaries = tuple(
        summary_of(study, c, by_contender.get(c.id, []), ratios.get(c.id), case) for c in contenders
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
        summaries = tuple(replace(s, prepared=prepared_for(s.contender, made, everyone)) for s in summaries)
        summaries = tuple(replace(s, payoff=payoff_of(s, summaries)) for s in summaries)
    every_spread = [s.spread.share for s in summaries if s.spread and not s.spread.assumed]
    summaries = tuple(
        replace(s, erratic=erratic(s.spread.share, every_spread)) if s.spread and not s.spread.assumed else s
        for s in summaries
    )
    paid = _paid_once(study, every, facts, programme)
    summaries = tuple(
        replace(s, fixed_s=paid[s.contender.id]) if s.contender.id in paid else s for s in summaries
    )
    used = {r.machine_id for s in summaries for r in s.counted}
    kept = [facts_ for number, facts_ in study.machines().items() if number in used]
    whole = Evidence(
        facts,
        programme,
        summaries,
        found,
        NO_VERDICT,
        _differences(kept),
        len(every) - len(mine),
        tuple(study.excerpts()),
        tuple(study.kinds()),
        order_effects(r for s in summaries for r in s.runs),
        max(sum(i != facts.baseline_id for i in ratios), 1),
        tuple(decisions),
        tuple(playbacks),
        tuple(study.pins(programme.checksum, facts.excerpt)),
        tuple(tried.blinds),
        tuple(study.sittings()),
        study.sitting_id,
    )
    return with_barred(judged(whole, facts.limits), barred or {})


def _paid_once(
    study: Study, every: list[RunRecord], facts: StudyFacts, programme: Programme
) -> dict[int, float]:
    """What every export of a contender pays once, seconds, for those of which segments of several lengths were
    timed."""
    timed: dict[int, list[Timed]] = {}
    for p in study.parts():
        if p.name == ALL and p.programme == programme.checksum:
            timed.setdefault(p.contender_id, []).append(
                Timed(p.excerpt.start_frame, p.excerpt.frames, p.wall_s)
            )
    for r in every:
        if (
            r.contender_id in timed
            and r.counts
            and not r.by_hand
            and r.wall_s
            and r.programme == programme.checksum
        ):
            timed[r.contender_id].append(Timed(r.excerpt.start_frame, r.excerpt.frames, r.wall_s))
    found = {i: costs(t, facts.excerpt.start_frame, facts.excerpt.frames) for i, t in timed.items()}
    return {i: max(c.fixed, 0.0) for i, c in found.items() if c is not None}


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


def _differences(machines: list[dict[str, Any]]) -> tuple[str, ...]:
    """What differs among machines, each against the first, the weightiest first."""
    found = [words for other in machines[1:] for words in differences(machines[0], other)]
    return tuple(dict.fromkeys(found))
