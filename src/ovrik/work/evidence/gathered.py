"""What a study's runs and scores come to: one summary for each contender, and the verdict."""

from collections import Counter
from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from ovrik.analysis.choice.best import against
from ovrik.analysis.choice.delivered import upload_s
from ovrik.analysis.choice.entrant import Entrant, Standing, judge, near, standings
from ovrik.analysis.choice.verdict import Outcome, Verdict, decide
from ovrik.analysis.choice.whole_cost import whole_costs
from ovrik.analysis.forecast.whole_programme import Timed, costs
from ovrik.analysis.times.joint import Joint
from ovrik.analysis.times.ratio import Ratio
from ovrik.analysis.times.spread import erratic
from ovrik.machine.workstation.facts import differences
from ovrik.store.records.decision import Decision
from ovrik.store.records.looks import Looks
from ovrik.store.records.made import PlaybackRecord, Preparation
from ovrik.store.records.run import RunRecord
from ovrik.store.records.study_facts import StudyFacts
from ovrik.store.study import Study
from ovrik.study.contender.contender import contender_difference
from ovrik.study.facts.notes import Blind, Pin
from ovrik.study.facts.part import ALL
from ovrik.study.facts.reason import Against, Reason
from ovrik.study.programme.excerpt import Excerpt, NamedExcerpt
from ovrik.study.programme.programme import Programme
from ovrik.study.question.footage_kind import FootageKind
from ovrik.study.question.limit_kinds import SECONDS
from ovrik.study.question.limits import Limits
from ovrik.study.question.sitting import Sitting
from ovrik.study.question.worth import Worth
from ovrik.work.evidence.counted_times import LineUpTimes, line_up_times, prior_of
from ovrik.work.evidence.first import ComesFirst, comes_first
from ovrik.work.evidence.order_effects import OrderEffect, order_effects
from ovrik.work.evidence.summary import Case, Summary, alike_before, payoff_of, summary_of
from ovrik.work.evidence.tried import Tried, plays_by_output


