"""Who is timed in the next round while the choice is decided, and what changed about that."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from ovrik.analysis.ahead import Ahead, ahead, position
from ovrik.analysis.contest import Contest, contest
from ovrik.analysis.time_words import seconds_words
from ovrik.analysis.verdict import gain_words
from ovrik.store.records import BACK, KEPT, LEFT_OUT, SET_ASIDE, Decision
from ovrik.work.evidence import Evidence
from ovrik.work.summary import Summary


@dataclass(frozen=True, eq=False)
class Rivals:
    """Fields: `ids`, who is timed in the next round, empty when it is decided or nothing can be; `open`, those of
    them that could still be faster than the choice by more than the band, or have no time yet; `rounds`, the most
    that any of those that may win has; `contest` behind it; `able`, by row who may win; `also`, the baseline's row
    while it is timed only for its own statement."""

    ids: tuple[int, ...]
    open: tuple[int, ...]
    rounds: int
    contest: Contest
    able: np.ndarray
    also: int | None


def rivals(evidence: Evidence, ids: Sequence[int]) -> Rivals:
    """Who could still win among these contenders: those that are acceptable, or whose output is not checked yet."""
    times, facts = evidence.times, evidence.facts
    number = {row: i for i, row in times.rows.items()}
    able = np.zeros(len(times.found.logs), bool)
    for s in evidence.summaries:
        able[times.rows[s.contender.id]] = s.contender.id in ids and not s.reasons
    base = (
        times.base if facts.baseline_id in ids and not _failed(evidence.of(facts.baseline_id or 0)) else None
    )
    found = contest(times.found, able, base, facts.tie_band, facts.conduct.looks)
    left = [number[row] for row in found.rivals if not _failed(evidence.of(number[row]))]
    chosen = {number[row] for row in found.timed} if left else set()
    if left:
        chosen |= {i for i in _wanted_besides(evidence, ids) if not _failed(evidence.of(i))}
    counts = times.found.counts[able]
    return Rivals(
        tuple(i for i in ids if i in chosen and not _failed(evidence.of(i))),
        tuple(left),
        int(counts.max()) if len(counts) else 0,
        found,
        able,
        base if base in found.timed and base not in found.rivals else None,
    )


def _wanted_besides(evidence: Evidence, ids: Sequence[int]) -> set[int]:
    """Those timed though they can't win: kept by the user, or all that miss a limit where none is set aside."""
    last = {d.contender_id: d for d in evidence.decisions}
    kept = {i for i in ids if i in last and last[i].kind == KEPT}
    if not evidence.facts.conduct.set_aside:
        kept |= {s.contender.id for s in evidence.summaries if s.contender.id in ids and s.reasons}
    return kept


def _failed(s: Summary | None) -> bool:
    return s is None or (bool(s.runs) and s.runs[-1].state == "failed")


BEYOND = 30
"""When the limit of rounds is reached, the plan says what up to so many more would take."""


FARTHEST = 100
"""No plan looks farther ahead, whatever limit a study says."""


def plan_of(evidence: Evidence, found: Rivals) -> Ahead | None:
    """What deciding will still take, within the limit of rounds or, once that is reached, beyond it; None before
    everybody has a time, and when nothing is left."""
    if not found.ids or not evidence.times.found.counts[found.able].all():
        return None
    most = evidence.facts.conduct.most_rounds
    most = min(most, found.rounds + FARTHEST) if found.rounds < most else found.rounds + BEYOND
    times = evidence.times.found
    return ahead(position(times, found.able, found.also, evidence.facts.tie_band, found.rounds, most))


def open_words(evidence: Evidence) -> str:
    """What is open and what it would take, where the choice is to be decided and is not; "" else."""
    if not evidence.facts.conduct.looks or evidence.verdict.decided or not evidence.verdict.labels:
        return ""
    found = rivals(evidence, [s.contender.id for s in evidence.summaries if not s.contender.outside])
    plan = plan_of(evidence, found)
    return f"To decide: {rest_words(len(found.open), plan)}." if plan else ""


def changes(evidence: Evidence, found: Rivals) -> list[Decision]:
    """What was decided by this look about who is timed further, and is not on file yet."""
    best = found.contest.best
    last = {d.contender_id: d for d in evidence.decisions}
    choice = next(
        (s for s in evidence.summaries if best and evidence.times.rows[s.contender.id] == best.choice), None
    )
    out = []
    for s in evidence.summaries:
        cid, before = s.contender.id, last.get(s.contender.id)
        if not s.times or (before and before.kind == KEPT) or _failed(s):
            continue
        left = before is not None and before.out
        gain = None if best is None else float(best.gains[evidence.times.rows[cid]])
        if s.reasons:
            if evidence.facts.conduct.set_aside and not (left and before and before.kind == SET_ASIDE):
                out.append(Decision(cid, found.rounds, SET_ASIDE, None, f"not acceptable: {s.reasons[0]}"))
        elif cid in found.open or (choice and cid == choice.contender.id):
            if left:
                out.append(Decision(cid, found.rounds, BACK, gain, "it could be the fastest after all"))
        elif not left and choice and gain is not None and found.able[evidence.times.rows[cid]]:
            out.append(Decision(cid, found.rounds, LEFT_OUT, gain, left_words(gain, choice.contender.label)))
    return out


def left_words(gain: float, choice: str) -> str:
    """ "at the best 12 % slower than x264 fast", "at most 0.4 % faster than x264 fast"."""
    if gain >= 0:
        return f"at most {gain_words(gain)} faster than {choice}"
    return f"at the best {gain_words(1 / (1 + gain) - 1)} slower than {choice}"


def rest_words(still: int, plan: Ahead | None) -> str:
    """ "3 could still win; about 8 more runs, 40 s (15 s to 2 min)"."""
    words = f"{still} could still win"
    if plan is None:
        return words
    span = f"{seconds_words(plan.seconds_low)} to {seconds_words(plan.seconds_high)}"
    runs = f"about {plan.runs} more runs ({plan.runs_low} to {plan.runs_high})"
    said = f"{words}; {runs}, {seconds_words(plan.seconds)} ({span})"
    if plan.undecided >= 0.1:
        said += f"; {100 * plan.undecided:.0f} % likely to reach the limit of rounds undecided"
    return said
