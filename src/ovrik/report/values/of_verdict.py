"""The verdict and what it rests on, as JSON has them."""

from typing import Annotated

from pydantic import Field

from ovrik.analysis.choice.verdict import Verdict
from ovrik.analysis.scores.blind import Told
from ovrik.report.values.of_answers import (
    AtEqualQuality,
    FactorPassed,
    InUsePassed,
    SizeAndQuality,
    WouldChange,
    equal_quality_passed,
    factors_passed,
    would_change,
)
from ovrik.report.values.of_contender import ContenderPassed, contender_passed
from ovrik.report.values.record import AsDict, PassedOn, said
from ovrik.report.words.reasons import decision_words
from ovrik.report.words.verdict import sentence_of
from ovrik.store.records.damaged_row import DamagedRow
from ovrik.store.records.decision import Decided, Decision
from ovrik.study.contender.losses import programme_losses
from ovrik.study.facts.notes import Blind, Pin
from ovrik.work.answers.over_kinds import OverKinds
from ovrik.work.answers.size_quality import size_quality
from ovrik.work.answers.worth import used
from ovrik.work.checking.blind import told_of
from ovrik.work.evidence.gathered import Evidence


class VerdictPassed(PassedOn):
    """The choice."""

    contender_ids: tuple[int, ...]
    """The choice first, then those that tie with it or can't be told from it."""
    labels: tuple[str, ...]
    kind: str
    """How it stands; none without a choice."""
    decided: bool
    """Whether no acceptable rival can be faster by more than the tie margin."""
    most_gain: float | None
    """What an acceptable rival could still gain, as a share; null when not known."""
    sentence: str


def verdict_passed(v: Verdict, e: Evidence, sentence: str) -> VerdictPassed:
    """The choice, and the sentence that says it."""
    return VerdictPassed(
        contender_ids=v.ids,
        labels=tuple(map(e.label, v.ids)),
        kind=v.outcome if v.choice is not None else "none",
        decided=v.decided,
        most_gain=v.gain,
        sentence=sentence,
    )


class ProgrammePassed(PassedOn):
    """What is exported."""

    name: str
    checksum: str
    clips: Annotated[tuple[str, ...], said(lambda clips: [c.path for c in clips])]
    shots: Annotated[int, said(len)]
    frames: int
    rate: Annotated[str, said(str)]
    """Frames a second, a fraction such as 24000/1001."""
    width: int
    height: int
    treatments: tuple[AsDict, ...] = Field(validation_alias="every_treatment")
    left_out: tuple[str, ...]
    """What its timeline holds and Ovrik does not take over."""


class ExcerptPassed(PassedOn):
    """The part that is timed, in frames of the programme."""

    start_frame: int
    frames: int


class NoisePassed(PassedOn):
    """Run-to-run spread, standard deviations of natural log times."""

    assumed: float
    """Where nothing was measured yet."""
    assumed_runs: int
    common: float
    """Of all contenders together."""
    freedom: float
    alike: float
    """How many degrees of freedom the others lend to each."""
    correlation: float
    """Of a run with the same contender's run before it."""
    pairs: float
    """Of how many pairs of runs that is worth."""


def _noise(e: Evidence) -> NoisePassed:
    found, conduct = e.times.found, e.facts.conduct
    noise = found.noise
    return NoisePassed(
        assumed=conduct.noise,
        assumed_runs=conduct.noise_runs,
        common=noise.common**0.5,
        freedom=noise.total,
        alike=noise.alike,
        correlation=found.alike.correlation,
        pairs=found.alike.pairs,
    )


class DecisionPassed(PassedOn):
    """Who is timed further was decided anew."""

    contender_id: int
    label: str
    round: int
    """After which."""
    kind: Decided
    """It can no longer be faster than the choice by more than the band; it is not acceptable; what was learned since
    brings it back; the user wants it timed all the same."""
    gain: float | None
    """The most by which it could have been faster than the choice, as a share."""
    choice_id: int | None
    choice: str | None
    """Label of the choice then."""
    asked: bool
    """Whether the user decided."""
    reason: str
    made_utc: str


