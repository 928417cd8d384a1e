"""One line-up on several kinds of footage: a verdict for each, one over all, and where the winner changes."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np

from ovrik.analysis.choice.best import against
from ovrik.analysis.choice.entrant import Entrant, Judgement, Wanting
from ovrik.analysis.choice.over_all import over_all
from ovrik.analysis.choice.verdict import Verdict, decide
from ovrik.analysis.times.joint import Joint
from ovrik.analysis.times.ratio import Ratio
from ovrik.store.study import Study
from ovrik.study.question.footage_kind import FootageKind
from ovrik.study.question.worth import Worth
from ovrik.work.evidence.gathered import Evidence, gather, judged
from ovrik.work.evidence.summary import Summary


@dataclass(frozen=True, eq=False)
class OverKinds:
    """Fields: `kinds`, all of them, in the order in which they were kept; `each`, the evidence on each; `times`, the
    costs over those that count; `verdict` over those; `ratios` to the baseline over them, by contender's id."""

    kinds: tuple[FootageKind, ...]
    each: tuple[Evidence, ...]
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
        found = self.each[kind].of(contender_id)
        return found.entrant.cost_s if found else None

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


def with_worth(found: OverKinds, worth: Worth) -> OverKinds:
    """The same with costs as this use of the times has them."""
    return summed_up(found.kinds, [judged(e, e.facts.limits, worth) for e in found.each])


def summed_up(kinds: Sequence[FootageKind], each: Sequence[Evidence]) -> OverKinds:
    """The same from evidence that was gathered already."""
    first = each[0]
    ids = [s.contender.contender_id for s in first.summaries]
    rows = [[e.times.rows[i] for i in ids] for e in each]
    times = over_all([e.costs for e in each], rows, [k.weight for k in kinds])
    counting = [(k, e) for k, e in zip(kinds, each, strict=True) if k.weight > 0]
    found = {i: [(k, s) for k, e in counting if (s := e.of(i)) is not None] for i in ids}
    entrants = [_entrant(i, row, times, found[i]) for row, i in enumerate(ids)]
    judged = {i: _judged(found[i], len(counting)) for i in ids}
    band, looks = first.facts.tie_band, max(e.looks for e in each)
    base = next((row for row, i in enumerate(ids) if i == first.facts.baseline_id), None)
    others = np.array([row for row in range(len(ids)) if row != base], int)
    ratios = {} if base is None else against(times, base, others, looks)
    return OverKinds(
        kinds=tuple(kinds),
        each=tuple(each),
        times=times,
        verdict=decide(entrants, judged, times, band, looks),
        ratios={ids[row]: r for row, r in ratios.items()},
    )


def _entrant(
    contender_id: int, row: int, times: Joint, found: Sequence[tuple[FootageKind, Summary]]
) -> Entrant:
    usual = float(np.exp(times.logs[row])) if not np.isnan(times.logs[row]) else None
    sizes = [s.bytes for _k, s in found if s.bytes]
    return Entrant(contender_id, row, usual, usual, bytes=sum(sizes) if len(sizes) == len(found) else None)


def _judged(found: Sequence[tuple[FootageKind, Summary]], counting: int) -> Judgement:
    """Acceptable over all is what is acceptable on every kind that counts."""
    known = len(found) == counting and all(s.judged for _k, s in found)
    reasons = tuple(replace(r, on=k.name) for k, s in found for r in s.reasons)
    return Judgement(reasons, wanting=() if known else (Wanting.CHECK,))


def places_on(found: OverKinds) -> dict[int, dict[str, int | None]]:
    """Where the winner changes with the footage: of each that wins on some kind, its place among the acceptable ones
    on every kind by name, from 1, None where it has none. Empty where one wins on all."""
    winners = list(
        dict.fromkeys(e.verdict.choice for _k, e in found.counting if e.verdict.choice is not None)
    )
    if len(winners) < 2:
        return {}
    return {w: {k.name: _place(w, e) for k, e in found.counting} for w in winners}


def _place(contender_id: int, e: Evidence) -> int | None:
    able = sorted(
        (s for s in e.summaries if s.acceptable and s.usual_s is not None), key=lambda s: s.entrant.order
    )
    return next((n for n, s in enumerate(able, 1) if s.contender.contender_id == contender_id), None)
