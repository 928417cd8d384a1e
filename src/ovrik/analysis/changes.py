"""What would make the verdict another one: a limit moved, a slower line, a longer film."""

import math
from collections.abc import Sequence
from dataclasses import dataclass

from ovrik.study.limit_kinds import LIMIT_KINDS, LimitKind


@dataclass(frozen=True)
class Candidate:
    """One that was timed and judged.

    Fields: `label`; `seconds`, its usual time; `values` by key of `LIMIT_KINDS`; `out`, whether anything but floors
    and ceilings speaks against it; `bytes` of its output, None unknown; `fixed_s`, what an export pays once, None
    unknown."""

    label: str
    seconds: float
    values: dict[str, float]
    out: bool = False
    bytes: int | None = None
    fixed_s: float | None = None


@dataclass(frozen=True)
class Change:
    """Fields: `kind` of the limit that moves; `to`, where it has to be for the choice to change; `gone`, whether the
    choice fails there, rather than a faster one coming in; `choice`, who is chosen there, "" for nobody; `seconds`
    that it takes."""

    kind: LimitKind
    to: float
    gone: bool
    choice: str
    seconds: float = 0.0


def fastest(found: Sequence[Candidate], limits: dict[str, float]) -> Candidate | None:
    """The fastest within these limits; an unknown value is not within."""
    able = [c for c in found if not c.out and all(_within(c, key, v) for key, v in limits.items())]
    return min(able, key=lambda c: (c.seconds, c.bytes or 0, c.label), default=None)


def _within(c: Candidate, key: str, limit: float) -> bool:
    value = c.values.get(key)
    return value is not None and not LIMIT_KINDS[key].fails(value, limit)


def limit_changes(
    found: Sequence[Candidate], limits: dict[str, float], also: Sequence[str] = ()
) -> list[Change]:
    """For each limit that is set, and those keys besides, the nearest place on either side where the choice changes;
    what needs the fewest steps comes first."""
    now = fastest(found, limits)
    if now is None:
        return []
    out: list[tuple[float, Change]] = []
    for key in (*limits, *(k for k in also if k not in limits)):
        kind, value, limit = LIMIT_KINDS[key], now.values.get(key), limits.get(key)
        if value is None:
            continue
        rest = {k: v for k, v in limits.items() if k != key}
        out += _tightened(found, rest, kind, value, limit)
        if limit is not None:
            out += _loosened(found, rest, kind, now, limit)
    return [change for _steps, change in sorted(out, key=lambda p: p[0])]


def _tightened(
    found: Sequence[Candidate], rest: dict[str, float], kind: LimitKind, value: float, limit: float | None
) -> list[tuple[float, Change]]:
    """Past the choice's own value it fails: who is chosen then?"""
    tick = 10.0**-kind.digits
    steps = math.floor(value / tick + 1e-9) + 1 if kind.floor else math.ceil(value / tick - 1e-9) - 1
    past = round(steps * tick, kind.digits)
    if not kind.least <= past <= kind.most:
        return []
    other = fastest(found, {**rest, kind.key: past})
    far = abs(past - (limit if limit is not None else value)) / kind.step
    return [(far, Change(kind, past, True, other.label if other else "", other.seconds if other else 0.0))]


def _loosened(
    found: Sequence[Candidate], rest: dict[str, float], kind: LimitKind, now: Candidate, limit: float
) -> list[tuple[float, Change]]:
    """A faster one that fails by this limit alone: the one that needs the least move."""
    able = [
        c
        for c in found
        if not c.out
        and c.seconds < now.seconds
        and kind.key in c.values
        and kind.fails(c.values[kind.key], limit)
        and all(_within(c, k, v) for k, v in rest.items())
    ]
    if not able:
        return []
    one = min(able, key=lambda c: (abs(c.values[kind.key] - limit), c.seconds, c.label))
    shown = _loosely(kind, one.values[kind.key])
    return [(abs(shown - limit) / kind.step, Change(kind, shown, False, one.label, one.seconds))]


def _loosely(kind: LimitKind, value: float) -> float:
    """A value as it is shown, on the side on which it is kept."""
    tick = 10.0**-kind.digits
    shown = round(value, kind.digits)
    if kind.fails(value, shown):
        shown = shown - tick if kind.floor else shown + tick
    return round(shown, kind.digits)


@dataclass(frozen=True)
class Crossing:
    """From where on another one is ahead. Fields: `label`; `at`, megabits a second below which, or times the
    excerpt's length above which."""

    label: str
    at: float


def line_crossing(choice: Candidate, others: Sequence[Candidate]) -> Crossing | None:
    """The fastest line on which a smaller output of another is delivered before the choice's: T + 8 · bytes / line is
    equal for both there."""
    found = [
        Crossing(c.label, 8e-6 * (choice.bytes - c.bytes) / (c.seconds - choice.seconds))
        for c in others
        if c.bytes is not None
        and choice.bytes is not None
        and c.bytes < choice.bytes
        and c.seconds > choice.seconds
    ]
    return max(found, key=lambda c: (c.at, c.label), default=None)


def length_crossing(choice: Candidate, others: Sequence[Candidate], band: float) -> Crossing | None:
    """How many times as long the programme has to be for another to be ahead: T = fixed + pace · length, with pace
    from the rest of the usual time. Only where its pace is better by more than the band."""
    found = []
    for c in others:
        if c.fixed_s is None or choice.fixed_s is None:
            continue
        own, pace = c.seconds - c.fixed_s, choice.seconds - choice.fixed_s
        if not 0 < own * (1 + band) < pace or c.fixed_s <= choice.fixed_s:
            continue
        at = (c.fixed_s - choice.fixed_s) / (pace - own)
        if at > 1:
            found.append(Crossing(c.label, at))
    return min(found, key=lambda c: (c.at, c.label), default=None)