@dataclass(frozen=True, eq=False)
class Evidence:
    """Fields: `version` of the study's file that it was read from; `facts` and `programme` of the study; `summaries`
    in line-up order; `times` of all of them at once, and `costs`, what the choice goes by; `verdict`; `looks` that
    intervals allow for; `machines`, what differs between the machines, or states of one, that the counted runs were
    made on; `set_aside`, runs on file that belong to another excerpt or programme and do not count; `excerpts` kept
    by name; `kinds` of footage, those of other programmes too; `order`, how times moved with order and hour;
    `comparisons` that the intervals hold for together; `decisions` about who is timed further, `playbacks`, what was
    played, `pins`, notes on frames, and `blinds`, blind comparisons, each in the order in which they were made;
    `sittings` of the study, and `sitting`, the number of the one that is spoken of."""

    version: tuple[int, int]
    facts: StudyFacts
    programme: Programme
    summaries: tuple[Summary, ...]
    times: LineUpTimes
    costs: Joint
    verdict: Verdict
    looks: int
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
        """Another one whenever anything that is shown of it may be: by the study's own version, by what is tried out
        with it, and by what can't run on this machine now."""
        barred = tuple(s.faults[0] for s in self.summaries if s.faults and s.faults[0].kind is Against.BARRED)
        return self.version, self.facts.limits, self.facts.worth, self.sitting, barred

    @property
    def entrants(self) -> tuple[Entrant, ...]:
        """What any question about the choice sees, in line-up order."""
        return tuple(s.entrant for s in self.summaries)

    @property
    def choice(self) -> Summary | None:
        """The choice, None without one."""
        return self.of(self.verdict.choice) if self.verdict.choice is not None else None

    @property
    def near_limits(self) -> tuple[tuple[Summary, tuple[Standing, ...]], ...]:
        """Where a limit is close to deciding: of the choice, and of what is no slower."""
        longest = self.choice.usual_s if self.choice and self.choice.usual_s else float("inf")
        return tuple(
            (s, tuple(found))
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

    def of(self, contender_id: int | None) -> Summary | None:
        """The summary of one contender."""
        return next((s for s in self.summaries if s.contender.contender_id == contender_id), None)

    def label(self, contender_id: int | None) -> str:
        """A contender's label, "" for one that is not there."""
        found = self.of(contender_id)
        return found.contender.label if found else ""


def belongs(run: RunRecord, facts: StudyFacts, programme: Programme) -> bool:
    """Whether a run exported the present excerpt of the present programme."""
    return run.excerpt == facts.excerpt and run.programme == programme.checksum


def counted(study: Study) -> list[RunRecord]:
    """Runs whose times enter the statistics of the present question."""
    facts, programme = study.facts(), study.programme()
    return [r for r in study.runs() if r.counts and belongs(r, facts, programme)]


def with_barred(e: Evidence, barred: Mapping[int, str]) -> Evidence:
    """The same evidence with the reasons why contenders can't run here, of those that have no times."""
    if not barred:
        return e
    summaries = tuple(
        replace(s, entrant=replace(s.entrant, faults=(Reason(Against.BARRED, why), *s.faults)))
        if (why := barred.get(s.contender.contender_id)) and not s.times
        else s
        for s in e.summaries
    )
    return judged(replace(e, summaries=summaries), e.facts.limits)


def judged(e: Evidence, asked: Limits, worth: Worth | None = None) -> Evidence:
    """The same evidence by these limits, and by this aim where one is given."""
    facts = replace(e.facts, limits=asked, worth=worth or e.facts.worth)
    costs = _costs(e, facts.worth)
    entrants = [_priced(s.entrant, costs, facts.worth) for s in e.summaries]
    found = {x.contender_id: judge(x, asked) for x in entrants}
    verdict = decide(entrants, found, costs, facts.tie_band, e.looks)
    summaries = tuple(
        s
        if (s.entrant, s.place) == (x, place := verdict.place(x.contender_id))
        else replace(s, entrant=x, place=place)
        for s, x in zip(e.summaries, entrants, strict=True)
    )
    return replace(e, facts=facts, costs=costs, verdict=verdict, summaries=summaries)


def _costs(e: Evidence, worth: Worth) -> Joint:
    """The whole costs that are compared: what comes first, where somebody waits for it, then until the file is
    written, or until it has been sent."""
    steps = _steps(e) if worth.first_waits else {}
    if not worth.delivered and not steps:
        return e.times.found
    found = e.times.found
    sent = np.full(len(found.logs), np.nan if worth.delivered else 0.0)
    for s in e.summaries:
        if worth.delivered and s.bytes is not None:
            sent[e.times.rows[s.contender.contender_id]] = upload_s(s.bytes, worth.line_mbit_s)
    made = [(step.step(found), rows) for step, rows in steps.values()]
    return whole_costs(found, sent, made, worth.exports_a_film)


def _steps(e: Evidence) -> dict[str, tuple[ComesFirst, list[int]]]:
    """What comes first, by its key, with the rows that need it."""
    out: dict[str, tuple[ComesFirst, list[int]]] = {}
    for s in e.summaries:
        for step in s.first:
            if step.times:
                out.setdefault(step.key, (step, []))[1].append(s.entrant.row)
    return out


def _priced(entrant: Entrant, costs: Joint, worth: Worth) -> Entrant:
    """What an entrant comes to: a ceiling on the time is one on the whole cost."""
    cost = float(np.exp(costs.logs[entrant.row])) if entrant.usual_s is not None else np.nan
    known, price = np.isfinite(cost), worth.price_of(entrant.contender_id)
    values = {**entrant.measured.values, **({SECONDS: cost} if known else {})}
    return replace(
        entrant,
        cost_s=cost if known else None,
        price=price,
        yearly=worth.yearly_of(entrant.contender_id),
        measured=replace(entrant.measured, values=values),
    )


def gather(study: Study, barred: Mapping[int, str] | None = None, excerpt: Excerpt | None = None) -> Evidence:
    """Read everything and sum it up; `barred` says which contenders can't run here, and why. `excerpt` is another
    one to speak of than the study's present one."""
    version = study.version
    facts, programme, contenders = study.facts(), study.programme(), study.contenders()
    facts = replace(facts, excerpt=excerpt or facts.excerpt)
    place = programme.checksum, facts.excerpt
    every = study.runs()
    by_contender: dict[int, list[RunRecord]] = {}
    for run in every:
        if belongs(run, facts, programme):
            by_contender.setdefault(run.contender_id, []).append(run)
    looks = looks_of(study.looks(*place), facts)
    found = line_up_times(
        [c.contender_id for c in contenders], by_contender, facts.baseline_id, prior_of(facts.conduct)
    )
    ratios = _ratios(found, facts, looks)
    playbacks = study.playbacks(*place)
    tried = Tried(plays_by_output(playbacks), study.blinds(*place))
    case = Case(facts, programme, found, tried)
    summaries = _related(
        study,
        tuple(
            summary_of(study, c, by_contender.get(c.contender_id, []), ratios.get(c.contender_id), case)
            for c in contenders
        ),
        facts,
        programme,
        every,
        found,
        looks,
    )
    used = {r.machine_id for s in summaries for r in s.counted}
    machines = [known for number, known in study.machines().items() if number in used]
    whole = Evidence(
        version=version,
        facts=facts,
        programme=programme,
        summaries=summaries,
        times=found,
        costs=found.found,
        verdict=Verdict(Outcome.UNTIMED),
        looks=looks,
        machines=_differences(machines),
        set_aside=len(every) - sum(map(len, by_contender.values())),
        excerpts=tuple(study.excerpts()),
        kinds=tuple(study.kinds()),
        order=order_effects(r for s in summaries for r in s.runs),
        comparisons=max(sum(i != facts.baseline_id for i in ratios), 1),
        decisions=tuple(study.decisions(*place)),
        playbacks=tuple(playbacks),
        pins=tuple(study.pins(*place)),
        blinds=tuple(tried.blinds),
        sittings=tuple(study.sittings()),
        sitting=study.sitting_id,
    )
    return with_barred(judged(_with_decisions(whole), facts.limits), barred or {})


def looks_of(kept: Looks, facts: StudyFacts) -> int:
    """Looks that intervals allow for: those on file, and those that are planned."""
    return max(kept.count, facts.conduct.looks)


def _with_decisions(e: Evidence) -> Evidence:
    last = {d.contender_id: d for d in e.decisions if d.contender_id}
    out = {i: d for i, d in last.items() if d.out}
    return replace(
        e, summaries=tuple(replace(s, left_out=out.get(s.contender.contender_id)) for s in e.summaries)
    )


def _related(
    study: Study,
    summaries: tuple[Summary, ...],
    facts: StudyFacts,
    programme: Programme,
    every: list[RunRecord],
    found: LineUpTimes,
    looks: int,
) -> tuple[Summary, ...]:
    """The same with what takes the others to be known: what differs from the baseline, what was prepared and what
    that saves, whose spread stands out, and what an export pays once."""
    base = next((s.contender for s in summaries if s.contender.contender_id == facts.baseline_id), None)
    place = programme.checksum, facts.excerpt
    made = [p for p in _made(study) if p.kind != "trial" and (p.programme, p.excerpt) == place]
    everyone = study.contenders(with_dropped=True) if made else []
    alike = {s.contender.contender_id: alike_before(s.contender, everyone) for s in summaries}
    first = {
        i: comes_first(s.contender, s.runs, made, alike[i])
        for s in summaries
        if (i := s.contender.contender_id)
    }
    spreads = [s.spread.share for s in summaries if s.spread and not s.spread.assumed]
    paid = _paid_once(study, every, facts, programme)
    out = tuple(
        replace(
            s,
            apart=contender_difference(base or s.contender, s.contender),
            prepared=tuple(p for p in made if _belongs(p, first[s.contender.contender_id], alike, s)),
            first=first[s.contender.contender_id],
            erratic=bool(s.spread and not s.spread.assumed and erratic(s.spread.share, spreads)),
            entrant=replace(
                s.entrant,
                fixed_s=paid.get(s.contender.contender_id),
                first_s=_first_s(first[s.contender.contender_id], found),
            ),
        )
        for s in summaries
    )
    return tuple(replace(s, payoff=payoff_of(s, out, found.found, looks)) for s in out) if made else out


def _made(study: Study) -> list[Preparation]:
    """What was made in this sitting; of what was not timed in it, what there is of all others."""
    here = study.preparations_here()
    again = {p.key for p in here if p.state == "done"}
    return [*(p for p in study.preparations() if p.key not in again and p not in here), *here]


def _belongs(
    made: Preparation, first: tuple[ComesFirst, ...], alike: Mapping[int, frozenset[int]], s: Summary
) -> bool:
    """Whether something was made for this contender, or for one that needs the same."""
    return made.key in {f.key for f in first} or made.contender_id in alike[s.contender.contender_id]


def _first_s(first: tuple[ComesFirst, ...], found: LineUpTimes) -> float | None:
    """What comes first of a film, seconds; None where not all of it was timed."""
    if not all(f.times for f in first):
        return None
    return sum(f.step(found.found).seconds for f in first)


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
        mine = r.counts and not r.by_hand and r.programme == programme.checksum
        if r.contender_id in timed and mine and r.wall_s:
            timed[r.contender_id].append(Timed(r.excerpt.start_frame, r.excerpt.frames, r.wall_s))
    found = {i: costs(t, facts.excerpt.start_frame, facts.excerpt.frames) for i, t in timed.items()}
    return {i: max(c.fixed, 0.0) for i, c in found.items() if c is not None}


def _ratios(found: LineUpTimes, facts: StudyFacts, looks: int) -> dict[int, Ratio]:
    """Each contender against the baseline, by id: times by hand against times by hand."""
    out: dict[int, Ratio] = {}
    others = [i for i in found.rows if i != facts.baseline_id]
    for base in (found.base, found.base_by_hand):
        if base is None:
            continue
        rows = {found.rows[i]: i for i in others if found.base_for(i) == base}
        ratios = against(found.found, base, np.array(sorted(rows), int), looks)
        out |= {rows[row]: r for row, r in ratios.items()}
    own = found.rows.get(facts.baseline_id or 0)
    if own is not None and (count := int(found.found.counts[own])):
        out[facts.baseline_id or 0] = Ratio(1.0, 1.0, 1.0, count)
    return out


def _differences(machines: list[dict[str, Any]]) -> tuple[str, ...]:
    """What differs among machines, each against the first, the weightiest first."""
    found = [words for other in machines[1:] for words in differences(machines[0], other)]
    return tuple(dict.fromkeys(found))
