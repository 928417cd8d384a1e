"""The choice: the fastest acceptable contender, what a rival could still gain, and who else; or none, with
reasons."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from ovrik.analysis.acceptance import Standing
from ovrik.analysis.best import Best, best_of
from ovrik.analysis.joint import Joint

NAMED = 4
"""So many contenders are named in a sentence; the rest are counted."""
UNCHECKED = "its output has not been checked yet"


@dataclass(frozen=True)
class Entrant:
    """What the verdict needs to know of a contender.

    Fields: `label`; `row` in the joint times; `usual_s`, None if untimed; `reasons` why it is not acceptable, empty
    when it is; `judged`, False while its output has not been checked; `missed`, those floors and ceilings among the
    reasons; `bytes` of its output, None unknown: of two equal times the smaller output is chosen;
    `wanting`, what is still open while it is not judged, in a clause.
    """

    label: str
    row: int
    usual_s: float | None
    reasons: tuple[str, ...]
    judged: bool
    missed: tuple[Standing, ...] = ()
    bytes: int | None = None
    wanting: str = UNCHECKED

    @property
    def acceptable(self) -> bool:
        """Checked, and nothing found against it."""
        return self.judged and not self.reasons

    @property
    def movable(self) -> bool:
        """Whether nothing but floors and ceilings speaks against it."""
        return self.judged and 0 < len(self.reasons) == len(self.missed)


@dataclass(frozen=True)
class Faster:
    """One that took less time than the choice and is not acceptable. Fields: `label`; `seconds`; `reason`, the
    first."""

    label: str
    seconds: float
    reason: str


@dataclass(frozen=True)
class Nearest:
    """With nothing acceptable, what misses the limits by least. Fields: `label`; `missed`, the floors and ceilings to
    move, and by how much."""

    label: str
    missed: tuple[Standing, ...]


@dataclass(frozen=True)
class Verdict:
    """Fields: `labels`, the choice first, then those that tie with it or can't be told from it; `kind`, "one" (the
    choice alone), "tie" (others tie with it), "unsure" (a rival could still be faster by more than the band) or
    "none"; `lead`, who it is, in plain words; `why_not`, what spoke against the faster ones, the fastest first;
    `gain`, how much faster an acceptable rival could be at the most, as a share, None without a choice; `decided`,
    whether that lies within the tie band; `standing`, by label of each acceptable contender its answer against the
    choice ("choice", "slower", "tie", "unsure") and how much faster it could be at the most; `faster`, whoever was
    and is not acceptable, the fastest first; `nearest`, None unless nothing is acceptable and limits are why."""

    labels: tuple[str, ...]
    kind: str
    lead: str
    why_not: str = ""
    gain: float | None = None
    decided: bool = False
    standing: tuple[tuple[str, str, float], ...] = ()
    faster: tuple[Faster, ...] = ()
    nearest: Nearest | None = None

    @property
    def sentence(self) -> str:
        """Both parts."""
        return f"{self.lead} {self.why_not}".strip()

    def standing_as(self, said: str) -> list[str]:
        """Labels of those with this answer against the choice."""
        return [label for label, answer, _gain in self.standing if answer == said]


def decide(
    entrants: Sequence[Entrant], times: Joint, band: float, looks: int = 0, to: str = "export"
) -> Verdict:
    """Conformity and limits have spoken through `reasons`; now time does. `looks`, rounds after each of which one may
    stop, 0 when their number is fixed beforehand; `to`, what the times are of: to "export", or to "deliver"."""
    timed = [e for e in entrants if e.usual_s is not None]
    if not timed:
        return Verdict((), "none", "No verdict yet: nothing has been timed.")
    able = [e for e in timed if e.acceptable]
    if not able:
        return _nothing(timed)
    mask = np.zeros(len(times.logs), bool)
    mask[[e.row for e in able]] = True
    best = best_of(times, mask, band, looks, _rank(able, len(mask)))
    assert best is not None
    return _verdict(timed, able, best, band, to)


def _rank(able: Sequence[Entrant], count: int) -> np.ndarray:
    """Smaller outputs first, then by name: never by the order of the line-up."""
    rank = np.full(count, count)
    for place, e in enumerate(
        sorted(able, key=lambda e: (e.bytes if e.bytes is not None else np.inf, e.label))
    ):
        rank[e.row] = place
    return rank


def _verdict(timed: Sequence[Entrant], able: Sequence[Entrant], best: Best, band: float, to: str) -> Verdict:
    choice = next(e for e in able if e.row == best.choice)
    others = sorted((e for e in able if e is not choice), key=_by_time)
    said = {e.label: best.answers[e.row] for e in others}
    # A choice by joint times that a shared round calls slower is as open as one that can't be told.
    peers = {k: v if v == "tie" else "unsure" for k, v in said.items() if v != "slower"}
    decided = best.gain <= band
    kind = "unsure" if not decided else "tie" if "tie" in peers.values() else "one"
    faster = tuple(
        Faster(e.label, e.usual_s or 0.0, e.reasons[0] if e.reasons else e.wanting)
        for e in sorted(timed, key=_by_time)
        if not e.acceptable and (e.usual_s or 0) < (choice.usual_s or 0)
    )
    return Verdict(
        (choice.label, *sorted(peers, key=lambda k: peers[k] != "tie")),
        kind,
        _lead(choice, others, best, peers, band, to),
        _why_not(faster),
        best.gain,
        decided,
        (
            (choice.label, "choice", 0.0),
            *((e.label, peers.get(e.label, "slower"), float(best.gains[e.row])) for e in others),
        ),
        faster,
    )


def _by_time(e: Entrant) -> tuple[float, str]:
    return e.usual_s or 0.0, e.label


def _lead(
    choice: Entrant, others: Sequence[Entrant], best: Best, peers: dict[str, str], band: float, to: str
) -> str:
    name = f"{choice.label} is the fastest acceptable way to {to}, at {choice.usual_s:.2f} s"
    if not others:
        return f"{name}; no other is acceptable."
    if best.gain > band:
        rivals = sorted((e for e in others if best.gains[e.row] > band), key=lambda e: -best.gains[e.row])
        each = "could still be" if len(rivals) == 1 else "could each still be"
        return (
            f"{choice.label} leads the acceptable ones at {choice.usual_s:.2f} s, but "
            f"{listed([e.label for e in rivals])} {each} faster, by up to {gain_words(best.gain)}."
        )
    # Once decided, "can't be told" adds nothing to the bound but names.
    ties = [k for k, v in peers.items() if v == "tie"]
    also = f" {listed(ties)} {'tie' if len(ties) > 1 else 'ties'} with it." if ties else ""
    if best.gain <= 0:
        return f"{name}: no other acceptable one is faster (95 %, all together).{also}"
    return f"{name}: no other acceptable one is more than {gain_words(best.gain)} faster (95 %, all together).{also}"


def gain_words(share: float) -> str:
    """ "1.4 %", "35 %", "×4"."""
    if share >= 9.95:
        return f"×{1 + share:.0f}"
    return f"{100 * share:.1f} %" if share < 0.0995 else f"{100 * share:.0f} %"


def _why_not(faster: Sequence[Faster]) -> str:
    """What spoke against those that were faster than the choice."""
    if not faster:
        return "Nothing timed was faster."
    parts = [f"{f.label} ({f.seconds:.2f} s): {f.reason}" for f in faster[:NAMED]]
    more = len(faster) - len(parts)
    rest = f"; and {more} other{'s' * (more > 1)}" if more else ""
    return f"Faster, but not acceptable: {'; '.join(parts)}{rest}."


def _nothing(timed: Sequence[Entrant]) -> Verdict:
    waiting = [e for e in timed if not e.judged and not e.reasons]
    if unchecked := [e.label for e in waiting if e.wanting == UNCHECKED]:
        return Verdict((), "none", f"No verdict yet: {listed(unchecked)} still to be checked.")
    if waiting:
        one = min(waiting, key=_by_time)
        return Verdict((), "none", f"No verdict yet: of {listed([e.label for e in waiting])} {one.wanting}.")
    nearest = nearest_of(timed)
    words = "; ".join(f"{e.label}: {e.reasons[0]}" for e in sorted(timed, key=_by_time)[:NAMED])
    more = len(timed) - NAMED
    rest = f"; and {more} other{'s' * (more > 1)}" if more > 0 else ""
    if nearest is None:
        return Verdict((), "none", "Nothing timed is acceptable.", f"{words}{rest}.")
    said = f"Nothing timed is acceptable; {nearest.label} comes nearest."
    return Verdict((), "none", said, f"{words}{rest}.", nearest=nearest)


def nearest_of(timed: Sequence[Entrant]) -> Nearest | None:
    """Whoever misses the fewest floors and ceilings, by the fewest steps of each, and the faster of two; None where
    something else speaks against all of them."""
    movable = [e for e in timed if e.movable]
    if not movable:
        return None
    one = min(movable, key=lambda e: (len(e.missed), _steps(e), *_by_time(e)))
    return Nearest(one.label, one.missed)


def _steps(e: Entrant) -> float:
    return sum(-(s.margin or 0.0) / s.kind.step for s in e.missed)


def listed(names: Sequence[str]) -> str:
    """Names in a sentence; past a few they are counted."""
    if len(names) > NAMED + 1:
        names = [*names[:NAMED], f"{len(names) - NAMED} others"]
    if len(names) < 2:
        return "".join(names)
    return f"{', '.join(names[:-1])} and {names[-1]}"
