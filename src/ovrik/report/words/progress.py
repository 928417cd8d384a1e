"""What goes on, and what is still open, in words: rests, what is left, how times moved, where a winner changes."""

from collections.abc import Callable, Sequence

from ovrik.analysis.times.ahead import Ahead
from ovrik.report.words.phrases import listed, seconds_words
from ovrik.report.words.reasons import disturbed_words
from ovrik.work.answers.over_kinds import OverKinds, places_on
from ovrik.work.answers.rivals import Rest, still_open
from ovrik.work.evidence.gathered import Evidence
from ovrik.work.evidence.order_effects import Along, Cause, Meanwhile, OrderEffect
from ovrik.work.timing.fairness import Waiting
from ovrik.work.timing.update import TimingUpdate


def waiting_words(w: Waiting) -> str:
    """A rest that goes on."""
    who = f" ({', '.join(w.who)})" if w.who else ""
    return f"waits for the {w.for_what} to come back{who}: {w.took_s:.0f} of at most {w.most_s:.0f} s"


def where_words(update: TimingUpdate) -> str:
    """ "round 3", "warm-up", "round 3 once more: other programs used 90 % of the processors"."""
    if update.again:
        return f"round {update.planned.round} once more: {disturbed_words(update.again)}"
    return "warm-up" if update.planned.warmup else f"round {update.planned.round}"


def rest_words(rest: Rest | None) -> str:
    """ "3 could still win; about 8 more runs, 40 s (15 s to 2 min)"; "" where nothing is asked."""
    if rest is None:
        return ""
    if rest.rounds_left is not None:
        took = f" ({seconds_words(rest.seconds)})" if rest.seconds else ""
        many = "s" * (rest.open > 1)
        return f"{rest.open} comparison{many} open, at most {rest.rounds_left} more rounds{took}"
    words = f"{rest.open} could still win"
    return f"{words}; {_plan_words(rest.plan)}" if rest.plan else words


def _plan_words(plan: Ahead) -> str:
    span = f"{seconds_words(plan.seconds_low)} to {seconds_words(plan.seconds_high)}"
    runs = f"about {plan.runs} more runs ({plan.runs_low} to {plan.runs_high})"
    said = f"{runs}, {seconds_words(plan.seconds)} ({span})"
    if plan.undecided >= 0.1:
        said += f"; {100 * plan.undecided:.0f} % likely to reach the limit of rounds undecided"
    return said


def open_words(e: Evidence) -> str:
    """What is open and what it would take, where the choice is to be decided and is not; "" else."""
    rest = still_open(e)
    return f"To decide: {rest_words(rest)}." if rest else ""


def order_words(o: OrderEffect) -> str:
    """What times did along the runs: "exports became 30 % slower over 10 min (17 to 44 %); meanwhile the machine
    became 9 °C warmer"; or that nothing is clear."""
    span = f"{60 * o.hours:.0f} min" if o.hours < 2 else f"{o.hours:.1f} h"
    t = o.trend
    if not t.clear:
        where = {Along.HOUR: f"over {span}", Along.PLACE: "along the rounds", Along.LATER: "after first runs"}
        bounds = f"{100 * t.low:+.0f} to {100 * t.high:+.0f} %".replace("-", "−")
        return f"no clear change {where[o.along]} ({bounds})"
    ends = sorted((abs(t.low), abs(t.high)))
    said, slower = f"{100 * abs(t.change):.0f} %", t.change > 0
    bounds = f"({100 * ends[0]:.0f} to {100 * ends[1]:.0f} %)"
    return {
        Along.HOUR: f"exports became {said} {'slower' if slower else 'faster'} over {span} {bounds}",
        Along.PLACE: f"the last of a round took {said} {'longer' if slower else 'less'} than the first {bounds}",
        Along.LATER: f"later runs took {said} {'longer' if slower else 'less'} than each first one {bounds}",
    }[o.along] + _cause_words(o.causes)


def _cause_words(causes: Sequence[Cause]) -> str:
    if not causes:
        return ""
    return f"; meanwhile {listed([CAUSES[c.what](c.early, c.late) for c in causes])}"


CAUSES: dict[Meanwhile, Callable[[float, float], str]] = {
    Meanwhile.WARMER: lambda early, late: (
        f"the machine became {abs(late - early):.0f} °C {'warmer' if late > early else 'cooler'}"
    ),
    Meanwhile.CLOCK: lambda early, late: f"its clock went from {early:.0f} to {late:.0f} MHz",
    Meanwhile.OTHERS: lambda early, late: (
        f"other programs used {100 * late:.0f} % of the processors instead of {100 * early:.0f} %"
    ),
    Meanwhile.HOST: lambda early, late: (
        f"the virtual machine's host took {100 * late:.0f} % of the processors instead of {100 * early:.0f} %"
    ),
}
"""What changed while times did, in a clause, from what it was early and late."""


PLACES = ("first", "second", "third", "fourth", "fifth", "sixth", "seventh", "eighth", "ninth", "tenth")


def changes_words(found: OverKinds) -> str:
    """Where the winner changes with the footage: "SVT-AV1 8 is fastest on interview, third on sport; x264 medium is
    fastest on sport, second on interview". "" where it does not."""
    parts = []
    for winner, places in places_on(found).items():
        first = [name for name, place in places.items() if place == 1]
        rest = [
            f"{_place(found, winner, name, place)} on {name}" for name, place in places.items() if place != 1
        ]
        parts.append(", ".join([f"{found.each[0].label(winner)} is fastest on {listed(first)}", *rest]))
    return "; ".join(parts)


def _place(found: OverKinds, contender_id: int, kind: str, place: int | None) -> str:
    if place is not None:
        return PLACES[place - 1] if place <= len(PLACES) else f"{place}th"
    on = next(e for k, e in found.counting if k.name == kind).of(contender_id)
    return "not acceptable" if on and on.reasons else "open"
