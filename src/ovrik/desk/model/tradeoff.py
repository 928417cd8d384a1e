"""The picture of the trade-off, without a widget: axes, points, edge, limits as lines, who gets a label."""

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from ovrik.analysis.choice.tradeoff import edge
from ovrik.desk.model.equal_lines import EqualLine, equal_lines
from ovrik.desk.model.size_measures import FILE, QUALITY, SIZE, SIZE_MEASURES, TIME
from ovrik.report.words.numbers import figures, quality_words
from ovrik.report.words.reasons import first_reason
from ovrik.report.words.whole_cost import cost_title, costs_apart
from ovrik.study.question.limit_kinds import LIMIT_KINDS, MEAN, SECONDS, LimitKind
from ovrik.study.question.limits import Limits
from ovrik.work.answers.equal_curves import EqualCurve
from ovrik.work.evidence.gathered import Evidence
from ovrik.work.evidence.summary import Summary

VIEWS = ((TIME, QUALITY), (TIME, SIZE), (SIZE, QUALITY))
"""What lies across and what lies up; the third is shown by the size of the marks."""
USUAL_QUALITY = "vmaf_mean"
DECADE = 10.0
"""Values that span so much are drawn on a logarithmic axis."""
SMALL_PX, LARGE_PX, PLAIN_PX = 9.0, 19.0, 13.0
MOST_LABELS = 24


@dataclass(frozen=True)
class Axis:
    """Fields: `key`, one of `TIME`, `SIZE`, `QUALITY`; `title` with its unit; `more`, whether more is better; `log`,
    whether it is logarithmic; `low`, `high` of what is shown, in plain values."""

    key: str
    title: str
    more: bool
    log: bool
    low: float
    high: float

    def place(self, value: float) -> float:
        """Where a value lies along the axis."""
        return math.log10(max(value, 1e-12)) if self.log else value

    def value(self, place: float) -> float:
        """The inverse of `place`."""
        return 10.0**place if self.log else place


@dataclass(frozen=True)
class TradeoffPoint:
    """One contender. Fields: `contender_id`; `label`; `values` by axis, NaN unknown; `low`, `high` of its time,
    seconds, a 95 % interval, or of its only time; `acceptable`, None while open; `choice`, `baseline`; `on_edge`;
    `why`, the first reason against it, or ""; `simulated`, whether it is a stand-in's."""

    contender_id: int
    label: str
    values: dict[str, float]
    low: float
    high: float
    acceptable: bool | None
    choice: bool
    baseline: bool
    on_edge: bool
    why: str
    simulated: bool = False


@dataclass(frozen=True)
class LimitLine:
    """A limit that lies along an axis. Fields: `kind`; `axis`; `at`, its place in the axis' plain values; `per`, how
    many of the axis' units make one of the limit's."""

    kind: LimitKind
    axis: str
    at: float
    per: float


