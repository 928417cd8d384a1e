"""Any two contenders against one another, on demand."""

from dataclasses import dataclass

from ovrik.analysis.choice.best import pair
from ovrik.analysis.times.ratio import Ratio, answer
from ovrik.study.contender.contender import Difference, contender_difference
from ovrik.work.evidence.gathered import Evidence


@dataclass(frozen=True)
class Pair:
    """Fields: `ratio` of the second against the first, None where one has no times; `answer`, of "faster", "slower",
    "tie", "unsure", said of the second; `apart`, what differs; `among`, pairs that its interval holds for
    together."""

    ratio: Ratio | None
    answer: str
    apart: Difference
    among: int


def compare(evidence: Evidence, first: int, second: int) -> Pair | None:
    """Compare two contenders by number, at the level at which every pair that was timed could be asked for.

    None when one of them is not in the line-up.
    """
    a, b = evidence.of(first), evidence.of(second)
    if a is None or b is None:
        return None
    timed = sum(bool(s.counted) for s in evidence.summaries)
    among = max(timed * (timed - 1) // 2, 1)
    times = evidence.times
    ratio = pair(times.found, times.rows[first], times.rows[second], among, evidence.looks)
    return Pair(
        ratio, answer(ratio, evidence.facts.tie_band), contender_difference(a.contender, b.contender), among
    )
