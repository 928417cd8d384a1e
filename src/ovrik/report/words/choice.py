"""The choice in a few lines: who, by how much, what was faster and why it failed, what ties, what would change it."""

from dataclasses import dataclass

import numpy as np

from ovrik.analysis.choice.best import against
from ovrik.analysis.choice.changes import Change
from ovrik.analysis.choice.entrant import Standing, standings
from ovrik.analysis.choice.verdict import Answer, Outcome
from ovrik.analysis.times.ratio import Ratio
from ovrik.report.words.numbers import (
    figures,
    own_time_words,
    quality_words,
    ratio_words,
    saved_words,
    size_words,
    unlike,
)
from ovrik.report.words.phrases import gain_words, seconds_words
from ovrik.report.words.reasons import damaged_words, first_reason, how_disturbed
from ovrik.report.words.verdict import faster_words, lead_of
from ovrik.report.words.whole_cost import cost_words, costs_apart
from ovrik.work.answers.what_if import WhatIf, what_if
from ovrik.work.evidence.gathered import Evidence
from ovrik.work.evidence.summary import Summary


@dataclass(frozen=True)
class Line:
    """Fields: `head`, what it is about, in a word or two; `short`, in one line; `items`, all of it, one for each."""

    head: str
    short: str
    items: tuple[str, ...] = ()

    @property
    def more(self) -> int:
        """How many there are that the short line does not name."""
        return max(len(self.items) - 1, 0)


@dataclass(frozen=True)
class ChoiceShown:
    """Fields: `title`, the contender that is chosen, or what there is instead; `contender_id`, 0
    without one; `claim`, how far that is decided, in a clause; `figures`, pairs of a heading and what stands under
    it; `lines`, what was faster, what ties, what would change it; `if_` behind them."""

    title: str
    contender_id: int
    claim: str
    figures: tuple[tuple[str, str], ...]
    lines: tuple[Line, ...]
    if_: WhatIf


def choice_of(e: Evidence) -> ChoiceShown:
    """All of it, from evidence alone."""
    chosen = e.choice
    if chosen is None:
        lines = [*_nearest(e), _against(e)]
        return ChoiceShown(
            title=lead_of(e),
            contender_id=0,
            claim=claim_words(e),
            figures=(),
            lines=tuple(line for line in lines if line),
            if_=WhatIf(),
        )
    asked = what_if(e)
    lines = [_faster(e), _ties(e), _open(e), _changes(e, asked)]
    return ChoiceShown(
        title=chosen.contender.label,
        contender_id=chosen.contender.contender_id,
        claim=claim_words(e),
        figures=tuple(_figures(chosen, e)),
        lines=tuple(line for line in lines if line),
        if_=asked,
    )


def claim_words(e: Evidence) -> str:
    """What is claimed of the choice, with its bound; of how many runs something else disturbed; what is damaged."""
    disturbed = how_disturbed(r for s in e.summaries for r in s.runs)
    return "; ".join(filter(None, (_bound_words(e), disturbed, damaged_words(e.facts))))


def _bound_words(e: Evidence) -> str:
    v = e.verdict
    what = "first to be delivered" if e.facts.worth.delivered else "fastest acceptable"
    if v.gain is None:
        return ""
    if not any(p.answer for i, p in v.places.items() if i != v.choice):
        return f"{what}: no other is acceptable"
    if not v.decided:
        return f"leads, not decided: an acceptable rival could still be up to {gain_words(v.gain)} faster"
    if v.gain <= 0:
        return f"{what}: no other acceptable one is faster (95 %, all together)"
    return f"{what}: no other acceptable one is more than {gain_words(v.gain)} faster (95 %, all together)"


def _figures(s: Summary, e: Evidence) -> list[tuple[str, str]]:
    base = e.of(e.facts.baseline_id)
    versus = f"against {base.contender.label}" if base else "against the baseline"
    if base is s:
        out = [("against the baseline", "it is the baseline")]
    else:
        ratio = _aimed_ratio(s, e)
        out = [(versus, f"{ratio_words(ratio)}, {saved_words(ratio)}{unlike(s)}")]
    out.append(("usual time", f"{own_time_words(s)} s"))
    if s.first and not e.facts.worth.first_waits:
        out.append(("first, nobody waits", f"{s.first_s or 0.0:.2f} s"))
    if whole := cost_words(s, e):
        out.append(("whole cost", whole))
    if s.bytes:
        out.append(("size", size_words(s.bytes)))
    if s.vmaf and e.facts.limits.get("vmaf_mean") is None:
        out.append(("quality", f"VMAF {quality_words(s.vmaf.mean, 1, s.sampled)}"))
    out += [spare_words(x) for x in standings(e.facts.limits, s.measured) if x.margin is not None]
    return out


def _aimed_ratio(s: Summary, e: Evidence) -> Ratio | None:
    """Against the baseline, of whole costs."""
    if not costs_apart(e) or e.times.base is None:
        return s.ratio
    rows = np.array(sorted(e.times.rows.values()), int)
    found = against(e.costs, e.times.base, rows, e.looks)
    return found.get(e.times.rows[s.contender.contender_id])


