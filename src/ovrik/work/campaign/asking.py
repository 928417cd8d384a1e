"""Who is timed in the next round, asked in three ways: until the choice is decided, until every comparison with the
baseline is, and until the choice over all kinds of footage is."""

from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import Protocol

import numpy as np

from ovrik.analysis.choice.best import against
from ovrik.analysis.choice.verdict import Answer
from ovrik.analysis.times.ratio import answer
from ovrik.machine.sensors.load import read_into_cache
from ovrik.store.study import Study
from ovrik.study.programme.unchanged import files_of
from ovrik.study.question.conduct import CHOICE, COLD
from ovrik.work.answers.over_kinds import OverKinds, gather_kinds
from ovrik.work.answers.rivals import Rest, changes, failed, plan_of, rivals
from ovrik.work.evidence.gathered import Evidence, gather
from ovrik.work.evidence.noise import keep_noise
from ovrik.work.evidence.summary import Summary
from ovrik.work.timing.warm_up import needing_warm_up


@dataclass(frozen=True)
class Next:
    """The next round. Fields: `ids`, who is timed in it, empty when nothing more is to be timed; `open`, those of
    them for whose sake it is made; `rest`, what is open."""

    ids: tuple[int, ...] = ()
    open: frozenset[int] = frozenset()
    rest: Rest | None = None


class Asking(Protocol):
    """A question that rounds are added for. Fields: `views`, the study on each kind of footage that is timed;
    `checks`, whether outputs are checked after each round."""

    views: Sequence[Study]
    checks: bool

    def warm_up(self, ids: Sequence[int]) -> dict[int, int]:
        """Who of these is warmed up before the first run that counts, and how often."""
        ...

    def next(self, ids: Sequence[int], made: int) -> Next:
        """Who of these is timed in the next round, with so many made in this course."""
        ...


def asking(study: Study, every: bool) -> Asking:
    """What the study's conduct asks, on its present excerpt or on every kind of footage."""
    if every:
        return ChoiceOverAll(study)
    return Choice(study) if study.facts().conduct.decides == CHOICE else Comparisons(study)


class Choice:
    """Which acceptable contender is fastest: what can no longer win is left out."""

    checks = True

    def __init__(self, study: Study) -> None:
        self.study = study
        self.views: Sequence[Study] = [study]

    def warm_up(self, ids: Sequence[int]) -> dict[int, int]:
        """Those that need it, once; and the source is read, once: the first run of the round would pay."""
        if self.study.facts().conduct.cache != COLD:
            for path, _checksum in files_of(self.study.programme()):
                if path.exists():
                    read_into_cache(path)
        return dict.fromkeys(needing_warm_up(self.study, ids), 1)

    def next(self, ids: Sequence[int], made: int) -> Next:
        """The choice and its rivals; keeps what is decided about who is timed."""
        evidence = gather(self.study)
        now = rivals(evidence, ids)
        decided = changes(evidence, now)
        if decided:
            self.study.keep_decisions(decided, evidence.programme, evidence.facts.excerpt)
        keep_noise(self.study, evidence)
        if now.rounds >= evidence.facts.conduct.most_rounds:
            return Next()
        return Next(now.ids, frozenset(now.ids), Rest(len(now.open), plan_of(evidence, now)))


class Comparisons:
    """Every comparison with the baseline."""

    checks = False

    def __init__(self, study: Study) -> None:
        self.study = study
        self.views: Sequence[Study] = [study]

    def warm_up(self, ids: Sequence[int]) -> dict[int, int]:
        """All of them, as often as the study says."""
        return dict.fromkeys(ids, self.study.facts().warmup)

    def next(self, ids: Sequence[int], made: int) -> Next:
        """What is open, with the baseline."""
        evidence = gather(self.study)
        keep_noise(self.study, evidence)
        left = open_comparisons(evidence, ids)
        if not left:
            return Next()
        active = tuple(i for i in ids if i in left or i == evidence.facts.baseline_id)
        usual = [s.usual_s for s in evidence.summaries if s.contender.contender_id in active and s.usual_s]
        fewest = min(s.rounds for s in evidence.summaries if s.contender.contender_id in left)
        most = max(0, evidence.facts.conduct.most_rounds - fewest)
        rest = Rest(len(left), rounds_left=most, seconds=sum(usual) * most if usual else None)
        return Next(active, frozenset(left), rest)


def open_comparisons(evidence: Evidence, ids: Sequence[int]) -> list[int]:
    """Those whose comparison with the baseline is not decided yet, and may be within the limit of rounds."""
    conduct = evidence.facts.conduct
    return [
        s.contender.contender_id
        for s in evidence.summaries
        if s.contender.contender_id in ids
        and s.answer != "baseline"
        and (not s.times or s.answer == "unsure")
        and s.rounds < conduct.most_rounds
        and not failed(s)
        and not (conduct.drop_hopeless and s.times and hopeless(evidence, s))
    ]


def hopeless(evidence: Evidence, s: Summary) -> bool:
    """Whether a contender can no longer win: shown to cost more than the baseline, or not acceptable. What comes
    before an export counts, as in the choice."""
    if s.acceptable is False:
        return True
    base = evidence.times.base
    if base is None:
        return False
    others = np.array([row for row in evidence.times.rows.values() if row != base])
    found = against(evidence.costs, base, others, evidence.looks)
    return answer(found.get(s.entrant.row), evidence.facts.tie_band) == "slower"


@dataclass
class ChoiceOverAll:
    """Which acceptable contender is fastest over all kinds of footage that the study keeps by name."""

    study: Study
    views: Sequence[Study] = field(init=False)
    checks = True

    def __post_init__(self) -> None:
        self.views = [self.study.on(kind) for kind in self.study.kinds()]

    def warm_up(self, ids: Sequence[int]) -> dict[int, int]:
        """All of them, as often as the study says."""
        return dict.fromkeys(ids, self.study.facts().warmup)

    def next(self, ids: Sequence[int], made: int) -> Next:
        """Everybody at first; from then on who may still win over all, with the baseline."""
        if made >= self.study.facts().conduct.most_rounds:
            return Next()
        found = gather_kinds(self.study) if made else None
        if found is None:
            return Next(tuple(ids), frozenset(ids)) if not made else Next()
        if found.verdict.choice is not None and found.verdict.decided:
            return Next()
        left = may_win(found, ids)
        if not left:
            return Next()
        base = self.study.facts().baseline_id
        return Next(tuple(i for i in ids if i in left or i == base), frozenset(left), Rest(len(left)))


def may_win(found: OverKinds, ids: Sequence[int]) -> set[int]:
    """Contenders that could still be the choice over all by more than the band, those that are not known yet, and the
    choice while there is another."""
    verdict, out = found.verdict, set[int]()
    for s in found.each[0].summaries:
        every = [e.of(s.contender.contender_id) for _k, e in found.counting]
        unknown = any(x is not None and not x.reasons and not (x.judged and x.times) for x in every)
        ruled_out = any(x is None or x.reasons for x in every)
        gain = verdict.place(s.contender.contender_id).gain
        rival = gain is not None and gain > verdict.band
        if s.contender.contender_id in ids and not ruled_out and (rival or unknown):
            out.add(s.contender.contender_id)
    chosen = {i for i, p in verdict.places.items() if p.answer is Answer.CHOICE and i in ids}
    return out | chosen if out else out
