"""One line-up on several kinds of footage: a verdict for each, one over all, and where the winner changes."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from ovrik.analysis.best import against
from ovrik.analysis.joint import Joint
from ovrik.analysis.over_all import over_all
from ovrik.analysis.ratio import Ratio
from ovrik.analysis.verdict import UNCHECKED, Entrant, Verdict, decide, listed
from ovrik.store.study import Study
from ovrik.study.footage_kind import FootageKind
from ovrik.work.evidence import Evidence, aimed, gather

PLACES = ("first", "second", "third", "fourth", "fifth", "sixth", "seventh", "eighth", "ninth", "tenth")


@dataclass(frozen=True, eq=False)
class OverKinds:
    """Fields: `kinds`, all of them, in the order in which they were kept; `each`, the evidence on each; `aims`,
    the times on each that are compared, as `evidence.aimed` gives them; `times` over those that count; `verdict`
    over those; `ratios` to the baseline over them, by contender's number."""

    kinds: tuple[FootageKind, ...]
    each: tuple[Evidence, ...]
    aims: tuple[Joint, ...]
    times: Joint
    verdict: Verdict
    ratios: Mapping[int, Ratio]

    @property
    def counting(self) -> list[tuple[FootageKind, Evidence]]:
        """Those with a weight."""
        return [(k, e) for k, e in zip(self.kinds, self.each, strict=True) if k.weight > 0]

    @property
    def begun(self) -> bool:
        """Whether at least two kinds that count were timed."""
        return sum(any(s.times for s in e.summaries) for _k, e in self.counting) > 1

    def seconds(self, kind: int, contender_id: int) -> float | None:
        """A contender's time on one kind of footage: until its file is written, or sent, as the study asks."""
        value = float(self.aims[kind].logs[self.each[kind].times.rows[contender_id]])
        return None if np.isnan(value) else float(np.exp(value))

    def usual_s(self, row: int) -> float | None:
        """The weighted geometric mean of a contender's usual times, by its place in the line-up."""
        value = float(self.times.logs[row])
        return None if np.isnan(value) else float(np.exp(value))


def gather_kinds(
    study: Study, barred: Mapping[int, str] | None = None, have: Evidence | None = None
) -> OverKinds | None:
    """Sum up every kind of footage and all together; None with fewer than two, or where none counts. `have`, evidence
    that was gathered already, is not gathered again."""
    kinds = study.kinds()
    if len(kinds) < 2 or not any(k.weight > 0 for k in kinds):
        return None

    def evidence(kind: FootageKind) -> Evidence:
        same = have is not None and (have.programme.checksum, have.facts.excerpt) == (
            kind.programme,
            kind.excerpt,
        )
        return have if have is not None and same else gather(study.on(kind), barred)

    return summed_up(kinds, [evidence(k) for k in kinds])


def everywhere(study: Study) -> list[Study]:
    """The study as it is, then on every other kind of footage."""
    facts, programme = study.facts(), study.programme()
    present = programme.checksum, facts.excerpt
    return [study, *(study.on(k) for k in study.kinds() if (k.programme, k.excerpt) != present)]


def summed_up(kinds: Sequence[FootageKind], each: Sequence[Evidence]) -> OverKinds:
    """The same from evidence that was gathered already."""
    first = each[0]
    ids = [s.contender.id for s in first.summaries]
    joints = [aimed(e, e.facts.worth) for e in each]
    rows = [[e.times.rows[i] for i in ids] for e in each]
    times = over_all(joints, rows, [k.weight for k in kinds])
    counting = [(k, e) for k, e in zip(kinds, each, strict=True) if k.weight > 0]
    entrants = [_entrant(i, row, times, counting) for row, i in enumerate(ids)]
    to = "deliver" if first.facts.worth.delivered else "export"
    verdict = decide(entrants, times, first.facts.tie_band, first.facts.conduct.looks, to)
    base = next((row for row, i in enumerate(ids) if i == first.facts.baseline_id), None)
    others = np.array([row for row in range(len(ids)) if row != base], int)
    found = {} if base is None else against(times, base, others, first.facts.conduct.looks)
    return OverKinds(
        tuple(kinds), tuple(each), tuple(joints), times, verdict, {ids[row]: r for row, r in found.items()}
    )


def _entrant(
    contender_id: int, row: int, times: Joint, counting: Sequence[tuple[FootageKind, Evidence]]
) -> Entrant:
    """Acceptable over all is what is acceptable on every kind that counts."""
    found = [(k, s) for k, e in counting if (s := e.of(contender_id)) is not None]
    reasons = tuple(f"on {k.name}: {r}" for k, s in found for r in s.reasons)
    judged = len(found) == len(counting) and all(s.judged for _k, s in found)
    usual = float(np.exp(times.logs[row])) if not np.isnan(times.logs[row]) else None
    sizes = [s.bytes for _k, s in found if s.bytes]
    return Entrant(
        found[0][1].contender.label,
        row,
        usual,
        reasons,
        judged,
        bytes=sum(sizes) if len(sizes) == len(found) else None,
        wanting=UNCHECKED,
    )


def changes_words(found: OverKinds) -> str:
    """Where the winner changes with the footage: "SVT-AV1 8 is fastest on interview, third on sport; x264 medium is
    fastest on sport, second on interview". "" where it does not."""
    winners = {k.name: e.verdict.labels[0] for k, e in found.counting if e.verdict.labels}
    if len(set(winners.values())) < 2:
        return ""
    parts = []
    for label in dict.fromkeys(winners.values()):
        first = [name for name, winner in winners.items() if winner == label]
        rest = [f"{_place(label, e)} on {k.name}" for k, e in found.counting if k.name not in first]
        parts.append(", ".join([f"{label} is fastest on {listed(first)}", *rest]))
    return "; ".join(parts)


def _place(label: str, e: Evidence) -> str:
    """A contender's place among the acceptable ones, or why it has none."""
    able = sorted(
        (s for s in e.summaries if s.acceptable and s.usual_s is not None), key=lambda s: s.usual_s or 0.0
    )
    at = next((n for n, s in enumerate(able) if s.contender.label == label), None)
    if at is None:
        return (
            "not acceptable" if any(s.contender.label == label and s.reasons for s in e.summaries) else "open"
        )
    return PLACES[at] if at < len(PLACES) else f"{at + 1}th"
