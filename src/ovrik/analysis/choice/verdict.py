"""The one decider: the fastest acceptable contender, what a rival could still gain, who else; or none, and why."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from enum import StrEnum

import numpy as np

from ovrik.analysis.choice.best import Best, best_of
from ovrik.analysis.choice.entrant import Entrant, Judgement, Wanting, ranks
from ovrik.analysis.times.joint import Joint
from ovrik.study.facts.reason import Reason


class Outcome(StrEnum):
    """What a verdict comes to: the choice alone; others tie with it; a rival could still be faster by more than the
    band; nothing was timed; nothing is acceptable yet, and some are still to be judged; nothing is acceptable."""

    ONE = "one"
    TIE = "tie"
    UNSURE = "unsure"
    UNTIMED = "untimed"
    WAITING = "waiting"
    NOTHING = "nothing"


class Answer(StrEnum):
    """How an acceptable contender stands to the choice."""

    CHOICE = "choice"
    TIE = "tie"
    UNSURE = "unsure"
    SLOWER = "slower"


@dataclass(frozen=True)
class Place:
    """Where a contender stands. Fields: `by`, what it comes to under the limits; `answer` against the choice, None
    for one that is not acceptable or has no time; `gain`, how much faster than the choice it could be at the most, as
    a share, None likewise."""

    by: Judgement = field(default_factory=Judgement)
    answer: Answer | None = None
    gain: float | None = None


@dataclass(frozen=True)
class Faster:
    """One that cost less than the choice and is not acceptable. Fields: `contender_id`; `cost_s`; `reason`, the first
    against it, None where something is only still to be known: then `wanting` says what."""

    contender_id: int
    cost_s: float
    reason: Reason | None
    wanting: tuple[str, ...]


@dataclass(frozen=True)
class Verdict:
    """Fields: `outcome`; `choice`, the contender's id, None without one; `choice_s`, its cost; `peers`, ids of those
    that tie with it, then of those that can't be told from it, the fastest first; `gain`, how much faster an
    acceptable rival could be at the most, as a share, None without a choice; `decided`, whether that lies within the
    tie band; `places` of all contenders by id, in the order of their costs; `faster`, whoever was and is not
    acceptable, the fastest first; `nearest`, with nothing acceptable, the id of what misses the limits by least, None
    where something else speaks against all; `band` of a tie."""

    outcome: Outcome
    choice: int | None = None
    choice_s: float = 0.0
    peers: tuple[int, ...] = ()
    gain: float | None = None
    decided: bool = False
    places: Mapping[int, Place] = field(default_factory=dict)
    faster: tuple[Faster, ...] = ()
    nearest: int | None = None
    band: float = 0.0

    @property
    def ids(self) -> tuple[int, ...]:
        """The choice and its peers; nobody without a choice."""
        return () if self.choice is None else (self.choice, *self.peers)

    def place(self, contender_id: int) -> Place:
        """Where a contender stands."""
        return self.places.get(contender_id, Place())

    def with_answer(self, answer: Answer) -> list[int]:
        """Ids of those with this answer against the choice."""
        return [i for i, place in self.places.items() if place.answer is answer]

    @property
    def could_be_faster(self) -> list[int]:
        """Acceptable rivals that could still be faster by more than the band, the one with most to gain first."""
        found = {
            i: p.gain for i, p in self.places.items() if p.gain is not None and p.answer is not Answer.CHOICE
        }
        return sorted((i for i, gain in found.items() if gain > self.band), key=lambda i: -found[i])

    @property
    def waiting(self) -> list[int]:
        """Those against which nothing was found, and of which not all is known yet."""
        return [i for i, p in self.places.items() if not p.by.judged and not p.by.reasons]


def decide(
    entrants: Sequence[Entrant], judged: Mapping[int, Judgement], times: Joint, band: float, looks: int = 0
) -> Verdict:
    """Conformity and limits have spoken in `judged`, by contender; now time does. `looks`, rounds after each of which
    one may stop, 0 when their number is fixed beforehand."""
    ordered = sorted(entrants, key=lambda e: e.order)
    places = {e.contender_id: Place(judged[e.contender_id]) for e in ordered}
    timed = [e for e in ordered if e.cost_s is not None]
    if not timed:
        return Verdict(Outcome.UNTIMED, places=places, band=band)
    able = [e for e in timed if judged[e.contender_id].acceptable]
    if not able:
        return _nothing(timed, places, band)
    mask = np.zeros(len(times.logs), bool)
    mask[[e.row for e in able]] = True
    best = best_of(times, mask, band, looks, ranks(able, len(mask)))
    assert best is not None
    return _verdict(timed, able, best, places, band)


def _verdict(
    timed: Sequence[Entrant], able: Sequence[Entrant], best: Best, places: Mapping[int, Place], band: float
) -> Verdict:
    choice = next(e for e in able if e.row == best.choice)
    # A choice by joint times that a shared round calls slower is as open as one that can't be told.
    known = {"tie": Answer.TIE, "slower": Answer.SLOWER}
    now = {
        e.contender_id: Place(
            places[e.contender_id].by, known.get(best.answers[e.row], Answer.UNSURE), float(best.gains[e.row])
        )
        for e in able
        if e is not choice
    }
    now[choice.contender_id] = Place(places[choice.contender_id].by, Answer.CHOICE, 0.0)
    ties, open_ = ([i for i, p in now.items() if p.answer is a] for a in (Answer.TIE, Answer.UNSURE))
    decided = best.gain <= band
    return Verdict(
        outcome=Outcome.UNSURE if not decided else Outcome.TIE if ties else Outcome.ONE,
        choice=choice.contender_id,
        choice_s=choice.cost_s or 0.0,
        peers=(*ties, *open_),
        gain=best.gain,
        decided=decided,
        places={i: now.get(i, place) for i, place in places.items()},
        faster=tuple(
            _faster(e, places[e.contender_id].by)
            for e in timed
            if not places[e.contender_id].by.acceptable and (e.cost_s or 0.0) < (choice.cost_s or 0.0)
        ),
        band=band,
    )


def _faster(e: Entrant, by: Judgement) -> Faster:
    return Faster(e.contender_id, e.cost_s or 0.0, next(iter(by.reasons), None), by.wanting)


def _nothing(timed: Sequence[Entrant], places: Mapping[int, Place], band: float) -> Verdict:
    waits = any(not places[e.contender_id].by.judged and not places[e.contender_id].by.reasons for e in timed)
    if waits:
        return Verdict(Outcome.WAITING, places=places, band=band)
    return Verdict(Outcome.NOTHING, places=places, nearest=nearest_of(timed, places), band=band)


def nearest_of(timed: Sequence[Entrant], places: Mapping[int, Place]) -> int | None:
    """Whoever misses the fewest floors and ceilings, by the fewest steps of each, and the faster of two; None where
    something else speaks against all of them."""
    found = [(e, places[e.contender_id].by) for e in timed if places[e.contender_id].by.movable]
    if not found:
        return None
    one, _by = min(found, key=lambda f: (len(f[1].missed), _steps(f[1]), f[0].order))
    return one.contender_id


def _steps(by: Judgement) -> float:
    return sum(-(s.margin or 0.0) / s.kind.step for s in by.missed)


def unchecked(verdict: Verdict) -> list[int]:
    """Those that wait for nothing but a check of their output."""
    return [i for i in verdict.waiting if Wanting.CHECK in verdict.places[i].by.wanting]
