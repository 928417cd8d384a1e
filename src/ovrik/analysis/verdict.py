"""The choice: the fastest acceptable contender, what a rival could still gain, and who else; or none, with
reasons."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from ovrik.analysis.best import Best, best_of
from ovrik.analysis.joint import Joint

NAMED = 4
"""So many contenders are named in a sentence; the rest are counted."""


@dataclass(frozen=True)
class Entrant:
    """What the verdict needs to know of a contender.

    Fields: `label`; `row` in the joint times; `usual_s`, None if untimed; `reasons` why it is not acceptable, empty
    when it is; `judged`, False while its output has not been checked.
    """

    label: str
    row: int
    usual_s: float | None
    reasons: tuple[str, ...]
    judged: bool

    @property
    def acceptable(self) -> bool:
        """Checked, and nothing found against it."""
        return self.judged and not self.reasons


@dataclass(frozen=True)
class Verdict:
    """Fields: `labels`, the choice first, then those that tie with it or can't be told from it; `kind`, "one" (the
    choice alone), "tie" (others tie with it), "unsure" (a rival could still be faster by more than the band) or
    "none"; `lead`, who it is, in plain words; `why_not`, what spoke against the faster ones; `gain`, how much
    faster an acceptable rival could be at the most, as a share, None without a choice; `decided`, whether that lies
    within the tie band; `standing`, by label of each acceptable contender its answer against the choice ("choice",
    "slower", "tie", "unsure") and how much faster it could be at the most."""

    labels: tuple[str, ...]
    kind: str
    lead: str
    why_not: str = ""
    gain: float | None = None
    decided: bool = False
    standing: tuple[tuple[str, str, float], ...] = ()

    @property
    def sentence(self) -> str:
        """Both parts."""
        return f"{self.lead} {self.why_not}".strip()


def decide(entrants: Sequence[Entrant], times: Joint, band: float, looks: int = 0) -> Verdict:
    """Conformity and limits have spoken through `reasons`; now time does. `looks`, rounds after each of which one may
    stop, 0 when their number is fixed beforehand."""
    timed = [e for e in entrants if e.usual_s is not None]
    if not timed:
        return Verdict((), "none", "No verdict yet: nothing has been timed.")
    able = [e for e in timed if e.acceptable]
    if not able:
        return _nothing(timed)
    mask = np.zeros(len(times.logs), bool)
    mask[[e.row for e in able]] = True
    best = best_of(times, mask, band, looks)
    assert best is not None
    return _verdict(timed, able, best, band)


def _verdict(timed: Sequence[Entrant], able: Sequence[Entrant], best: Best, band: float) -> Verdict:
    choice = next(e for e in able if e.row == best.choice)
    others = sorted((e for e in able if e is not choice), key=lambda e: e.usual_s or 0.0)
    said = {e.label: best.answers[e.row] for e in others}
    # A choice by joint times that a shared round calls slower is as open as one that can't be told.
    peers = {k: v if v == "tie" else "unsure" for k, v in said.items() if v != "slower"}
    decided = best.gain <= band
    kind = "unsure" if not decided else "tie" if "tie" in peers.values() else "one"
    faster = [e for e in timed if not e.acceptable and (e.usual_s or 0) < (choice.usual_s or 0)]
    return Verdict(
        (choice.label, *sorted(peers, key=lambda k: peers[k] != "tie")),
        kind,
        _lead(choice, others, best, peers, band),
        _why_not(faster),
        best.gain,
        decided,
        (
            (choice.label, "choice", 0.0),
            *((e.label, peers.get(e.label, "slower"), float(best.gains[e.row])) for e in others),
        ),
    )


def _lead(choice: Entrant, others: Sequence[Entrant], best: Best, peers: dict[str, str], band: float) -> str:
    name = f"{choice.label} is the fastest acceptable way to export, at {choice.usual_s:.2f} s"
    if not others:
        return f"{name}; no other is acceptable."
    if best.gain > band:
        rivals = sorted((e for e in others if best.gains[e.row] > band), key=lambda e: -best.gains[e.row])
        each = "could still be" if len(rivals) == 1 else "could each still be"
        return (
            f"{choice.label} leads the acceptable ones at {choice.usual_s:.2f} s, but "
            f"{_listed([e.label for e in rivals])} {each} faster, by up to {gain_words(best.gain)}."
        )
    # Once decided, "can't be told" adds nothing to the bound but names.
    ties = [k for k, v in peers.items() if v == "tie"]
    also = f" {_listed(ties)} {'tie' if len(ties) > 1 else 'ties'} with it." if ties else ""
    if best.gain <= 0:
        return f"{name}: no other acceptable one is faster (95 %, all together).{also}"
    return f"{name}: no other acceptable one is more than {gain_words(best.gain)} faster (95 %, all together).{also}"


def gain_words(share: float) -> str:
    """ "1.4 %", "35 %", "×4"."""
    if share >= 9.95:
        return f"×{1 + share:.0f}"
    return f"{100 * share:.1f} %" if share < 0.0995 else f"{100 * share:.0f} %"


def _why_not(faster: Sequence[Entrant]) -> str:
    """What spoke against those that were faster than the choice."""
    if not faster:
        return "Nothing timed was faster."
    parts = []
    for e in sorted(faster, key=lambda e: e.usual_s or 0.0):
        why = e.reasons[0] if e.reasons else "its output has not been checked yet"
        parts.append(f"{e.label} ({e.usual_s:.2f} s): {why}")
    return f"Faster, but not acceptable: {'; '.join(parts)}."


def _nothing(timed: Sequence[Entrant]) -> Verdict:
    unchecked = [e.label for e in timed if not e.judged and not e.reasons]
    if unchecked:
        return Verdict((), "none", f"No verdict yet: {_listed(unchecked)} still to be checked.")
    words = "; ".join(f"{e.label}: {e.reasons[0]}" for e in timed)
    return Verdict((), "none", "Nothing timed is acceptable.", f"{words}.")


def _listed(names: Sequence[str]) -> str:
    if len(names) > NAMED + 1:
        names = [*names[:NAMED], f"{len(names) - NAMED} others"]
    if len(names) < 2:
        return "".join(names)
    return f"{', '.join(names[:-1])} and {names[-1]}"
