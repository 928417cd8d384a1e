"""What would make the verdict another one, and which limit decides it, from what is on file."""

from dataclasses import dataclass

from ovrik.analysis.choice.changes import (
    Change,
    Crossing,
    chosen,
    exports_below,
    exports_crossing,
    length_crossing,
    limit_changes,
    line_crossing,
)
from ovrik.analysis.choice.entrant import Entrant, acceptable
from ovrik.work.evidence.gathered import Evidence

OFFERED = ("vmaf_mean", "megabytes_per_minute")
"""Limits that are asked about though they are not set."""


@dataclass(frozen=True)
class WhatIf:
    """Fields: `changes` of limits, what needs the least move first; `line`, on which line another is delivered first,
    None where none is; `exports`, from how many exports of a film on another is ahead, and `fewer`, with how many and
    fewer, None likewise; `length`, from how many times the excerpt's length on another is faster, None likewise;
    `deciding`, keys of limits without which another would be chosen."""

    changes: tuple[Change, ...] = ()
    line: Crossing | None = None
    exports: Crossing | None = None
    fewer: Crossing | None = None
    length: Crossing | None = None
    deciding: tuple[str, ...] = ()


def known(e: Evidence) -> list[Entrant]:
    """Everybody who was timed and checked, in line-up order."""
    return [x for x in e.entrants if x.usual_s is not None and x.checked]


def what_if(e: Evidence) -> WhatIf:
    """Ask all of it. Nothing without a choice."""
    found, limits = known(e), e.facts.limits
    now = next((x for x in found if x.contender_id == e.verdict.choice), None)
    if now is None:
        return WhatIf()
    able = [x for x in acceptable(found, limits) if x is not now]
    without = {key: chosen(found, limits.having(key, None)) for key, _bound in limits.values}
    worth = e.facts.worth
    return WhatIf(
        changes=tuple(limit_changes(found, limits, OFFERED)),
        line=None if worth.delivered else line_crossing(now, able),
        exports=exports_crossing(now, able, worth.exports_a_film) if worth.first_waits else None,
        fewer=exports_below(now, able, worth.exports_a_film) if worth.first_waits else None,
        length=length_crossing(now, able, e.facts.tie_band),
        deciding=tuple(key for key, other in without.items() if other is not None and other is not now),
    )
