"""What is asked of the evidence besides the choice: factors, equal quality, what would change it, times in use."""

from pydantic import Field

from ovrik.analysis.choice.changes import Crossing
from ovrik.analysis.choice.factor_effects import EffectSpan
from ovrik.report.values.of_contender import RatioPassed
from ovrik.report.values.record import PassedOn, at
from ovrik.report.words.factors import effect_words
from ovrik.work.answers.factors import factors
from ovrik.work.answers.over_kinds import OverKinds
from ovrik.work.answers.size_quality import base_of, curves, size_against, size_quality
from ovrik.work.answers.what_if import what_if
from ovrik.work.evidence.gathered import Evidence


class GroupPassed(PassedOn):
    """The effect where another factor has one of its levels."""

    level: str
    ratio: RatioPassed
    answer: str
    apart: bool
    """Whether it is shown to be another one there than elsewhere."""


class LevelPassed(PassedOn):
    """A level of a factor against the base."""

    level: str
    pairs: int
    """Pairs of contenders that differ in nothing else."""
    ratio: RatioPassed
    answer: str
    size: EffectSpan | None
    vmaf_mean: EffectSpan | None = Field(validation_alias="quality")
    not_everywhere: str | None
    """The factor with which it is not the same everywhere."""
    groups: tuple[GroupPassed, ...]
    words: str


class FactorPassed(PassedOn):
    """What each level of a factor brings, from pairs that differ in nothing else."""

    factor: str = Field(validation_alias="key")
    base: str
    """The level that the others are compared with."""
    levels: tuple[LevelPassed, ...]
    never_alone: tuple[str, ...] = Field(validation_alias="alone")
    """Levels that vary only together with another factor, so that nothing can be said of them."""


def factors_passed(e: Evidence, over: OverKinds | None) -> list[FactorPassed]:
    """Each factor that varies."""
    found = factors(e, over)
    return [
        FactorPassed.of(
            f,
            levels=[
                LevelPassed.of(x, not_everywhere=x.other or None, words=effect_words(found, f, x))
                for x in f.levels
            ],
        )
        for f in found.effects
    ]


class SizeAndQuality(PassedOn):
    """One output's size beside its quality."""

    contender_id: int = at("summary", "contender", "contender_id")
    label: str = at("summary", "contender", "label")
    mbit_s: float
    """Megabits of picture a second, on average."""
    peak_mbit_s: float
    """In its busiest second."""
    bits_per_pixel: float
    vmaf: float
    """Its mean."""
    p5: float
    """Its 5th percentile."""


class AtEqualQuality(PassedOn):
    """How much more or less one series takes than another for the same quality."""

    series: str
    labels: tuple[str, ...]
    mbit_s: tuple[float, ...]
    vmaf: tuple[float, ...]
    against: str
    """The series that it is compared with."""
    rate: float | None
    """By what share it takes more, or, below 0, less."""
    quality: float | None
    """How much better it is at equal size."""
    overlap: float
    """The share of the narrower range of qualities that both have."""
    why: str
    """Why that can't be told, or empty."""


def equal_quality_passed(e: Evidence) -> list[AtEqualQuality]:
    """Each series of one encoder against the first."""
    found = curves(size_quality(e))
    base = base_of(found, e)
    if base is None:
        return []
    return [
        AtEqualQuality.of(
            size_against(base, c),
            series=c.name,
            labels=[p.summary.contender.label for p in c.points],
            mbit_s=c.sizes,
            vmaf=c.qualities,
            against=base.name,
        )
        for c in found
    ]


class LimitMoved(PassedOn):
    """A limit at which another would be chosen."""

    limit: str
    to: float
    contender_id: int | None
    choice: str | None
    usual_s: float | None


class CrossingPassed(PassedOn):
    """From where on another one is ahead."""

    contender_id: int
    label: str
    at: float


class WouldChange(PassedOn):
    """What would make the verdict another one."""

    limits: tuple[LimitMoved, ...]
    line_mbit_s: CrossingPassed | None
    """Below which upload speed another is delivered first."""
    excerpt_lengths: CrossingPassed | None
    """From how many times the excerpt's length on another is faster."""
    exports_a_film_from: CrossingPassed | None
    """From how many exports of a film on another is ahead, where what comes first is shared over them."""
    exports_a_film_to: CrossingPassed | None
    """With how many exports of a film and fewer another is ahead."""
    deciding: tuple[str, ...]
    """Limits without which another would be chosen."""


def would_change(e: Evidence) -> WouldChange:
    """What would."""
    found = what_if(e)
    return WouldChange(
        limits=tuple(
            LimitMoved(
                limit=c.kind.key,
                to=c.to,
                contender_id=c.choice,
                choice=e.label(c.choice) or None,
                usual_s=c.cost_s or None,
            )
            for c in found.changes
        ),
        line_mbit_s=_crossing(found.line, e),
        excerpt_lengths=_crossing(found.length, e),
        exports_a_film_from=_crossing(found.exports, e),
        exports_a_film_to=_crossing(found.fewer, e),
        deciding=found.deciding,
    )


def _crossing(found: Crossing | None, e: Evidence) -> CrossingPassed | None:
    return CrossingPassed.of(found, label=e.label(found.contender_id)) if found else None


class InUsePassed(PassedOn):
    """What a time and a size come to in use."""

    contender_id: int = at("summary", "contender", "contender_id")
    label: str = at("summary", "contender", "label")
    export_s: float = at("found", "export_s")
    upload_s: float | None = at("found", "upload_s")
    delivered_s: float | None = at("found", "delivered_s")
    week_h: float = at("found", "week_h")
    """Hours a week until all are delivered; exported, where the size is not known."""
    stored_bytes: float | None = at("found", "stored_bytes")
    saved_week_h: float = at("found", "saved_week_h")
    """Against the baseline."""
    pays_exports: int | None = at("found", "pays_exports")
    """After how many exports its price has paid for itself; 0 without a price."""
