"""The evidence as a table for a terminal."""

import textwrap

from ovrik.report.words.choice import choice_of
from ovrik.report.words.factors import effect_words
from ovrik.report.words.numbers import (
    answer_words,
    assumed_words,
    how_timed,
    near_words,
    number,
    own_time_words,
    quality_words,
    ratio_words,
    saved_words,
    size_words,
    spread_words,
    state_words,
    together_words,
    unlike,
)
from ovrik.report.words.phrases import table
from ovrik.report.words.progress import changes_words, open_words, order_words
from ovrik.report.words.reasons import damaged_words, how_disturbed, reasons_words
from ovrik.report.words.verdict import lead_of, sentence_of, sentence_over
from ovrik.report.words.whole_cost import cost_lines, costs_apart, payoff_words
from ovrik.report.words.worth import HEADINGS as WORTH_HEADINGS
from ovrik.report.words.worth import worth_rows, worth_sentence
from ovrik.study.contender.losses import losses_together, programme_losses, recipe_losses
from ovrik.work.answers.factors import factors
from ovrik.work.answers.over_kinds import OverKinds
from ovrik.work.checking.blind import told_words
from ovrik.work.evidence.gathered import Evidence
from ovrik.work.evidence.summary import Summary

HEAD = (
    "contender",
    "rounds",
    "time s",
    "spread",
    "against baseline",
    "time saved",
    "× real time",
    "fps",
    "answer",
    "size",
    "MB/min",
    "VMAF",
    "harmonic",
    "5 %",
    "state",
)


def verdict_text(evidence: Evidence, over: OverKinds | None = None) -> str:
    """Table, reasons and sentence, ready to print; with all kinds of footage, where factors are asked over those."""
    ranked = sorted(evidence.summaries, key=lambda s: s.entrant.order)
    name = f": excerpt “{evidence.excerpt_name}”" if evidence.excerpt_name else ""
    odd = filter(None, (damaged_words(evidence.facts), how_disturbed(r for s in ranked for r in s.runs)))
    lines = [evidence.facts.title + name, *(f"{words[0].upper()}{words[1:]}." for words in odd), ""]
    lines += [*_ranking(ranked, costs_apart(evidence)), ""]
    lines += [f"  {s.contender.label}: {'; '.join(reasons_words(s.reasons))}" for s in ranked if s.reasons]
    lines += [
        f"  {s.contender.label} {s.apart.warning} (against the baseline)" for s in ranked if s.apart.warning
    ]
    lines += [f"  {s.contender.label}: {how_timed(s)}" for s in ranked if how_timed(s)]
    lines += [f"  {words}" for words in cost_lines(evidence)]
    lines += [f"  {s.contender.label}: {payoff_words(s.payoff)}" for s in ranked if s.payoff]
    if named := evidence.facts.conduct.reference:
        lines.append(
            f"  Outputs are judged against {named}, which was named for it, not against the programme."
        )
    if evidence.facts.worth.delivered:
        lines.append(
            "  What is compared is the time until the file has been sent, at "
            f"{evidence.facts.worth.line_mbit_s:g} Mb/s."
        )
    lines.append(f"  {together_words(evidence.comparisons, evidence.looks)}")
    lines += [
        f"  {words}"
        for words in (assumed_words(evidence), near_words(evidence), open_words(evidence))
        if words
    ]
    lines += [f"  Note: {words}." for words in losses_text(evidence)]
    if evidence.order:
        moved = sorted(evidence.order, key=lambda o: not o.trend.clear)
        lines += [f"  Order of the runs: {order_words(o)}." for o in moved]
    if evidence.set_aside:
        lines.append(
            f"  {evidence.set_aside} runs of other footage or another excerpt are on file and don't count here."
        )
    if evidence.machines:
        lines.append(f"  Runs were made on machines, or states of one, that differ in {evidence.machines[0]}")
        lines += [f"    and {words}" for words in evidence.machines[1:]]
    lines += [f"  {words}" for words in seen_lines(evidence)]
    lines += _by_factor(evidence, over)
    lines += ["", *textwrap.wrap(sentence_of(evidence), 98, break_on_hyphens=False)]
    for line in choice_of(evidence).lines:
        if line.head in TOLD:
            lines += textwrap.wrap(f"{line.head}: {'; '.join(line.items or (line.short,))}.", 98)
    if evidence.choice:
        rows = [row.cells for row in worth_rows(evidence) if row.used.found]
        lines += ["", *textwrap.wrap(f"Worth: {worth_sentence(evidence)}", 98), ""]
        lines += table([[h.lower() for h in WORTH_HEADINGS], *rows])
    return "\n".join(lines)


