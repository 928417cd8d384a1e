"""One recipe at several settings, as a line in the picture of the trade-off."""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass

from ovrik.desk.model.size_measures import FILE, QUALITY, SIZE, TIME
from ovrik.report.words.whole_cost import costs_apart
from ovrik.study.question.limit_kinds import BIT_RATE
from ovrik.work.answers.equal_curves import CurvePoint, EqualCurve
from ovrik.work.evidence.gathered import Evidence


@dataclass(frozen=True)
class EqualLine:
    """Fields: `contender_id` whose mark and colour it wears; `name`; `points`, across and up in plain values, in
    order of what lies across; `searched`, whether each was made by a search and is no contender's."""

    contender_id: int
    name: str
    points: tuple[tuple[float, float], ...]
    searched: tuple[bool, ...]


def equal_lines(
    e: Evidence, curves: Sequence[EqualCurve], view: tuple[str, str], measure: str
) -> Iterator[EqualLine]:
    """Lines of two points and more, where the view has quality up and what they are known over across: time, where
    nothing but the export is counted, or the size of the file."""
    if view[1] != QUALITY or (view[0] == TIME and costs_apart(e)):
        return
    if view[0] == SIZE and measure not in (FILE, BIT_RATE):
        return
    minutes = e.facts.excerpt.frames / float(e.programme.rate) / 60
    for curve in curves:
        found = sorted(
            (at, p.quality, p.searched)
            for p in curve.points
            if (at := _across(p, view[0], measure, minutes)) is not None
        )
        if len(found) > 1:
            points, searched = tuple((x, y) for x, y, _s in found), tuple(s for _x, _y, s in found)
            yield EqualLine(curve.contender.contender_id, curve.name, points, searched)


def _across(p: CurvePoint, key: str, measure: str, minutes: float) -> float | None:
    if key == TIME:
        return p.seconds
    return p.mb_per_minute * (minutes if measure == FILE else 8 / 60)
