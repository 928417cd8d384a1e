"""What a study's runs and scores come to for one contender."""

import math
import statistics
from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field, replace
from functools import cached_property

import numpy as np

from ovrik.analysis.choice.best import pair
from ovrik.analysis.choice.entrant import Entrant, Measured, megabytes_per_minute
from ovrik.analysis.choice.payoff import Payoff, payoff
from ovrik.analysis.choice.verdict import Place
from ovrik.analysis.scores.bit_rate import busiest
from ovrik.analysis.scores.pooling import Pooled, pooled
from ovrik.analysis.times.critical import alpha_for, two_sided
from ovrik.analysis.times.joint import Joint
from ovrik.analysis.times.ratio import Ratio, answer, rounds_to_decide
from ovrik.analysis.times.spread import Spread, assumed_spread, spread_of
from ovrik.quality.reference.form_trial import FormTrial, form_trial
from ovrik.quality.reference.key import key_of
from ovrik.quality.scores.metric_table import METRICS
from ovrik.store.records.decision import Decision
from ovrik.store.records.made import Preparation, PreparationKind
from ovrik.store.records.run import RunRecord
from ovrik.store.records.score import BITS, ScoreRecord
from ovrik.store.records.study_facts import StudyFacts
from ovrik.store.study import Study
from ovrik.study.contender.contender import Contender, Difference, contender_difference
from ovrik.study.contender.delivery import delivery
from ovrik.study.encoder.intermediate import Intermediate
from ovrik.study.facts.reason import Against, Reason
from ovrik.study.programme.programme import Programme
from ovrik.study.question.limit_kinds import BIT_RATE, LIMIT_KINDS, MEMORY, PEAK, PER_MINUTE, SECONDS, SPREAD
from ovrik.work.evidence.counted_times import LineUpTimes, Round, of_one_kind, times
from ovrik.work.evidence.first import ComesFirst
from ovrik.work.evidence.tried import Tried, unseen_by

OPEN = 0.1
"""A time that may be off by more than this, as a log, is told by its bounds."""


@dataclass(frozen=True, eq=False)
class Summary:
    """All that is known of one contender.

    Fields: `contender`; `entrant`, what any question about the choice sees of it; `runs` of the present excerpt, in
    order; `median_s` of the counted ones; `ratio` to the baseline, the quotient of their usual times, None where
    one has no times; `answer`, one of baseline, faster, slower, tie, unsure; `more_rounds` that would settle it,
    when unsure; `mb_per_minute` of the output; `score` on file for it, or None; `quality`, pooled by metric, empty
    while unscored; `apart`, what differs from the baseline; `place`, where the verdict puts it; `prepared`, what
    was made once for it or for another that shares it; `first`, what its exports need first; `payoff` of its
    pre-render, None without one or without the same export done directly; `spread` of its times, None with fewer
    than two; `erratic`, whether that stands out among the others; `left_out`, the decision by which it is not timed
    any more, None where it is; `rate`, frames per second; `read`, how far the log of its usual time may be off
    for the way its times were taken.
    """

    contender: Contender
    entrant: Entrant
    runs: tuple[RunRecord, ...]
    median_s: float | None
    ratio: Ratio | None
    answer: str
    more_rounds: int | None
    mb_per_minute: float | None
    score: ScoreRecord | None
    quality: dict[str, Pooled]
    apart: Difference
    place: Place = field(default_factory=Place)
    prepared: tuple[Preparation, ...] = ()
    first: tuple[ComesFirst, ...] = ()
    payoff: Payoff | None = None
    spread: Spread | None = None
    erratic: bool = False
    left_out: Decision | None = None
    rate: float = 0.0
    read: float = 0.0

    @property
    def usual_s(self) -> float | None:
        """Its time in an average round."""
        return self.entrant.usual_s

    @property
    def first_s(self) -> float | None:
        """What comes first of a film, seconds: 0 where nothing does, None where not all of it was timed."""
        return self.entrant.first_s

    @property
    def cost_s(self) -> float | None:
        """Its whole cost, by which it is chosen."""
        return self.entrant.cost_s

    @property
    def bytes(self) -> int | None:
        """Size of its output."""
        return self.entrant.bytes

    @property
    def measured(self) -> Measured:
        """What limits ask for."""
        return self.entrant.measured

    @property
    def faults(self) -> tuple[Reason, ...]:
        """What speaks against it whatever the limits are, the gravest first."""
        return self.entrant.faults

    @property
    def reasons(self) -> tuple[Reason, ...]:
        """What speaks against it, by the limits too."""
        return self.place.by.reasons

    @property
    def judged(self) -> bool:
        """Whether all that the limits ask for is known."""
        return self.place.by.judged

    @property
    def standing(self) -> str:
        """Its answer against the choice, "" for what is not acceptable or has no time."""
        return self.place.answer or ""

    @property
    def gain(self) -> float | None:
        """How much faster than the choice it could be at the most, as a share."""
        return self.place.gain

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
        return bool(self.score and self.score.facts.every > 1)

    @property
    def bounds_s(self) -> tuple[float, float] | None:
        """Between what its usual time lies where nothing better is known of it, seconds; None where it is known to a
        tenth and better, or not at all."""
        if self.usual_s is None or self.read <= OPEN:
            return None
        return self.usual_s * math.exp(-self.read), self.usual_s * math.exp(self.read)

    @property
    def doubt_s(self) -> float:
        """How far its usual time may be off for the way its times were taken, seconds."""
        return (self.usual_s or 0.0) * self.read

    @property
    def rounds(self) -> int:
        """How many times its median rests on: of a round that was timed again only the last one."""
        return len(self.times)

    @cached_property
    def times(self) -> list[float]:
        """Seconds of each round, oldest first: of a round that was timed again only the last one."""
        return list(times(self.counted).values())

    @cached_property
    def counted(self) -> tuple[RunRecord, ...]:
        """Runs whose times enter the statistics: measured ones, or those taken by hand where there are no others."""
        return tuple(of_one_kind(self.runs))

    @property
    def by_hand(self) -> bool:
        """Whether its times were read from a stopwatch."""
        return any(r.by_hand for r in self.counted)

    @property
    def other_forms(self) -> tuple[str, ...]:
        """Treatments that its device did not do as software does, by its last run, in words."""
        if not self.counted:
            return ()
        earlier = self.counted[-1].conditions.get("forms", ())
        return (*map(str, earlier), *(f.differs for f in proofs(self.counted[-1]) if f.differs))

    @property
    def plays(self) -> bool | None:
        """Whether its output plays in real time here; None while that was not tried."""
        return self.measured.plays

    @property
    def unseen(self) -> bool | None:
        """Whether nobody could tell its output from the reference; None while that was not tried."""
        return self.measured.unseen

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

    @property
    def times_real_time(self) -> float | None:
        """How many times as fast as it plays it is exported, at the usual time."""
        return self.fps / self.rate if self.fps and self.rate else None


