"""In which order the roster stands, and who is in it: sorted, filtered, folded when there are many."""

import math
from collections.abc import Callable

from ovrik.desk.model.ranking import searched
from ovrik.study.contender.grid import passing
from ovrik.work.evidence.gathered import Evidence
from ovrik.work.evidence.summary import Summary

LINE_UP, TIME, SIZE, QUALITY = "line-up", "time", "size", "quality"
FOLDED_FROM = 24
"""From so many contenders on each takes one line, unless it is asked otherwise."""

KEYS: dict[str, Callable[[Summary], float]] = {
    TIME: lambda s: s.usual_s if s.usual_s is not None else math.inf,
    SIZE: lambda s: s.bytes if s.bytes is not None else math.inf,
    QUALITY: lambda s: -s.vmaf.mean if s.vmaf else math.inf,
}
"""Best first; what has no value comes last."""


def arranged(e: Evidence, order: str, words: str) -> list[Summary]:
    """Whoever passes the filter, in this order; in line-up order among equals."""
    keeps = passing(words)
    found = [s for s in e.summaries if not words.strip() or keeps(searched(s, e))]
    return sorted(found, key=KEYS[order]) if order in KEYS else found