def spare_words(x: Standing) -> tuple[str, str]:
    """A limit, and how far a value is within it: ("VMAF mean ≥ 93", "93.8, 0.8 to spare")."""
    kind, value = x.kind, x.value or 0.0
    head = f"{kind.heading} {'≥' if kind.floor else '≤'} {x.limit:g} {kind.unit}".strip()
    away = f"{abs(x.margin or 0.0):.{kind.digits}f}"
    how = "to spare" if not x.missed else "too little" if kind.floor else "too much"
    return head, f"{value:.{kind.digits}f}, {away} {how}"


def _faster(e: Evidence) -> Line | None:
    found = e.verdict.faster
    if not found:
        return Line("Faster", "Nothing that was timed is faster.")
    items = tuple(faster_words(f, e.label(f.contender_id)) for f in found)
    count = "One was" if len(found) == 1 else f"{len(found)} were"
    first = "it" if len(found) == 1 else "the fastest"
    return Line("Faster", f"{count} faster, not acceptable; {first}, {items[0]}", items)


def _ties(e: Evidence) -> Line | None:
    ties = [s for i in e.verdict.with_answer(Answer.TIE) if (s := e.of(i))]
    if not ties:
        return None
    items = tuple(
        f"{s.contender.label}: {own_time_words(s)} s, {size_words(s.bytes)}"
        + (f", VMAF {quality_words(s.vmaf.mean, 1, s.sampled)}" if s.vmaf else "")
        for s in ties
    )
    verb = "One ties with it" if len(items) == 1 else f"{len(items)} tie with it; the fastest"
    return Line("Ties", f"{verb}: {items[0]}", items)


def _open(e: Evidence) -> Line | None:
    v = e.verdict
    if v.decided or not v.could_be_faster:
        return None
    items = tuple(f"{e.label(i)}: by up to {gain_words(v.places[i].gain or 0.0)}" for i in v.could_be_faster)
    count = "One could" if len(items) == 1 else f"{len(items)} could"
    return Line("Open", f"{count} still be faster; most of all {items[0]}", items)


def _changes(e: Evidence, asked: WhatIf) -> Line | None:
    items = [change_words(c, e) for c in asked.changes]
    if asked.line:
        first = e.label(asked.line.contender_id)
        items.append(f"an upload line slower than {figures(asked.line.at)} Mb/s: {first} is delivered first")
    if asked.exports:
        items.append(
            f"from export {asked.exports.at:.0f} of the same film on: {e.label(asked.exports.contender_id)}, which "
            "needs more first and less for each"
        )
    if asked.fewer:
        several = (
            f"{asked.fewer.at:.0f} exports of a film or fewer"
            if asked.fewer.at > 1
            else "one export of a film"
        )
        items.append(f"with {several}: {e.label(asked.fewer.contender_id)}")
    if asked.length:
        seconds = asked.length.at * e.facts.excerpt.frames / float(e.programme.rate)
        label = e.label(asked.length.contender_id)
        items.append(
            f"a programme longer than about {seconds_words(seconds)}: {label}, which pays more once and keeps a "
            "better pace"
        )
    if not items:
        return Line("Would change it", "Nothing that was tried: no limit, line, length or number of exports.")
    return Line("Would change it", items[0], tuple(items))


def change_words(c: Change, e: Evidence) -> str:
    """ "a floor on mean VMAF of 94.3: x265 fast instead, at 6.20 s"."""
    kind = c.kind
    what = f"a {'floor' if kind.floor else 'ceiling'} on {kind.title} of {kind.words(c.to)}"
    if c.choice is None:
        return f"{what}: nothing would be acceptable"
    return f"{what}: {e.label(c.choice)} instead, at {c.cost_s:.2f} s"


def _nearest(e: Evidence) -> list[Line]:
    if e.verdict.outcome is not Outcome.NOTHING or e.verdict.nearest is None:
        return []
    moves = [
        f"{'lower' if x.kind.floor else 'raise'} the {'floor' if x.kind.floor else 'ceiling'} on {x.kind.title} by "
        f"{x.kind.words(_up(abs(x.margin or 0.0), x.kind.digits))}, to {x.kind.words(_within(x))}"
        for x in e.verdict.place(e.verdict.nearest).by.missed
    ]
    return [Line("Nearest", f"{e.label(e.verdict.nearest)}: {', and '.join(moves)}")]


def _up(value: float, digits: int) -> float:
    tick = 10.0**-digits
    return -(-value // tick) * tick


def _within(x: Standing) -> float:
    away = _up(abs(x.margin or 0.0), x.kind.digits)
    return x.limit - away if x.kind.floor else x.limit + away


def _against(e: Evidence) -> Line | None:
    found = sorted(
        (s for s in e.summaries if s.usual_s is not None and s.reasons), key=lambda s: s.entrant.order
    )
    if not found:
        return None
    items = tuple(f"{s.contender.label} ({own_time_words(s)} s): {first_reason(s.reasons)}" for s in found)
    count = "One was timed" if len(items) == 1 else f"{len(items)} were timed; the fastest"
    return Line("Not acceptable", f"{count}: {items[0]}", items)
