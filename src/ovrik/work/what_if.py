"""What would make the verdict another one, and which limit decides it, from what is on file."""

from dataclasses import dataclass

import numpy as np

from ovrik.analysis.changes import (
    Candidate,
    Change,
    Crossing,
    fastest,
    length_crossing,
    limit_changes,
    line_crossing,
)
from ovrik.study.limits import Limits
from ovrik.work.evidence import Evidence, aimed
from ovrik.work.summary import Summary

OFFERED = ("vmaf_mean", "megabytes_per_minute")
"""Limits that are asked about though they are not set."""


@dataclass(frozen=True)
class WhatIf:
    """Fields: `changes` of limits, what needs the least move first; `line`, on which line another is delivered first,
    None where none is; `length`, from how many times the excerpt's length on another is faster, None likewise;
    `deciding`, keys of limits without which another would be chosen."""

    changes: tuple[Change, ...] = ()
    line: Crossing | None = None
    length: Crossing | None = None
    deciding: tuple[str, ...] = ()


def candidates(e: Evidence) -> list[Candidate]:
    """Everybody who was timed and checked, in line-up order."""
    counted = aimed(e, e.facts.worth)
    return [
        _candidate(s, float(np.exp(counted.logs[e.times.rows[s.contender.id]])), e.facts.limits)
        for s in e.summaries
        if s.usual_s is not None and s.score is not None
    ]


def _candidate(s: Summary, seconds: float, asked: Limits) -> Candidate:
    # A playback or a blind comparison is no number that could be moved.
    unplayed = asked.plays and s.measured.plays is not True
    told = asked.unseen and s.measured.unseen is not True
    return Candidate(
        s.contender.label,
        seconds,
        dict(s.measured.values),
        bool(s.faults) or unplayed or told,
        s.bytes,
        s.fixed_s,
    )


def what_if(e: Evidence) -> WhatIf:
    """Ask all of it. Nothing without a choice."""
    found, bound = candidates(e), dict(e.facts.limits.values)
    now = fastest(found, bound)
    if now is None or not e.verdict.labels:
        return WhatIf()
    able = [c for c in found if c is not now and fastest([c], bound)]
    deciding = tuple(
        key
        for key in bound
        if (other := fastest(found, {k: v for k, v in bound.items() if k != key}))
        and other.label != now.label
    )
    return WhatIf(
        tuple(limit_changes(found, bound, OFFERED)),
        None if e.facts.worth.delivered else line_crossing(now, able),
        length_crossing(now, able, e.facts.tie_band),
        deciding,
    )
