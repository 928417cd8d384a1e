"""Whether an output keeps within the limits, and by how much it misses them."""

from collections.abc import Mapping
from dataclasses import dataclass, field

from ovrik.study.limit_kinds import LIMIT_KINDS, LimitKind
from ovrik.study.limits import Limits


@dataclass(frozen=True)
class Measured:
    """What limits ask for, of one contender.

    Fields: `values` by key of `LIMIT_KINDS`, in its unit, without those that are not known; `plays`, whether it plays
    in real time, and `unseen`, whether it could not be told from the reference, None while they were not tried."""

    values: Mapping[str, float] = field(default_factory=dict)
    plays: bool | None = None
    unseen: bool | None = None


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

    @property
    def clause(self) -> str:
        """Value and limit in a clause: "mean VMAF 92.9 is under the floor of 93"."""
        assert self.value is not None
        at = f"{self.value:.{self.kind.digits}f}"
        if self.missed and float(at) == round(self.limit, self.kind.digits):
            at = f"{self.value:.{self.kind.digits + 2}f}"
        bound = "under the floor" if self.kind.floor else "over the ceiling"
        unit = f" {self.kind.unit}" if self.kind.unit else ""
        return f"{self.kind.title} {at}{unit} is {bound} of {self.limit:g}"


def brief(s: Standing) -> str:
    """A limit that is missed, in few words: "VMAF mean 4.1 under the floor"."""
    away = f"{abs(s.margin or 0.0):.{s.kind.digits}f}"
    return f"{s.kind.heading} {away} {'under the floor' if s.kind.floor else 'over the ceiling'}"


def standings(limits: Limits, found: Measured) -> list[Standing]:
    """To each floor and ceiling that is set, in the table's order."""
    out = []
    for key, limit in limits.values:
        kind, value = LIMIT_KINDS[key], found.values.get(key)
        out.append(Standing(kind, limit, value, None if value is None else kind.margin(value, limit)))
    return out


NOT_PLAYED, SEEN = (
    "it does not play in real time here",
    "it was told from the reference in a blind comparison",
)


@dataclass(frozen=True)
class Judgement:
    """What limits say of a contender. Fields: `reasons`, each limit that is missed, in a clause with both numbers;
    `missed`, the floors and ceilings among them; `wanting`, what is asked for and not known, in a clause, or ""."""

    reasons: tuple[str, ...]
    missed: tuple[Standing, ...]
    wanting: str


def judge(limits: Limits, found: Measured) -> Judgement:
    """Hold a contender against the limits."""
    # Two hundred are judged for each picture while a limit is dragged: only what misses one is written out.
    failing = {
        k: v
        for k, v in limits.values
        if (x := found.values.get(k)) is not None and LIMIT_KINDS[k].fails(x, v)
    }
    missed = tuple(standings(Limits(tuple(failing.items())), found)) if failing else ()
    reasons = [s.clause for s in missed]
    unknown = [f"the {LIMIT_KINDS[k].title} is not known" for k, _v in limits.values if k not in found.values]
    for asked, value, failed, open_ in (
        (limits.plays, found.plays, NOT_PLAYED, "it has not been played yet"),
        (limits.unseen, found.unseen, SEEN, "no blind comparison has come to an end"),
    ):
        reasons += [failed] if asked and value is False else []
        unknown += [open_] if asked and value is None else []
    return Judgement(tuple(reasons), missed, ", and ".join(unknown))


def misses(limits: Limits, found: Measured) -> list[str]:
    """Each limit that is missed, in a clause; empty when all are kept."""
    return list(judge(limits, found).reasons)


NEAR_SHARE = 0.02
NEAR_VMAF = 0.5


def near(limits: Limits, found: Measured) -> list[str]:
    """Each limit, kept or missed, that is within half a step of quality or 2 % of anything else: there the limit
    decides."""
    out = []
    for s in standings(limits, found):
        reach = NEAR_VMAF * s.kind.step if s.kind.metric else NEAR_SHARE * s.limit
        if s.margin is not None and s.value is not None and abs(s.margin) <= reach:
            bound = "floor" if s.kind.floor else "ceiling"
            out.append(f"{s.kind.title} {s.kind.words(s.value)}, {bound} {s.limit:g}")
    return out


def megabytes_per_minute(size_bytes: int, duration_s: float) -> float:
    """Size of an output in 10^6 bytes for each minute of programme."""
    return size_bytes / 1e6 / (duration_s / 60)
