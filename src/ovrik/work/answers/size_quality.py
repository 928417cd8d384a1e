"""Size beside quality: what each output takes for what it looks like, and the same at equal quality."""

from collections.abc import Sequence
from dataclasses import dataclass

from ovrik.analysis.scores.bit_rate import busiest
from ovrik.analysis.scores.equal_quality import EqualQuality, equal_quality
from ovrik.store.records.score import BITS, NO_VALUES
from ovrik.study.contender.contender import Contender, factors_of
from ovrik.study.contender.delivery import delivery
from ovrik.work.evidence.gathered import Evidence
from ovrik.work.evidence.summary import Summary

RATE_FACTOR = "rate"


@dataclass(frozen=True)
class SizeQuality:
    """One output. Fields: `summary`; `mbit_s`, megabits of picture a second, on average; `peak_mbit_s`, in its
    busiest second; `bits_per_pixel`; `vmaf`, its mean; `p5`, its 5th percentile."""

    summary: Summary
    mbit_s: float
    peak_mbit_s: float
    bits_per_pixel: float
    vmaf: float
    p5: float


@dataclass(frozen=True)
class Curve:
    """Contenders that differ in nothing but the rate they were asked for. Fields: `name`, in words; `points`, from
    small to large."""

    name: str
    points: tuple[SizeQuality, ...]

    @property
    def sizes(self) -> list[float]:
        """Megabits a second."""
        return [p.mbit_s for p in self.points]

    @property
    def qualities(self) -> list[float]:
        """Mean VMAF."""
        return [p.vmaf for p in self.points]


def size_quality(e: Evidence) -> list[SizeQuality]:
    """Every output that was scored, in line-up order."""
    return [one for s in e.summaries if (one := size_of(s, e)) is not None]


def size_of(s: Summary, e: Evidence) -> SizeQuality | None:
    """What one output takes for what it looks like, None where it was not scored."""
    bits = s.score.of(BITS) if s.score else NO_VALUES
    if s.vmaf is None or not len(bits):
        return None
    wanted = delivery(e.programme, e.facts.excerpt, s.contender.recipe)
    rate, mean = float(wanted.rate), float(bits.mean())
    return SizeQuality(
        summary=s,
        mbit_s=mean * rate / 1e6,
        peak_mbit_s=busiest(bits, rate) / 1e6,
        bits_per_pixel=mean / (wanted.width * wanted.height),
        vmaf=s.vmaf.mean,
        p5=s.vmaf.p5,
    )


def curves(found: Sequence[SizeQuality]) -> list[Curve]:
    """Series of two points and more, each named by what sets it apart from the others."""
    groups: dict[tuple[object, ...], list[SizeQuality]] = {}
    for one in found:
        groups.setdefault(_but_rate(one.summary.contender), []).append(one)
    several = [sorted(g, key=lambda p: p.mbit_s) for g in groups.values() if len(g) > 1]
    names = _names([g[0].summary.contender for g in several])
    return [Curve(name, tuple(g)) for name, g in zip(names, several, strict=True)]


def _but_rate(c: Contender) -> tuple[object, ...]:
    return tuple((key, f.raw(c)) for key, f in factors_of([c]).items() if key != RATE_FACTOR)


def _names(contenders: Sequence[Contender]) -> list[str]:
    factors = {k: f for k, f in factors_of(contenders).items() if k != RATE_FACTOR}
    varied = {k for k, f in factors.items() if len({repr(f.raw(c)) for c in contenders}) > 1}
    named = [k for k in factors if k in ("encoder", "preset") or k in varied]
    return [" ".join(filter(None, (factors[k].in_label(c) for k in named))) for c in contenders]


def size_against(base: Curve, other: Curve) -> EqualQuality:
    """The Bjøntegaard difference of a series to another one, by mean VMAF."""
    return equal_quality(base.sizes, base.qualities, other.sizes, other.qualities)


def base_of(found: Sequence[Curve], e: Evidence) -> Curve | None:
    """The series that the others are compared with: the baseline's, else the first."""
    own = [c for c in found if any(p.summary.contender.contender_id == e.facts.baseline_id for p in c.points)]
    return next(iter((*own, *found)), None)
