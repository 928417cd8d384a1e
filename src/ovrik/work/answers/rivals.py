"""Who is timed in the next round while the choice is decided, and what changed about that."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from ovrik.analysis.choice.contest import Contest, contest
from ovrik.analysis.choice.entrant import ranks
from ovrik.analysis.times.ahead import Ahead, ahead, position
from ovrik.store.records.decision import BACK, KEPT, LEFT_OUT, SET_ASIDE, Decision
from ovrik.work.evidence.gathered import Evidence
from ovrik.work.evidence.summary import Summary


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
    """Who could still win among these contenders: those that are acceptable, or whose output is not checked yet. What
    counts is what the choice goes by, the whole cost."""
    times, costs, facts = evidence.times, evidence.costs, evidence.facts
    ids_by_row = {row: i for i, row in times.rows.items()}
    able = np.zeros(len(times.found.logs), bool)
    for s in evidence.summaries:
        able[s.entrant.row] = s.contender.contender_id in ids and not s.reasons
    base = times.base if facts.baseline_id in ids and not failed(evidence.of(facts.baseline_id)) else None
    rank = ranks(evidence.entrants, len(able))
    found = contest(costs, able, base, facts.tie_band, evidence.looks, rank)
    left = [ids_by_row[row] for row in found.rivals if not failed(evidence.of(ids_by_row[row]))]
    chosen = {ids_by_row[row] for row in found.timed} if left else set()
    if left:
        chosen |= _wanted_besides(evidence, ids)
    counts = times.found.counts[able]
    return Rivals(
        ids=tuple(i for i in ids if i in chosen and not failed(evidence.of(i))),
        open=tuple(left),
        rounds=int(counts.max()) if len(counts) else 0,
        contest=found,
        able=able,
        also=base if base in found.timed and base not in found.rivals else None,
    )


def _wanted_besides(evidence: Evidence, ids: Sequence[int]) -> set[int]:
    """Those timed though they can't win: kept by the user, or all that miss a limit where none is set aside."""
    last = {d.contender_id: d for d in evidence.decisions}
    kept = {i for i in ids if i in last and last[i].kind == KEPT}
    if not evidence.facts.conduct.set_aside:
        kept |= {
            s.contender.contender_id
            for s in evidence.summaries
            if s.contender.contender_id in ids and s.reasons
        }
    return kept


def failed(s: Summary | None) -> bool:
    """Whether a contender is gone, or its last run failed."""
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
    costs, runs, band = evidence.costs, evidence.times.found.logs, evidence.facts.tie_band
    return ahead(position(costs, found.able, found.also, band, found.rounds, most, runs))


@dataclass(frozen=True)
class Rest:
    """What is open while rounds are added until it is decided. Fields: `open`, how many could still win, or how many
    comparisons are open; `plan`, what deciding will take, None where that can't be told; `rounds_left`, how many more
    rounds at most, and `seconds` of machine time for them, of comparisons with the baseline, None likewise."""

    open: int
    plan: Ahead | None = None
    rounds_left: int | None = None
    seconds: float | None = None


def still_open(evidence: Evidence) -> Rest | None:
    """What is open and what it would take, where the choice is to be decided and is not; None else."""
    if not evidence.facts.conduct.looks or evidence.verdict.decided or evidence.verdict.choice is None:
        return None
    found = rivals(
        evidence, [s.contender.contender_id for s in evidence.summaries if not s.contender.outside]
    )
    plan = plan_of(evidence, found)
    return Rest(len(found.open), plan) if plan else None


def changes(evidence: Evidence, found: Rivals) -> list[Decision]:
    """What was decided by this look about who is timed further, and is not on file yet."""
    best = found.contest.best
    last = {d.contender_id: d for d in evidence.decisions}
    choice = next((s for s in evidence.summaries if best and s.entrant.row == best.choice), None)
    out = []
    for s in evidence.summaries:
        cid, before = s.contender.contender_id, last.get(s.contender.contender_id)
        if not s.times or (before and before.kind == KEPT) or failed(s):
            continue
        left = before is not None and before.out
        gain = None if best is None else float(best.gains[s.entrant.row])
        if s.reasons:
            if evidence.facts.conduct.set_aside and not (left and before and before.kind == SET_ASIDE):
                out.append(Decision(cid, found.rounds, SET_ASIDE, why=s.reasons[0]))
        elif cid in found.open or s is choice:
            if left:
                out.append(Decision(cid, found.rounds, BACK, gain))
        elif not left and choice and gain is not None and found.able[s.entrant.row]:
            out.append(Decision(cid, found.rounds, LEFT_OUT, gain, choice.contender.contender_id))
    return out
