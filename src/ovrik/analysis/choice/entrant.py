"""One contender as every question about the choice sees it: its times, its whole cost, size and quality, what speaks
against it; by its id, and in one order."""

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from enum import StrEnum

import numpy as np

from ovrik.study.facts.reason import Against, Reason
from ovrik.study.question.limit_kinds import LIMIT_KINDS, LimitKind
from ovrik.study.question.limits import Limits


@dataclass(frozen=True)
class Measured:
    """What limits ask for, of one contender.

    Fields: `values` by key of `LIMIT_KINDS`, in its unit, without those that are not known; `plays`, whether it plays
    in real time, and `unseen`, whether it could not be told from the reference, None while they were not tried."""

    values: Mapping[str, float] = field(default_factory=dict)
    plays: bool | None = None
    unseen: bool | None = None


@dataclass(frozen=True)
class Entrant:
    """What is known of a contender, whatever the limits are.

    Fields: `contender_id`; `row` in the joint times; `usual_s`, its usual time, None while untimed; `cost_s`, what
    the choice goes by, None where it is not known: the whole cost, which is the usual time, its share of what comes
    first, and the upload where what counts is when the file has been sent; `first_s`, what comes first of a film, 0
    where nothing does, None unknown; `fixed_s`, what every export pays once, None unknown; `bytes` of its output,
    None unknown; `measured`, what limits ask for; `checked`, whether its output was; `proved`, whether a device's
    treatments were compared with software's, or need not be; `faults`, the gravest first; `price` that it
    costs once, and `yearly`, what it costs a year."""

    contender_id: int
    row: int
    usual_s: float | None
    cost_s: float | None
    first_s: float | None = 0.0
    fixed_s: float | None = None
    bytes: int | None = None
    measured: Measured = field(default_factory=Measured)
    checked: bool = True
    proved: bool = True
    faults: tuple[Reason, ...] = ()
    price: float = 0.0
    yearly: float = 0.0

    @property
    def order(self) -> tuple[float, float, int]:
        """Who comes first: the least cost; of two the smaller output, an unknown size last; then the one that was
        there first."""
        cost = self.cost_s if self.cost_s is not None else np.inf
        return cost, self.bytes if self.bytes is not None else np.inf, self.contender_id


SAME_LOG = 1e-9
"""Log times no farther apart are equal: what is left is how they were added up."""


def first_of(entrants: Iterable[Entrant]) -> Entrant | None:
    """Whoever comes first, None of none; costs that differ by how they were added up are equal."""
    found = [e for e in entrants if e.cost_s is not None]
    if not found:
        return None
    least = min(e.cost_s or 0.0 for e in found) * float(np.exp(SAME_LOG))
    return min((e for e in found if (e.cost_s or 0.0) <= least), key=lambda e: e.order[1:])


def ranks(entrants: Iterable[Entrant], count: int) -> np.ndarray:
    """Shape (count,), by row: who comes first of equal costs; whatever has no entrant comes last."""
    rank = np.full(count, count)
    for place, e in enumerate(sorted(entrants, key=lambda e: e.order[1:])):
        rank[e.row] = place
    return rank


@dataclass(frozen=True)
class Standing:
    """How a contender stands to one floor or ceiling. Fields: `kind`; `limit`; `value`, None while unknown; `margin`,
    how far it is within, in its unit, below 0 by how much it misses, None likewise."""

    kind: LimitKind
    limit: float
    value: float | None
    margin: float | None

    @property
    def missed(self) -> bool:
        """Whether it is known to fail."""
        return self.value is not None and self.kind.fails(self.value, self.limit)


def standings(limits: Limits, found: Measured) -> list[Standing]:
    """To each floor and ceiling that is set, in the table's order."""
    out = []
    for key, limit in limits.values:
        kind, value = LIMIT_KINDS[key], found.values.get(key)
        out.append(Standing(kind, limit, value, None if value is None else kind.margin(value, limit)))
    return out


class Wanting(StrEnum):
    """What is asked for and not known yet, besides the value of a floor or ceiling."""

    CHECK = "check"
    PROOF = "proof"
    PLAYBACK = "playback"
    BLIND = "blind comparison"
    FIRST = "first"


@dataclass(frozen=True)
class Judgement:
    """What an entrant comes to under limits. Fields: `reasons` against it, the gravest first; `missed`, the floors
    and ceilings among them; `wanting`, what is asked for and not known: a `Wanting`, or the key of a floor or
    ceiling."""

    reasons: tuple[Reason, ...] = ()
    missed: tuple[Standing, ...] = ()
    wanting: tuple[str, ...] = ()

    @property
    def judged(self) -> bool:
        """Whether all that is asked for is known."""
        return not self.wanting

    @property
    def acceptable(self) -> bool:
        """Whether all is known and nothing was found against it."""
        return self.judged and not self.reasons

    @property
    def movable(self) -> bool:
        """Whether nothing but floors and ceilings speaks against it."""
        return self.judged and 0 < len(self.reasons) == len(self.missed)


def judge(e: Entrant, limits: Limits) -> Judgement:
    """Hold an entrant against the limits."""
    # Two hundred are judged for each picture while a limit is dragged: only what misses one is made a standing.
    values = e.measured.values
    failing = {
        key: bound
        for key, bound in limits.values
        if (value := values.get(key)) is not None and LIMIT_KINDS[key].fails(value, bound)
    }
    missed = tuple(standings(Limits(tuple(failing.items())), e.measured)) if failing else ()
    wanted_first = (
        *(() if e.proved else (Wanting.PROOF,)),
        *(() if e.first_s is not None or e.usual_s is None else (Wanting.FIRST,)),
    )
    reasons = [Reason(Against.LIMIT, limit=s.kind.key, value=s.value or 0.0, bound=s.limit) for s in missed]
    wanting: list[str] = [*wanted_first, *(key for key, _bound in limits.values if key not in values)]
    for asked, held, against, open_ in (
        (limits.plays, e.measured.plays, Against.NOT_PLAYED, Wanting.PLAYBACK),
        (limits.unseen, e.measured.unseen, Against.SEEN, Wanting.BLIND),
    ):
        reasons += [Reason(against)] if asked and held is False else []
        wanting += [open_] if asked and held is None else []
    return Judgement((*e.faults, *reasons), missed, tuple(wanting) if e.checked else (Wanting.CHECK,))


NEAR_SHARE = 0.02
NEAR_STEP = 0.5


def near(limits: Limits, found: Measured) -> list[Standing]:
    """Each limit, kept or missed, that is within half a step of quality or 2 % of anything else: there the limit
    decides."""
    out = []
    for s in standings(limits, found):
        reach = NEAR_STEP * s.kind.step if s.kind.metric else NEAR_SHARE * s.limit
        if s.margin is not None and abs(s.margin) <= reach:
            out.append(s)
    return out


def megabytes_per_minute(size_bytes: int, duration_s: float) -> float:
    """Size of an output in 10^6 bytes for each minute of programme."""
    return size_bytes / 1e6 / (duration_s / 60)


def acceptable(entrants: Sequence[Entrant], limits: Limits) -> list[Entrant]:
    """Those that keep within the limits; whatever is not known is not within."""
    return [e for e in entrants if judge(e, limits).acceptable]