@dataclass(frozen=True)
class TradeOff:
    """Fields: `across`, `up`, axes; `third`, the key that is shown at the marks; `points`, those that have both;
    `edge`, indices of points along it; `lines`; `quality`, the key of the statistic; `unplaced`, how many that were
    timed lack one of the two; `measure`, the key of what size is; `curves` of one recipe at several settings."""

    across: Axis
    up: Axis
    third: str
    points: tuple[TradeoffPoint, ...]
    edge: tuple[int, ...]
    lines: tuple[LimitLine, ...]
    quality: str
    unplaced: int
    measure: str = FILE
    curves: tuple[EqualLine, ...] = ()

    def place(self, p: TradeoffPoint) -> tuple[float, float]:
        """Where a point lies."""
        return self.across.place(p.values[self.across.key]), self.up.place(p.values[self.up.key])

    @property
    def labelled(self) -> list[int]:
        """Indices of points that are named, the weightiest first: choice, baseline, and the edge."""
        first = [n for n, p in enumerate(self.points) if p.choice or p.baseline]
        first.sort(key=lambda n: not self.points[n].choice)
        return [*first, *(n for n in self.edge if n not in first)][:MOST_LABELS]

    def mark_px(self, p: TradeoffPoint) -> float:
        """Size of a mark: larger for more of the third value."""
        value = p.values.get(self.third, math.nan)
        every = [
            q.values[self.third] for q in self.points if not math.isnan(q.values.get(self.third, math.nan))
        ]
        if math.isnan(value) or not every or max(every) <= min(every):
            return PLAIN_PX
        share = (value - min(every)) / (max(every) - min(every))
        return SMALL_PX + share * (LARGE_PX - SMALL_PX)

    @property
    def legend(self) -> str:
        """What the size of a mark says."""
        every = [
            q.values[self.third] for q in self.points if not math.isnan(q.values.get(self.third, math.nan))
        ]
        if not every:
            return ""
        name = self.third_title
        return f"size of a mark: {name}, {self.third_words(min(every))} to {self.third_words(max(every))}"

    @property
    def third_title(self) -> str:
        """What the third value is."""
        return LIMIT_KINDS[self.quality].title if self.third == QUALITY else self.third

    def third_words(self, value: float) -> str:
        """A third value in words."""
        return _words(self.third, value, self.quality, self.measure)

    def said(self, p: TradeoffPoint) -> str:
        """All about a point in one line."""
        parts = [
            _words(key, p.values[key], self.quality, self.measure)
            for key in (TIME, SIZE, QUALITY)
            if _known(p, key)
        ]
        if p.high > p.low > 0:
            parts[0] += f" ({p.low:.2f} to {p.high:.2f})"
        state = "the choice" if p.choice else "acceptable" if p.acceptable else p.why or "not checked"
        return f"{p.label}: {', '.join(parts)} – {state}"

    def with_verdict(self, e: Evidence) -> "TradeOff":
        """The same picture by limits that have moved: places stay, standing and lines follow."""
        found = {s.contender.contender_id: s for s in e.summaries}
        points = tuple(
            replace(
                p,
                acceptable=found[p.contender_id].acceptable,
                choice=found[p.contender_id].standing == "choice",
                why=first_reason(found[p.contender_id].reasons),
            )
            for p in self.points
        )
        return replace(self, points=points, lines=_lines(e, self.across, self.up, self.quality, self.measure))


def _known(p: TradeoffPoint, key: str) -> bool:
    return not math.isnan(p.values.get(key, math.nan))


def _words(key: str, value: float, quality: str, measure: str) -> str:
    if key == TIME:
        return f"{value:.2f} s"
    if key == SIZE:
        return SIZE_MEASURES[measure].words(value)
    kind = LIMIT_KINDS[quality]
    return (
        f"{kind.heading.removesuffix(' mean')} {quality_words(value, kind.digits, False)} {kind.unit}".strip()
    )


def trade_off(
    e: Evidence,
    view: tuple[str, str],
    quality: str = "",
    log: bool | None = None,
    measure: str = FILE,
    curves: Sequence[EqualCurve] = (),
) -> TradeOff:
    """The picture of what was timed. `quality` is a key of `LIMIT_KINDS`, the first floor's if left open; `log` says
    whether time and size are logarithmic: left open, where they span a decade; `measure` is a key of
    `SIZE_MEASURES`; `curves` by that quality are drawn where the view has what they are over."""
    quality = quality or quality_of(e)
    timed = [s for s in e.summaries if s.usual_s is not None]
    every = [
        _point(s, math.nan if s.entrant.cost_s is None else s.entrant.cost_s, e, quality, measure)
        for s in timed
    ]
    both = [p for p in every if all(_known(p, key) for key in view)]
    at, up = (np.array([p.values[key] for p in both]) for key in view)
    sound = {s.contender.contender_id for s in timed if not s.faults}
    at = np.where([p.contender_id in sound for p in both], at, np.nan)
    front = [int(n) for n in edge(at, up, view[0] == QUALITY, view[1] == QUALITY)] if both else []
    points = tuple(replace(p, on_edge=n in front) for n, p in enumerate(both))
    across, upward = (_axis(key, [p.values[key] for p in both], quality, log, e, measure) for key in view)
    third = next(key for key in (TIME, SIZE, QUALITY) if key not in view)
    return TradeOff(
        across=across,
        up=upward,
        third=third,
        points=points,
        edge=tuple(front),
        lines=_lines(e, across, upward, quality, measure),
        quality=quality,
        unplaced=len(every) - len(both),
        measure=measure,
        curves=tuple(equal_lines(e, curves, view, measure)),
    )


