"""The verdict in sentences, the same wherever it is said."""

from collections.abc import Callable

from ovrik.analysis.choice.verdict import Answer, Faster, Outcome, Verdict, unchecked
from ovrik.report.words.phrases import NAMED, gain_words, listed, others
from ovrik.report.words.reasons import first_reason, reason_words, wanting_words
from ovrik.report.words.whole_cost import included
from ovrik.work.answers.over_kinds import OverKinds
from ovrik.work.evidence.gathered import Evidence

Label = Callable[[int | None], str]


def lead_of(e: Evidence) -> str:
    """Who the choice is, and what a rival could still gain; or why there is none."""
    return _lead(e.verdict, e.label, e.facts.worth.delivered, included(e))


def why_not_of(e: Evidence) -> str:
    """What spoke against those that were faster, or against all."""
    return _why_not(e.verdict, e.label)


def sentence_of(e: Evidence) -> str:
    """Both."""
    return f"{lead_of(e)} {why_not_of(e)}".strip()


def lead_over(found: OverKinds) -> str:
    """The same over all kinds of footage."""
    return _lead(found.verdict, found.each[0].label, found.each[0].facts.worth.delivered)


def why_not_over(found: OverKinds) -> str:
    """The same over all kinds of footage."""
    return _why_not(found.verdict, found.each[0].label)


def sentence_over(found: OverKinds) -> str:
    """Both, over all kinds of footage."""
    return f"{lead_over(found)} {why_not_over(found)}".strip()


def faster_words(f: Faster, label: str) -> str:
    """One that was faster, and what spoke against it."""
    return f"{label} ({f.cost_s:.2f} s): {reason_words(f.reason) if f.reason else wanting_words(f.wanting)}"


def _lead(v: Verdict, label: Label, delivered: bool, with_first: str = "") -> str:
    if v.outcome is Outcome.UNTIMED:
        return "No verdict yet: nothing has been timed."
    if v.outcome is Outcome.WAITING:
        if some := unchecked(v):
            return f"No verdict yet: {listed([label(i) for i in some])} still to be checked."
        wanting = wanting_words(v.places[v.waiting[0]].by.wanting)
        return f"No verdict yet: of {listed([label(i) for i in v.waiting])} {wanting}."
    if v.outcome is Outcome.NOTHING:
        nearest = f"; {label(v.nearest)} comes nearest" if v.nearest is not None else ""
        return f"Nothing timed is acceptable{nearest}."
    return _choice(v, label, "deliver" if delivered else "export", with_first)


def _choice(v: Verdict, label: Label, to: str, with_first: str) -> str:
    name, gain = label(v.choice), v.gain or 0.0
    lead = f"{name} is the fastest acceptable way to {to}, at {v.choice_s:.2f} s{with_first}"
    if not any(p.answer for i, p in v.places.items() if i != v.choice):
        return f"{lead}; no other is acceptable."
    if not v.decided:
        rivals = v.could_be_faster
        each = "could still be" if len(rivals) == 1 else "could each still be"
        return (
            f"{name} leads the acceptable ones at {v.choice_s:.2f} s{with_first}, but "
            f"{listed([label(i) for i in rivals])} {each} faster, by up to {gain_words(gain)}."
        )
    # Once decided, "can't be told" adds nothing to the bound but names.
    ties = [label(i) for i in v.with_answer(Answer.TIE)]
    also = f" {listed(ties)} {'tie' if len(ties) > 1 else 'ties'} with it." if ties else ""
    if gain <= 0:
        return f"{lead}: no other acceptable one is faster (95 %, all together).{also}"
    return (
        f"{lead}: no other acceptable one is more than {gain_words(gain)} faster (95 %, all together).{also}"
    )


def _why_not(v: Verdict, label: Label) -> str:
    if v.outcome is Outcome.NOTHING:
        found = [(i, p.by.reasons) for i, p in v.places.items() if p.by.reasons]
        said = "; ".join(f"{label(i)}: {first_reason(reasons)}" for i, reasons in found[:NAMED])
        return f"{said}{others(len(found) - NAMED)}."
    if v.choice is None:
        return ""
    if not v.faster:
        return "Nothing timed was faster."
    said = "; ".join(faster_words(f, label(f.contender_id)) for f in v.faster[:NAMED])
    return f"Faster, but not acceptable: {said}{others(len(v.faster) - NAMED)}."