def _decision(d: Decision, e: Evidence) -> DecisionPassed:
    choice = e.label(d.choice_id)
    return DecisionPassed.of(
        d, label=e.label(d.contender_id), choice=choice or None, reason=decision_words(d, choice)
    )


class OrderPassed(PassedOn):
    """How times moved along with something else."""

    along: str
    """The place in the round, or the hour."""
    change: float
    """From the first place to the last, as a share."""
    low: float
    high: float
    runs: int
    clear: bool
    """Whether it is more than chance makes."""


class NotePassed(PassedOn):
    """A note with the label of its contender."""

    label: str
    note: Pin


class BlindPassed(PassedOn):
    """A blind comparison with what it has come to."""

    comparison: Blind
    result: Told


class WorthPassed(PassedOn):
    """How the times are used."""

    delivered: bool
    line_mbit_s: float
    exports_a_week: float
    minutes: float
    an_hour: float
    years_kept: float
    prices: Annotated[dict[int, float], said(dict)]
    """What a contender costs once, by its id."""


class EvidencePassed(PassedOn):
    """What `ovrik verdict --json` prints, but for the verdict over all footage."""

    study: str
    """Title of the study."""
    programme: ProgrammePassed
    excerpt: ExcerptPassed
    limits: dict[str, float | bool | None]
    """What makes an output acceptable; null is no limit."""
    judged_against: str
    """programme, or a file that was named."""
    tie_band: float
    """Ratios within 1 ± this are a tie."""
    damaged: tuple[DamagedRow, ...]
    """Rows of the study that are not as they were written, or are gone: none is read, nor what belongs to it."""
    machine_differences: tuple[str, ...]
    noise: NoisePassed
    decisions: tuple[DecisionPassed, ...]
    comparisons_together: int
    """Comparisons that the intervals hold for together."""
    looks: int
    """How often the evidence has been looked at; the intervals allow for it."""
    order_effects: tuple[OrderPassed, ...]
    programme_loses: tuple[str, ...]
    contenders: tuple[ContenderPassed, ...]
    """In the order of the line-up."""
    size_and_quality: tuple[SizeAndQuality, ...]
    at_equal_quality: tuple[AtEqualQuality, ...]
    notes: tuple[NotePassed, ...]
    blind_comparisons: tuple[BlindPassed, ...]
    verdict: VerdictPassed
    would_change: WouldChange
    by_factor: tuple[FactorPassed, ...]
    worth: WorthPassed
    in_use: tuple[InUsePassed, ...]


def evidence_fields(e: Evidence, over: OverKinds | None) -> dict[str, object]:
    """Every field of `EvidencePassed`."""
    facts = e.facts
    return {
        "study": facts.title,
        "programme": e.programme,
        "excerpt": facts.excerpt,
        "limits": {**dict(facts.limits.values), "plays": facts.limits.plays, "unseen": facts.limits.unseen},
        "judged_against": facts.conduct.reference or "programme",
        "tie_band": facts.tie_band,
        "damaged": facts.damaged,
        "machine_differences": e.machines,
        "noise": _noise(e),
        "decisions": [_decision(d, e) for d in e.decisions],
        "comparisons_together": e.comparisons,
        "looks": e.looks,
        "order_effects": [OrderPassed.of(o.trend, along=o.along) for o in e.order],
        "programme_loses": programme_losses(e.programme),
        "contenders": [contender_passed(e, s) for s in e.summaries],
        "size_and_quality": size_quality(e),
        "at_equal_quality": equal_quality_passed(e),
        "notes": [NotePassed(label=e.label(p.contender_id), note=p) for p in e.pins],
        "blind_comparisons": [BlindPassed(comparison=b, result=told_of(b)) for b in e.blinds],
        "verdict": verdict_passed(e.verdict, e, sentence_of(e)),
        "would_change": would_change(e),
        "by_factor": factors_passed(e, over),
        "worth": facts.worth,
        "in_use": [u for u in used(e) if u.found],
    }
