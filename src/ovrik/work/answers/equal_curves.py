"""Quality against size and time for each encoder: from outputs in the line-up, and from what searches encoded."""

from collections.abc import Sequence
from dataclasses import dataclass, replace

from ovrik.analysis.scores.equal_quality import FEWEST, EqualQuality, equal_quality
from ovrik.quality.reference.key import key_of
from ovrik.store.records.searched import SearchPoint
from ovrik.study.contender.contender import Contender, labelled
from ovrik.study.contender.delivery import delivery
from ovrik.study.contender.quality_series import but_quality, has_a_setting
from ovrik.work.evidence.gathered import Evidence

SIZE, TIME = "size", "time"


@dataclass(frozen=True)
class CurvePoint:
    """One setting of one encoder. Fields: `setting`; `quality`; `mb_per_minute` of the whole file; `seconds`, its
    usual time, or of a search the single time that it took; `searched`, whether a search made it; `number` of its
    contender in the line-up, 0 for none."""

    setting: float
    quality: float
    mb_per_minute: float
    seconds: float | None
    searched: bool
    number: int = 0


@dataclass(frozen=True)
class EqualCurve:
    """Contenders that differ in nothing but their quality setting. Fields: `name` in words; `contender`, one of them;
    `points`, the best quality last."""

    name: str
    contender: Contender
    points: tuple[CurvePoint, ...]

    def against(self, base: "EqualCurve", what: str) -> EqualQuality:
        """The Bjøntegaard difference to another curve: in size, or in time."""
        one, other = (_values(c, what) for c in (base, self))
        return equal_quality(*one, *other)


def _values(c: EqualCurve, what: str) -> tuple[list[float], list[float]]:
    some = [(p.mb_per_minute if what == SIZE else p.seconds, p.quality) for p in c.points]
    known = [(v, q) for v, q in some if v is not None]
    return [v for v, _q in known], [q for _v, q in known]


def equal_curves(e: Evidence, points: Sequence[SearchPoint], key: str) -> list[EqualCurve]:
    """Every series of one point and more, those with most first; `key` of `LIMIT_KINDS` says which quality."""
    groups: dict[tuple[object, ...], list[Contender]] = {}
    for s in e.summaries:
        if has_a_setting(s.contender):
            groups.setdefault(but_quality(s.contender), []).append(s.contender)
    names = _names([g[0] for g in groups.values()])
    made = [
        EqualCurve(name, group[0], tuple(sorted(_points(e, group, points, key), key=lambda p: p.quality)))
        for name, group in zip(names, groups.values(), strict=True)
    ]
    return sorted((c for c in made if c.points), key=lambda c: -len(c.points))


def _points(
    e: Evidence, group: Sequence[Contender], searched: Sequence[SearchPoint], key: str
) -> list[CurvePoint]:
    out: dict[float, CurvePoint] = {}
    first = group[0]
    wanted = delivery(e.programme, e.facts.excerpt, first.recipe)
    mine = {c.contender_id for c in group}
    others = {s.contender.contender_id for s in e.summaries} - mine
    for p in searched:
        # The same recipe by another build, or from a pre-render, is another series; one that has left the line-up
        # is known by its recipe.
        made = p.contender_id in mine or (p.contender_id not in others and _like(p, first))
        if made and p.reference == key_of(e.facts, e.programme, wanted) and key in p.values:
            minute = p.bytes / 1e6 / (wanted.duration_s / 60)
            setting = p.recipe.quality or 0.0
            out[setting] = CurvePoint(setting, p.values[key], minute, p.wall_s, True)
    for c in group:
        s = e.of(c.contender_id)
        if s is None or s.mb_per_minute is None or key not in s.measured.values or not s.conforms:
            continue
        setting = c.recipe.quality or 0.0
        out[setting] = CurvePoint(
            setting=setting,
            quality=s.measured.values[key],
            mb_per_minute=s.mb_per_minute,
            seconds=s.usual_s,
            searched=False,
            number=c.contender_id,
        )
    return list(out.values())


def _like(p: SearchPoint, c: Contender) -> bool:
    return replace(p.recipe, quality=0.0) == replace(c.recipe, quality=0.0)


def _names(contenders: Sequence[Contender]) -> list[str]:
    """Labels that leave the quality setting out."""
    alike = [replace(c.unnamed(), recipe=replace(c.recipe, quality=0.0)) for c in contenders]
    return [c.label for c in labelled(alike)]


def equal_base(curves: Sequence[EqualCurve], baseline: int | None) -> EqualCurve | None:
    """The curve that the others are compared with: the baseline's if it has points enough, else whichever has
    most."""
    own = [c for c in curves if any(p.number == baseline for p in c.points) and len(c.points) >= FEWEST]
    return next(iter(own), None) or max(curves, key=lambda c: len(c.points), default=None)


def equal_quality_words(found: EqualQuality, what: str) -> str:
    """ "12.3 % less for the same quality"; of times "12.3 % less time"."""
    if found.rate is None:
        return f"can't be told: {found.why}"
    how = "more" if found.rate > 0 else "less"
    said = f"{abs(100 * found.rate):.1f} % {how}{' time' if what == TIME else ''} for the same quality"
    return said + (
        f", over {100 * found.overlap:.0f} % of the narrower range" if found.overlap < 0.75 else ""
    )