def quality_of(e: Evidence) -> str:
    """The statistic that the first floor asks for, else the mean VMAF."""
    floors = [key for key, _v in e.facts.limits.values if LIMIT_KINDS[key].metric]
    return next((k for k in floors if LIMIT_KINDS[k].statistic == MEAN), next(iter(floors), USUAL_QUALITY))


def _point(s: Summary, seconds: float, e: Evidence, quality: str, measure: str) -> TradeoffPoint:
    low, high = (s.spread.low, s.spread.high) if s.spread else (seconds, seconds)
    if costs_apart(e) and s.usual_s:
        low, high = low + seconds - s.usual_s, high + seconds - s.usual_s
    values = {
        TIME: seconds,
        SIZE: SIZE_MEASURES[measure].of(s, e),
        QUALITY: s.measured.values.get(quality, math.nan),
    }
    return TradeoffPoint(
        contender_id=s.contender.contender_id,
        label=s.contender.label,
        values=values,
        low=low,
        high=high,
        acceptable=s.acceptable,
        choice=s.standing == "choice",
        baseline=s.contender.contender_id == e.facts.baseline_id,
        on_edge=False,
        why=first_reason(s.reasons),
        simulated=s.contender.simulated,
    )


def _axis(key: str, values: list[float], quality: str, log: bool | None, e: Evidence, measure: str) -> Axis:
    finite = [v for v in values if math.isfinite(v)] or [1.0]
    low, high = min(finite), max(finite)
    if key == QUALITY:
        kind = LIMIT_KINDS[quality]
        return Axis(
            key=key,
            title=f"{kind.title[:1].upper()}{kind.title[1:]}{_unit(kind.unit)}",
            more=True,
            log=False,
            low=low,
            high=high,
        )
    spans = low > 0 and high >= DECADE * low
    title = SIZE_MEASURES[measure].title
    if key == TIME:
        title = f"{cost_title(e)}, s"
    return Axis(
        key=key, title=title, more=False, log=spans if log is None else log and low > 0, low=low, high=high
    )


def _unit(unit: str) -> str:
    return f", {unit}" if unit else ""


def _lines(e: Evidence, across: Axis, up: Axis, quality: str, measure: str) -> tuple[LimitLine, ...]:
    minutes = e.facts.excerpt.frames / float(e.programme.rate) / 60
    along = {
        SECONDS: (TIME, 1.0),
        **{key: (SIZE, per(minutes)) for key, per in SIZE_MEASURES[measure].limits.items()},
        quality: (QUALITY, 1.0),
    }
    out = []
    for key, value in e.facts.limits.values:
        axis, per = along.get(key, ("", 1.0))
        if axis in (across.key, up.key):
            out.append(LimitLine(LIMIT_KINDS[key], axis, value * per, per))
    return tuple(out)


def dragged(line: LimitLine, to: float, asked: Limits) -> Limits:
    """Limits after a line was dragged to a place in its axis' plain values: rounded as it is shown, within what can
    be."""
    kind = line.kind
    value = round(to / line.per, kind.digits)
    return asked.having(kind.key, min(max(value, kind.least), kind.most))


def ticks(low: float, high: float) -> list[tuple[float, str]]:
    """Places and texts along a logarithmic axis: 1, 2 and 5 of each decade; of less than one, more."""
    steps = (1, 2, 5) if high > 4 * low else (1, 1.2, 1.5, 2, 2.5, 3, 4, 5, 6, 8)
    decades = range(math.floor(math.log10(low)) - 1, math.ceil(math.log10(high)) + 1)
    return [(math.log10(m) + d, f"{m * 10.0**d:g}") for d in decades for m in steps]


def figure(value: float) -> str:
    """A value beside a line."""
    return figures(value)