@dataclass(frozen=True, eq=False)
class Case:
    """What all contenders of a study are summed up by. Fields: `facts`; `programme`; `found`, all times at once;
    `tried`, what was tried of outputs."""

    facts: StudyFacts
    programme: Programme
    found: LineUpTimes
    tried: Tried


def summary_of(study: Study, c: Contender, runs: list[RunRecord], ratio: Ratio | None, case: Case) -> Summary:
    """Sum up one contender, its limits not looked at yet."""
    facts, programme, found = case.facts, case.programme, case.found
    mine = times(of_one_kind(runs))
    said = "baseline" if c.contender_id == facts.baseline_id else answer(ratio, facts.tie_band)
    done = [r for r in runs if r.state == "done" and r.output_sha256]
    wanted = delivery(programme, facts.excerpt, c.recipe)
    key = key_of(facts, programme, wanted)
    sha256 = (done[-1].output_sha256 or "") if done else ""
    score = study.score(c.contender_id, sha256, key) if done else None
    size = done[-1].output_bytes if done else None
    usual = float(np.exp(found.found.logs[found.rows[c.contender_id]])) if mine else None
    made = Summary(
        contender=c,
        entrant=Entrant(
            contender_id=c.contender_id,
            row=found.rows[c.contender_id],
            usual_s=usual,
            cost_s=usual,
            bytes=size,
            checked=score is not None,
            proved=all(f.answered for f in proofs(done[-1])) if done else True,
            faults=tuple(_faults(runs, mine, score)),
            price=facts.worth.price_of(c.contender_id),
        ),
        runs=tuple(runs),
        median_s=statistics.median(mine.values()) if mine else None,
        ratio=ratio,
        answer=said,
        more_rounds=rounds_to_decide(ratio, facts.tie_band) if said == "unsure" and mine else None,
        mb_per_minute=megabytes_per_minute(size, wanted.duration_s) if size else None,
        score=score,
        quality=_pooled(score, float(wanted.rate)) if score else {},
        apart=contender_difference(c, c),
        spread=_spread(list(mine.values()), runs, found, c.contender_id),
        rate=float(programme.rate),
        read=float(found.found.read[found.rows[c.contender_id]]) if mine else 0.0,
    )
    measured = Measured(
        _asked(made, float(wanted.rate)),
        case.tried.plays.get((c.contender_id, sha256)),
        unseen_by(case.tried.blinds, sha256, key) if sha256 else None,
    )
    return replace(made, entrant=replace(made.entrant, measured=measured))


