"""The fastest acceptable contender, or a tie of several, or none, with reasons."""

from collections.abc import Sequence
from dataclasses import dataclass

from ovrik.analysis.ratio import ALPHA, answer, paired_ratio, rounds_to_decide


@dataclass(frozen=True)
class Entrant:
    """What the verdict needs to know of a contender.

    Fields: `label`; `times`, seconds by round for its counted runs; `median_s`, None if untimed;
    `reasons` why it is not acceptable, empty when it is; `judged`, False while its output has not
    been checked; `doubt_s`, half the step in which its times were read (0 for exact ones).
    """

    label: str
    times: dict[int, float]
    median_s: float | None
    reasons: tuple[str, ...]
    judged: bool
    doubt_s: float = 0.0

    @property
    def acceptable(self) -> bool:
        """Checked, and nothing found against it."""
        return self.judged and not self.reasons


@dataclass(frozen=True)
class Verdict:
    """Fields: `labels` of the winners; `kind`, "one", "tie", "unsure" (leaders not told apart
    yet) or "none"; `lead`, who it is, in plain words; `why_not`, what spoke against the faster ones;
    `more_rounds`, about how many would settle an unsure one, or None."""

    labels: tuple[str, ...]
    kind: str
    lead: str
    why_not: str = ""
    more_rounds: int | None = None

    @property
    def sentence(self) -> str:
        """Both parts."""
        return f"{self.lead} {self.why_not}".strip()


def shared_times(one: dict[int, float], other: dict[int, float]) -> tuple[list[float], list[float]]:
    """Times of the rounds in which both were timed, in round order."""
    both = sorted(one.keys() & other.keys())
    return [one[r] for r in both], [other[r] for r in both]


def decide(entrants: Sequence[Entrant], band: float, alpha: float = ALPHA) -> Verdict:
    """Conformity and limits have spoken through `reasons`; now time does. `alpha` is the chance that one of
    the comparisons errs (see `together`)."""
    timed = [e for e in entrants if e.median_s is not None]
    if not timed:
        return Verdict((), "none", "No verdict yet: nothing has been timed.")
    able = sorted((e for e in timed if e.acceptable), key=lambda e: e.median_s or 0.0)
    if not able:
        return _nothing(timed)
    leader, peers = able[0], []
    kinds: set[str] = set()
    more, blind = 0, False
    for other in able[1:]:
        pair = paired_ratio(
            *shared_times(other.times, leader.times), alpha, max(other.doubt_s, leader.doubt_s)
        )
        said = answer(pair, band)
        if said == "faster":
            continue
        peers.append(other)
        # A leader by median can still be called slower by pairs; that is as open as "unsure".
        kinds.add("tie" if said == "tie" else "unsure")
        more = max(more, rounds_to_decide(pair, band, alpha) or 0)
        blind |= pair is None or pair.spread is None
    labels = (leader.label, *(p.label for p in peers))
    faster = [e for e in timed if not e.acceptable and (e.median_s or 0) < (leader.median_s or 0)]
    tail = _why_not(faster)
    if not peers:
        return Verdict(labels, "one", _one(leader, able), tail)
    kind = "unsure" if "unsure" in kinds else "tie"
    return Verdict(
        labels,
        kind,
        _several(labels, leader, kind, more, blind),
        tail,
        more or None if kind == "unsure" else None,
    )


def _one(leader: Entrant, able: Sequence[Entrant]) -> str:
    lead = f"{leader.label} is the fastest acceptable way to export, at {leader.median_s:.2f} s"
    if len(able) == 1:
        return f"{lead}; no other is acceptable."
    second = able[1]
    return f"{lead}, ahead of {second.label} at {second.median_s:.2f} s."


def _several(labels: tuple[str, ...], leader: Entrant, kind: str, more: int, blind: bool) -> str:
    names = _listed(labels)
    if kind == "tie":
        return f"{names} tie for the fastest acceptable export, at about {leader.median_s:.2f} s."
    rounds = f"{more} more round{'s' * (more != 1)}"
    hint = (f"; it takes at least {rounds}" if blind else f"; about {rounds} would settle it") if more else ""
    return (
        f"{leader.label} leads the acceptable ones at {leader.median_s:.2f} s, but it can't be told "
        f"from {_listed(labels[1:])} yet{hint}."
    )


def _why_not(faster: Sequence[Entrant]) -> str:
    """What spoke against those that were faster than the winner."""
    if not faster:
        return "Nothing timed was faster."
    parts = []
    for e in sorted(faster, key=lambda e: e.median_s or 0.0):
        why = e.reasons[0] if e.reasons else "its output has not been checked yet"
        parts.append(f"{e.label} ({e.median_s:.2f} s): {why}")
    return f"Faster, but not acceptable: {'; '.join(parts)}."


def _nothing(timed: Sequence[Entrant]) -> Verdict:
    unchecked = [e.label for e in timed if not e.judged and not e.reasons]
    if unchecked:
        return Verdict((), "none", f"No verdict yet: {_listed(unchecked)} still to be checked.")
    words = "; ".join(f"{e.label}: {e.reasons[0]}" for e in timed)
    return Verdict((), "none", "Nothing timed is acceptable.", f"{words}.")


def _listed(names: Sequence[str]) -> str:
    if len(names) < 2:
        return "".join(names)
    return f"{', '.join(names[:-1])} and {names[-1]}"