def _ranking(ranked: list[Summary], costs: bool) -> list[str]:
    """The table; with whole costs where they are other than times."""
    rows = [(*row[:4], number(s.cost_s), *row[4:]) if costs else row for s in ranked for row in [_cells(s)]]
    return table([(*HEAD[:4], "whole cost s", *HEAD[4:]) if costs else HEAD, *rows])


TOLD = ("Ties", "Would change it", "Nearest")
"""Lines of the choice that the sentence of the verdict does not say."""


def _by_factor(evidence: Evidence, over: OverKinds | None) -> list[str]:
    """What each level brings, where pairs tell."""
    found = factors(evidence, over)
    said = [effect_words(found, f, x) for f in found.effects for x in f.levels]
    return [f"  By factor: {words}" for words in said]


def kinds_text(found: OverKinds) -> str:
    """The verdict over all kinds of footage, and on each."""
    first = found.each[0]
    head = ["contender", *(f"{k.name} s" for k in found.kinds), "over all s", "against baseline", "over all"]
    rows = []
    for row, s in enumerate(first.summaries):
        its_id = s.contender.contender_id
        every = [e.of(its_id) for e in found.each]
        times = [
            f"{number(found.seconds(k, its_id))}{'' if x.acceptable else ' ✕' if x.reasons else ' ?'}"
            for k, x in enumerate(every)
            if x
        ]
        said = found.verdict.place(its_id).answer or ""
        rows.append(
            [
                s.contender.label,
                *times,
                number(found.usual_s(row)),
                ratio_words(found.ratios.get(s.contender.contender_id)) + unlike(s),
                said,
            ]
        )
    weights = ", ".join(f"{k.name} {k.weight:g}" for k in found.kinds)
    lines = ["Over all kinds of footage", "", *table([head, *rows]), ""]
    lines.append(
        f"  Weights: {weights}. Over all is the weighted geometric mean; ✕ not acceptable, ? not judged."
    )
    for kind, e in zip(found.kinds, found.each, strict=True):
        lines.append(f"  On {kind.name}: {lead_of(e)}")
    if said := changes_words(found):
        lines.append(f"  The winner changes with the footage: {said}.")
    lines += ["", *textwrap.wrap(f"Over all: {sentence_over(found)}", 98, break_on_hyphens=False)]
    return "\n".join(lines)


def seen_lines(evidence: Evidence) -> list[str]:
    """What people saw: notes, and blind comparisons."""
    names = {r.output_sha256: s.contender.label for s in evidence.summaries for r in s.runs}
    labels = {s.contender.contender_id: s.contender.label for s in evidence.summaries}
    lines = [
        f"Seen in {labels[p.contender_id]}, frame {p.frame}: {' '.join(p.words.split())}"
        for p in evidence.pins
        if p.contender_id in labels
    ]
    for b in evidence.blinds:
        one, other = (names.get(key, "the reference") for key in (b.one, b.other))
        lines.append(f"Blind, {b.viewer}: {one} against {other}. {told_words(b, one, other)}")
    return lines


def losses_text(evidence: Evidence) -> list[str]:
    """What the exports lose of their source."""
    p = evidence.programme
    by_label = {
        s.contender.label: (*recipe_losses(p, s.contender.recipe), *s.other_forms) for s in evidence.summaries
    }
    return [*programme_losses(p), *losses_together(by_label)]


def _cells(s: Summary) -> tuple[str, ...]:
    return (
        s.contender.label,
        str(s.rounds),
        own_time_words(s),
        spread_words(s),
        ratio_words(s.ratio),
        saved_words(s.ratio),
        number(s.times_real_time, 2),
        number(s.fps, 1),
        answer_words(s),
        size_words(s.bytes),
        number(s.mb_per_minute, 1),
        quality_words(s.vmaf.mean if s.vmaf else None, 1, s.sampled),
        quality_words(s.vmaf.harmonic if s.vmaf else None, 1, s.sampled),
        quality_words(s.vmaf.p5 if s.vmaf else None, 1, s.sampled),
        state_words(s),
    )