def _spread(times_s: list[float], runs: list[RunRecord], found: LineUpTimes, number: int) -> Spread | None:
    """Its own, or of a single run what is taken for it; None for one that was read by hand or watched: its doubt is
    another one."""
    if len(times_s) != 1 or not all(r.driven for r in of_one_kind(runs)):
        return spread_of(times_s)
    row, noise = found.rows[number], found.found.noise
    return assumed_spread(times_s[0], float(noise.variances[row]), float(noise.freedoms[row]))


def _asked(s: Summary, rate: float) -> dict[str, float]:
    """What floors and ceilings ask for, in their units."""
    found = {
        k.key: getattr(s.quality[k.metric], k.statistic)
        for k in LIMIT_KINDS.values()
        if k.metric in s.quality
    }
    if s.mb_per_minute is not None:
        found |= {PER_MINUTE: s.mb_per_minute, BIT_RATE: 8 * s.mb_per_minute / 60}
    bits = s.score.of(BITS) if s.score else ()
    if len(bits):
        found[PEAK] = busiest(np.asarray(bits), rate) / 1e6
    if s.usual_s is not None:
        found[SECONDS] = s.usual_s
    if s.spread is not None and not s.spread.assumed:
        found[SPREAD] = 100 * s.spread.share
    peaks = [r.peak_bytes for r in s.counted if r.peak_bytes]
    if peaks:
        found[MEMORY] = max(peaks) / 1e9
    return found


def _faults(
    runs: list[RunRecord], mine: Mapping[Round, float], score: ScoreRecord | None
) -> Iterator[Reason]:
    """What speaks against a contender whatever the limits are. One whose every try failed is out; one that failed and
    later worked is not."""
    if not mine and runs and runs[-1].state == "failed":
        yield Reason(Against.FAILED, runs[-1].reason)
    fallen = [r for r in runs if r.fell_back and r.counts]
    if fallen:
        yield Reason(Against.FELL_BACK, fell_back=fallen[-1].fell_back)
    last = next((r for r in reversed(runs) if r.state == "done"), None)
    if last is not None:
        yield from (Reason(Against.PICTURE, f.differs) for f in proofs(last) if f.gross)
    if score is not None:
        yield from (Reason(Against.CHECKS, fault) for fault in score.faults)
        if score.problem and not score.faults:
            yield Reason(Against.CHECKS, score.problem)


def proofs(run: RunRecord) -> list[FormTrial]:
    """What came of comparing the treatments of a run's device with software's; none of an earlier Ovrik's run, whose
    words are kept apart."""
    said = run.conditions.get("proofs")
    return [f for row in said if (f := form_trial(row)) is not None] if isinstance(said, list) else []


def _pooled(score: ScoreRecord, rate: float) -> dict[str, Pooled]:
    """What the metrics come to, by key."""
    shown = score.facts.width, score.facts.pixel_format
    found = {m.key: score.of(m.key) for m in METRICS if m.able(*shown)}
    return {key: pooled(values, rate) for key, values in found.items() if len(values)}


def alike_before(c: Contender, contenders: list[Contender]) -> frozenset[int]:
    """Those that need the same first, itself among them, as far as that can be told without their builds."""
    return frozenset(
        o.contender_id
        for o in contenders
        if (_made_before(o), o.decode, o.treat, o.build, o.methods)
        == (_made_before(c), c.decode, c.treat, c.build, c.methods)
    )


def _made_before(c: Contender) -> Intermediate | None:
    return c.prerendered.made if c.prerendered else None


def payoff_of(s: Summary, every: tuple[Summary, ...], found: Joint, looks: int) -> Payoff | None:
    """What comes first against what it saves: needs the same export done directly, which may need something first
    itself. Its bounds hold together at 95 %."""
    c = s.contender
    first_s = s.first_s
    if c.prerendered is None or s.usual_s is None or not first_s:
        return None
    direct = next((o for o in every if o.contender.same_thing(replace(c, prerendered=None))), None)
    if direct is None or direct.usual_s is None or direct.first_s is None:
        return None
    added = first_s - direct.first_s
    ratio = pair(found, direct.entrant.row, s.entrant.row, BOUNDS, looks)
    if ratio is None or ratio.low is None or ratio.high is None or added <= 0:
        return None
    shared = {x.key for x in direct.first}
    steps = [x.step(found) for x in s.first if x.key not in shared]
    variance = sum(x.variance * x.seconds**2 for x in steps) / added**2
    freedom = min(x.freedoms for x in steps)
    half = float(two_sided(np.array([freedom]), BOUNDS, alpha_for(looks))[0]) * variance**0.5
    sizes = [x.bytes for x in s.first if x.kind is PreparationKind.PRE_RENDER and x.bytes]
    between = math.log(ratio.high / ratio.low) / 2
    return payoff(added, direct.usual_s, s.usual_s, half, between, sizes[-1] if sizes else 0)


BOUNDS = 2
"""Of a pay-off two numbers are uncertain: what comes first, and what is saved."""
