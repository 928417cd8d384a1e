"""The whole cost in words: what comes first, the export, the upload."""

from statistics import geometric_mean

from ovrik.analysis.choice.delivered import upload_s
from ovrik.analysis.choice.payoff import Payoff
from ovrik.report.words.numbers import NONE, own_time_words, size_words
from ovrik.report.words.phrases import listed
from ovrik.store.records.made import PreparationKind
from ovrik.work.evidence.first import ComesFirst
from ovrik.work.evidence.gathered import Evidence
from ovrik.work.evidence.summary import Summary

KINDS = {PreparationKind.PRE_RENDER: "pre-render", PreparationKind.ANALYSIS: "stabilisation analysis"}
INCLUDED = ", what comes first included"


def costs_apart(e: Evidence) -> bool:
    """Whether whole costs are other than usual times of any contender."""
    return e.costs is not e.times.found


def cost_title(e: Evidence) -> str:
    """What an axis of costs is called."""
    if e.facts.worth.delivered:
        return "Time until it is delivered"
    return "Whole cost" if costs_apart(e) else "Usual time"


def included(e: Evidence) -> str:
    """What is to be added to the choice's time, in a clause; "" where nothing comes first of it or nobody waits."""
    return INCLUDED if e.choice and e.choice.first_s and e.facts.worth.first_waits else ""


def name_of(step: ComesFirst) -> str:
    """What it is, in a word or two."""
    return "entered by hand" if step.entered else KINDS.get(step.kind, str(step.kind))


def step_words(step: ComesFirst) -> str:
    """ "pre-render 8.49 s (3 times, 8.2 to 8.9 s, 13.8 MB)"."""
    name = name_of(step)
    if not step.times:
        return f"{name} not timed"
    if step.entered:
        return f"{name} {step.times[-1]:.2f} s"
    more = [_often(step.times)]
    more += [size_words(step.bytes)] if step.bytes and step.kind is PreparationKind.PRE_RENDER else []
    return f"{name} {geometric_mean(step.times):.2f} s ({', '.join(more)})"


def _often(times: tuple[float, ...]) -> str:
    if len(times) == 1:
        return "timed once"
    return f"{len(times)} times, {min(times):.2f} to {max(times):.2f} s"


def first_words(s: Summary) -> str:
    """What comes first of it, all of it; "" where nothing does."""
    return ", ".join(step_words(step) for step in s.first)


def cost_words(s: Summary, e: Evidence) -> str:
    """What the whole cost is made of: "11.59 s = 3.10 s + 8.49 s first"; "" where it is the usual time."""
    worth = e.facts.worth
    if s.cost_s is None or s.usual_s is None:
        return ""
    parts = [f"{s.usual_s:.2f} s export"]
    if s.first_s and worth.first_waits:
        over = f" over {worth.exports_a_film:g} exports" if worth.exports_a_film > 1 else ""
        parts.append(f"{s.first_s:.2f} s first{over}")
    if worth.delivered and s.bytes:
        parts.append(f"{upload_s(s.bytes, worth.line_mbit_s):.2f} s upload")
    return f"{s.cost_s:.2f} s: {' + '.join(parts)}" if len(parts) > 1 else ""


def time_words(s: Summary, e: Evidence) -> str:
    """Its usual time, and its share of what comes first where somebody waits for that: "3.10 + 9.03 s"."""
    if s.usual_s is None:
        return NONE
    worth = e.facts.worth
    first = s.first_s / worth.exports_a_film if s.first_s and worth.first_waits else 0.0
    return f"{own_time_words(s)}{f' + {first:.2f}' if first else ''} s"


def cost_lines(e: Evidence) -> list[str]:
    """A line for each thing that comes first, with those that need it."""
    needing: dict[tuple[str, ...], list[Summary]] = {}
    for s in e.summaries:
        if s.first and s.usual_s is not None:
            needing.setdefault(tuple(step.key for step in s.first), []).append(s)
    waits = "" if e.facts.worth.first_waits else "; nobody waits for it"
    return [
        f"First, for {listed([s.contender.label for s in some])}: {first_words(some[0])}{waits}"
        for some in needing.values()
    ]


def payoff_words(payoff: Payoff) -> str:
    """When what comes first has paid for itself, in a sentence."""
    size = f", {size_words(payoff.bytes)}" if payoff.bytes else ""
    words = f"{payoff.from_s:.2f} s from it, {payoff.direct_s:.2f} s directly"
    cost = f"what comes first ({payoff.prerender_s:.2f} s{size})"
    between = f"{payoff.low} to {payoff.high if payoff.high is not None else 'never'}, 95 %"
    if payoff.low is None:
        return f"{cost} never pays for itself: {words}"
    if payoff.exports is None:
        return f"whether {cost} ever pays for itself can't be told: {words}"
    if payoff.high is None:
        return (
            f"{cost} seems to have paid for itself with export {payoff.exports} of the same film, which can't be "
            f"told ({between}): {words}"
        )
    known = "" if payoff.low == payoff.high else f" ({between})"
    return f"{cost} has paid for itself with export {payoff.exports} of the same film{known}: {words}"
