"""What would make the verdict another one: a limit moved, a slower line, a longer film."""

import math
from collections.abc import Sequence
from dataclasses import dataclass

from ovrik.analysis.choice.entrant import Entrant, acceptable, first_of
from ovrik.study.question.limit_kinds import LIMIT_KINDS, LimitKind
from ovrik.study.question.limits import Limits


@dataclass(frozen=True)
class Change:
    """Fields: `kind` of the limit that moves; `to`, where it has to be for the choice to change; `gone`, whether the
    choice fails there, rather than a faster one coming in; `choice`, the id of who is chosen there, None for nobody;
    `cost_s` of that."""

    kind: LimitKind
    to: float
    gone: bool
    choice: int | None
    cost_s: float = 0.0


def chosen(found: Sequence[Entrant], limits: Limits) -> Entrant | None:
    """The choice within these limits; an unknown value is not within."""
    return first_of(acceptable(found, limits))


def limit_changes(found: Sequence[Entrant], limits: Limits, also: Sequence[str] = ()) -> list[Change]:
    """For each limit that is set, and those keys besides, the nearest place on either side where the choice changes;
    what needs the fewest steps comes first."""
    now, bounds = chosen(found, limits), dict(limits.values)
    if now is None:
        return []
    out: list[tuple[float, Change]] = []
    for key in (*bounds, *(k for k in also if k not in bounds)):
        kind, value, limit = LIMIT_KINDS[key], now.measured.values.get(key), bounds.get(key)
        if value is None:
            continue
        rest = limits.having(key, None)
        out += _tightened(found, rest, kind, value, limit)
        if limit is not None:
            out += _loosened(found, rest, kind, now, limit)
    return [change for _steps, change in sorted(out, key=lambda p: p[0])]


def _tightened(
    found: Sequence[Entrant], rest: Limits, kind: LimitKind, value: float, limit: float | None
) -> list[tuple[float, Change]]:
    """Past the choice's own value it fails: who is chosen then?"""
    tick = 10.0**-kind.digits
    steps = math.floor(value / tick + 1e-9) + 1 if kind.floor else math.ceil(value / tick - 1e-9) - 1
    past = round(steps * tick, kind.digits)
    if not kind.least <= past <= kind.most:
        return []
    far = abs(past - (limit if limit is not None else value)) / kind.step
    return [(far, _change(kind, past, True, chosen(found, rest.having(kind.key, past))))]


def _loosened(
    found: Sequence[Entrant], rest: Limits, kind: LimitKind, now: Entrant, limit: float
) -> list[tuple[float, Change]]:
    """A faster one that fails by this limit alone: the one that needs the least move."""
    values = {
        e.contender_id: e.measured.values[kind.key]
        for e in acceptable(found, rest)
        if kind.key in e.measured.values
        and e.order < now.order
        and kind.fails(e.measured.values[kind.key], limit)
    }
    able = [e for e in found if e.contender_id in values]
    if not able:
        return []
    one = min(able, key=lambda e: (abs(values[e.contender_id] - limit), e.order))
    shown = _loosely(kind, values[one.contender_id])
    # Another may come in with it, where the limit is rounded.
    there = chosen(found, rest.having(kind.key, shown))
    return [(abs(shown - limit) / kind.step, _change(kind, shown, False, there))]


def _change(kind: LimitKind, to: float, gone: bool, choice: Entrant | None) -> Change:
    return Change(
        kind, to, gone, choice.contender_id if choice else None, (choice.cost_s or 0.0) if choice else 0.0
    )


def _loosely(kind: LimitKind, value: float) -> float:
    """A value as it is shown, on the side on which it is kept."""
    tick = 10.0**-kind.digits
    shown = round(value, kind.digits)
    if kind.fails(value, shown):
        shown = shown - tick if kind.floor else shown + tick
    return round(shown, kind.digits)


@dataclass(frozen=True)
class Crossing:
    """From where on another one is ahead. Fields: `contender_id`; `at`, megabits a second below which, or times the
    excerpt's length above which."""

    contender_id: int
    at: float


def line_crossing(choice: Entrant, others: Sequence[Entrant]) -> Crossing | None:
    """The fastest line on which a smaller output of another is delivered before the choice's: T + 8 · bytes / line is
    equal for both there."""
    if choice.bytes is None or choice.usual_s is None:
        return None
    found = [
        Crossing(e.contender_id, 8e-6 * (choice.bytes - e.bytes) / (e.usual_s - choice.usual_s))
        for e in others
        if e.bytes is not None
        and e.usual_s is not None
        and e.bytes < choice.bytes
        and e.usual_s > choice.usual_s
    ]
    return max(found, key=lambda c: (c.at, -c.contender_id), default=None)


def exports_crossing(choice: Entrant, others: Sequence[Entrant], now: float) -> Crossing | None:
    """From how many exports of a film on another one is ahead, where what comes first is shared over `now`: costs are
    a + first / n, and the first that is passed by another with a smaller a. `at` is a whole number above `now`."""
    if choice.cost_s is None or choice.first_s is None:
        return None
    found = []
    for e in others:
        if e.cost_s is None or e.first_s is None:
            continue
        without, own = e.cost_s - e.first_s / now, choice.cost_s - choice.first_s / now
        if without < own and e.first_s > choice.first_s:
            at = max(math.floor((e.first_s - choice.first_s) / (own - without)), math.floor(now)) + 1
            found.append((at, without + e.first_s / at, e.contender_id))
    return Crossing(best[2], float(best[0])) if (best := min(found, default=None)) else None


def exports_below(choice: Entrant, others: Sequence[Entrant], now: float) -> Crossing | None:
    """With how many exports of a film and fewer another one is ahead, likewise: `at` is a whole number below
    `now`."""
    if choice.cost_s is None or not choice.first_s:
        return None
    for count in range(min(math.ceil(now) - 1, MOST_TRIED), 0, -1):
        costs = {
            e.contender_id: e.cost_s + e.first_s * (1 / count - 1 / now)
            for e in (choice, *others)
            if e.cost_s is not None and e.first_s is not None
        }
        first = min(costs, key=lambda i: (costs[i], i != choice.contender_id, i))
        if first != choice.contender_id:
            return Crossing(first, float(count))
    return None


MOST_TRIED = 1000


def length_crossing(choice: Entrant, others: Sequence[Entrant], band: float) -> Crossing | None:
    """How many times as long the programme has to be for another to be ahead: T = fixed + pace · length, with pace
    from the rest of its cost. Only where its pace is better by more than the band."""
    found = []
    for e in others:
        if None in (e.fixed_s, e.cost_s, choice.fixed_s, choice.cost_s):
            continue
        fixed, base = e.fixed_s or 0.0, choice.fixed_s or 0.0
        own, pace = (e.cost_s or 0.0) - fixed, (choice.cost_s or 0.0) - base
        if not 0 < own * (1 + band) < pace or fixed <= base:
            continue
        at = (fixed - base) / (pace - own)
        if at > 1:
            found.append(Crossing(e.contender_id, at))
    return min(found, key=lambda c: (c.at, c.contender_id), default=None)
