"""The whole report as one self-contained HTML page: no script, no address, nothing to be fetched."""

import shlex
from base64 import b64encode
from collections.abc import Callable, Sequence
from functools import cache
from importlib import resources
from pathlib import Path
from typing import Any

from ovrik import __version__
from ovrik.analysis.choice.tradeoff import edge
from ovrik.machine.workstation.facts import FORMER_ROWS, STUDY_ROWS, TABLE, lasting
from ovrik.report.forms.as_text import losses_text, seen_lines
from ovrik.report.forms.privacy import bare_argument, bare_text
from ovrik.report.forms.svg import SvgMark, interval_svg, trade_off_svg, with_style
from ovrik.report.words.choice import choice_of
from ovrik.report.words.factors import effect_words
from ovrik.report.words.held import conduct_rows, held_words, varied_words
from ovrik.report.words.numbers import (
    assumed_words,
    near_words,
    number,
    own_time_words,
    quality_words,
    ratio_words,
    size_words,
    spread_words,
    state_words,
    together_words,
    unlike,
)
from ovrik.report.words.progress import changes_words, order_words
from ovrik.report.words.reasons import disturbed_words, fell_back_words, first_reason
from ovrik.report.words.sittings import HEAD, pair_words, row_of, shift_words
from ovrik.report.words.verdict import sentence_over
from ovrik.report.words.whole_cost import cost_lines, cost_title, costs_apart, payoff_words
from ovrik.report.words.worth import HEADINGS as WORTH_HEADINGS
from ovrik.report.words.worth import worth_rows, worth_sentence
from ovrik.store.records.run import RunRecord
from ovrik.store.study import Study
from ovrik.study.facts.origin import Origin
from ovrik.study.files.whole_file import write_asked
from ovrik.study.question.limit_kinds import LIMIT_KINDS
from ovrik.work.answers.factors import factors
from ovrik.work.answers.over_kinds import OverKinds
from ovrik.work.answers.sittings import OverSittings
from ovrik.work.checking.report_moments import Shown
from ovrik.work.evidence.gathered import Evidence
from ovrik.work.evidence.summary import Summary

MOST_COMMANDS, FARTHEST = 12, 4.0
METHOD = (
    "Times are wall times of whole exports in shuffled rounds. Usual times, ratios and intervals come from one fit "
    "of log times by contender and round; the bound on what a rival could still gain holds for all together (Hsu). "
    "Quality is scored frame by frame against the treated programme, kept losslessly. Ovrik's docs/method.md has "
    "every formula."
)
STANDING = {
    "choice": "✓ the choice",
    "tie": "✓ ties with it",
    "slower": "✓ acceptable",
    "unsure": "✓ could be faster",
}


PAGE_ENDINGS = (".html", ".htm")
PAGE = "report.html.j2"


@cache
def _template(name: str) -> Any:
    from jinja2 import Environment, StrictUndefined

    text = resources.files("ovrik.report").joinpath(f"pages/{name}").read_text("utf-8")
    # Titles, labels and reasons may come from a stranger: everything is escaped but what is drawn here.
    return Environment(autoescape=True, undefined=StrictUndefined).from_string(text)


def report_html(
    e: Evidence,
    over: OverKinds | None = None,
    machines: Sequence[dict[str, Any]] = (),
    private: bool = False,
    moments: Sequence[Shown] = (),
    sittings: OverSittings | None = None,
    lead: bytes = b"",
    printed: bool = False,
) -> str:
    """The page, for a browser or to be `printed`. `machines` are the facts of those that counted runs were made on;
    with `private` folders of files are named, else only the files; `moments` are frames to look at, `lead` is a
    picture to begin with, JPEG."""
    told = _told(e, over, machines, private, moments, sittings)
    if printed and told["picture"]:
        told["picture"] = with_style(told["picture"])
    return str(_template(PAGE).render(**told, lead=_inline(lead) if lead else ""))


def _told(
    e: Evidence,
    over: OverKinds | None,
    machines: Sequence[dict[str, Any]],
    private: bool,
    moments: Sequence[Shown],
    sittings: OverSittings | None,
) -> dict[str, Any]:
    """All that the page says, by the names in its template."""
    ranked = sorted(e.summaries, key=lambda s: s.entrant.order)
    found = factors(e, over)
    up, picture = picture_of(e)
    said = str if private else bare_text
    return {
        "title": e.facts.title,
        "choice": choice_of(e),
        "asked": _asked(e),
        "picture": picture,
        "up": up,
        "together": together_words(e.comparisons, e.looks),
        "starred": any(s.apart.warning and s.ratio for s in ranked),
        "ranking": [_row(s) for s in ranked],
        "costs": costs_apart(e),
        "worth": _worth(e),
        "moments": [_moment(m) for m in moments],
        "factors": [effect_words(found, f, x) for f in found.effects for x in f.levels],
        "kinds": _kinds(over) if over and over.begun else None,
        "sittings": _sittings(sittings) if sittings and len(sittings.each) > 1 else None,
        "mind": [said(words) for words in _mind(e)],
        "odd": [tuple(map(said, _odd(s, r))) for s in e.summaries for r in s.runs if _went_wrong(r)],
        "notes": seen_lines(e),
        "held": held_words(e),
        "varied": varied_words(e),
        "conduct": [(name, said(value)) for name, value in conduct_rows(e)],
        "machine_heads": [f"machine {n}" for n in range(1, len(machines) + 1)] if len(machines) > 1 else [],
        "machine": _machine_rows(machines, said),
        "again": _again(private),
        "commands": [(s.contender.label, _command(s, private)) for s in ranked[:MOST_COMMANDS] if s.counted],
        "method": METHOD,
    }


def _machine_rows(
    machines: Sequence[dict[str, Any]], said: Callable[[str], str]
) -> list[tuple[str, list[str]]]:
    """Each fact of every machine, or of every state of one."""
    titles = {f.key: f.title for f in TABLE} | {f.key: f.title for f in (*STUDY_ROWS, *FORMER_ROWS)}
    keys = list(dict.fromkeys(key for facts in machines for key in facts))
    return [(titles.get(k, k.replace("_", " ")), [said(str(m.get(k, "–"))) for m in machines]) for k in keys]


def _moment(m: Shown) -> dict[str, str]:
    p = m.pictures
    sides = (("output", p.output), ("reference", p.reference), ("difference", p.difference))
    return {
        "label": m.label,
        "words": f"frame {m.frame}: {m.words}",
        **{side: _inline(data) for side, data in sides},
    }


def _inline(picture: bytes) -> str:
    """A JPEG as an address that is the picture itself."""
    return f"data:image/jpeg;base64,{b64encode(picture).decode()}"


def _sittings(over: OverSittings) -> dict[str, Any]:
    """The last sitting against the one before it, and how many there are."""
    before, last = over.each[-2], over.each[-1]
    pair = over.pair(before.sitting.id, last.sitting.id)
    notes = [f"New build: {words}." for words in pair.new_builds]
    notes += [f"{pair.unfair}."] if pair.unfair else ["Nothing else about the machine changed."]
    return {
        "sentence": f"Sitting {last.sitting.id} ({last.sitting.words}) against sitting {before.sitting.id} "
        f"({before.sitting.words}): {pair_words(pair)}",
        "heads": HEAD,
        "rows": [row_of(c) for c in pair.changed],
        "notes": [*notes, shift_words(over.shift)],
    }


def _again(private: bool) -> str:
    left = "" if private else "folders are left out; "
    said = f"Ovrik {__version__}. The commands of the fastest, as they ran; "
    return f"{said}{left}the study or its plan repeats all of it."


def _asked(e: Evidence) -> str:
    x, rate = e.facts.excerpt, float(e.programme.rate)
    bound = [
        f"{LIMIT_KINDS[k].title} {'at least' if LIMIT_KINDS[k].floor else 'at most'} {LIMIT_KINDS[k].words(v)}"
        for k, v in e.facts.limits.values
    ]
    bound += ["it plays in real time"] if e.facts.limits.plays else []
    bound += ["nobody can tell it from the reference"] if e.facts.limits.unseen else []
    base = e.of(e.facts.baseline_id or 0)
    aim = "sent" if e.facts.worth.delivered else "written"
    return (
        f"The fastest acceptable way to export {e.programme.name}: {x.frames} frames ({x.frames / rate:.2f} s) from "
        f"{x.start_frame / rate:.2f} s on, until the file is {aim}. Acceptable: it passes its checks"
        + "".join(f", {b}" for b in bound)
        + f". {len(e.summaries)} contenders"
        + (f", compared with {base.contender.label}." if base else ".")
    )


def picture_of(e: Evidence) -> tuple[str, str]:
    """What lies up, and the SVG: quality over time, or size over time where nothing was scored."""
    shown = [s for s in e.summaries if s.cost_s is not None and s.vmaf is not None]
    if not shown:
        return "quality", ""
    front = {int(n) for n in _edge(shown)}
    base = e.facts.baseline_id
    marks = [
        SvgMark(
            label=s.contender.label,
            x=s.cost_s or 0.0,
            y=s.vmaf.mean if s.vmaf else 0.0,
            low=(s.cost_s or 0.0) + (s.spread.low - (s.usual_s or 0.0) if s.spread else 0.0),
            high=(s.cost_s or 0.0) + (s.spread.high - (s.usual_s or 0.0) if s.spread else 0.0),
            filled=bool(s.acceptable),
            named=n in front or s.standing == "choice" or s.contender.contender_id == base,
            strong=s.standing == "choice",
        )
        for n, s in enumerate(shown)
    ]
    times = [m.x for m in marks]
    lines = [("y", v, f"floor {v:g}") for k, v in e.facts.limits.values if k == "vmaf_mean"]
    lines += [("x", v, f"ceiling {v:g} s") for k, v in e.facts.limits.values if k == "seconds"]
    log = max(times) > 10 * min(times)
    order = [int(n) for n in _edge(shown)]
    return "quality", trade_off_svg(marks, order, f"{cost_title(e).lower()}, s", "VMAF, mean", log, lines)


def _edge(shown: Sequence[Summary]) -> Any:
    import numpy as np

    sound = [not s.faults for s in shown]
    times = np.array([s.cost_s if ok else np.nan for s, ok in zip(shown, sound, strict=True)], float)
    return edge(times, np.array([s.vmaf.mean if s.vmaf else np.nan for s in shown]), more_up=True)


def _row(s: Summary) -> dict[str, Any]:
    r, v = s.ratio, s.vmaf
    marks = [
        w
        for w, on in (
            ("simulated", s.contender.simulated),
            ("outside", s.contender.outside),
            ("by hand", s.by_hand),
        )
        if on
    ]
    marks += ["brought in"] if any(r.origin is Origin.BROUGHT_IN for r in s.counted) else []
    means = f"{quality_words(v.mean, 1, s.sampled)} ({v.harmonic:.1f})" if v else ""
    both = f"{means}, {number(v.p5, 1)}" if v else "–"
    return {
        "label": s.contender.label,
        "marks": marks,
        "rounds": f"{s.rounds} round{'s' * (s.rounds != 1)}" if s.rounds else "",
        "time": f"{own_time_words(s)} s  {spread_words(s)}" if s.usual_s is not None else "–",
        "cost": f"{s.cost_s:.2f} s" if s.cost_s is not None else "–",
        "ratio": "baseline" if s.answer == "baseline" else ratio_words(r) + (unlike(s) if r else ""),
        "drawn": interval_svg(r.value, r.low, r.high, FARTHEST) if r else "",
        "size": size_words(s.bytes),
        "quality": both,
        "verdict": "✕ not acceptable" if s.reasons else STANDING.get(s.standing) or state_words(s),
        "why": first_reason(s.reasons),
        "failed": bool(s.reasons),
        "won": s.standing in ("choice", "tie"),
    }


def _worth(e: Evidence) -> dict[str, Any] | None:
    """What the times come to in use, and what comes first; nothing without a choice."""
    if not e.choice:
        return None
    notes = [f"{words}." for words in cost_lines(e)]
    notes += [f"{s.contender.label}: {payoff_words(s.payoff)}." for s in e.summaries if s.payoff]
    rows = [row.cells for row in worth_rows(e) if row.used.found]
    return {"sentence": worth_sentence(e), "notes": notes, "heads": WORTH_HEADINGS, "rows": rows}


def _kinds(over: OverKinds) -> dict[str, Any]:
    said = changes_words(over)
    rows = []
    for n, s in enumerate(over.each[0].summaries):
        each = [number(over.seconds(k, s.contender.contender_id)) for k in range(len(over.kinds))]
        rows.append([s.contender.label, *each, number(over.usual_s(n))])
    more = f" The winner changes with the footage: {said}." if said else ""
    names = [f"{k.name} (weight {k.weight:g}), s" for k in over.kinds]
    return {"sentence": sentence_over(over) + more, "names": names, "rows": rows}


def _mind(e: Evidence) -> list[str]:
    out = [words for words in (near_words(e), assumed_words(e)) if words]
    out += [f"{words[:1].upper()}{words[1:]}." for words in losses_text(e)]
    out += [f"Machines, or states of one, that runs were made on differ in {words}." for words in e.machines]
    out += [f"Order of the runs: {order_words(o)}." for o in e.order if o.trend.clear]
    if e.set_aside:
        out.append(
            f"{e.set_aside} runs of other footage or another excerpt are on file and don't count here."
        )
    return out


def _went_wrong(r: RunRecord) -> bool:
    return r.state != "done" or bool(r.disturbed) or bool(r.fell_back)


def _odd(s: Summary, r: RunRecord) -> tuple[str, str, str, str]:
    state = "fell back" if r.fell_back else "disturbed" if r.disturbed and r.state == "done" else str(r.state)
    why = fell_back_words(r.fell_back) or disturbed_words(r.disturbed) or r.reason
    return s.contender.label, "warm-up" if r.warmup else str(r.round), state, why


def _command(s: Summary, private: bool) -> str:
    argv = s.counted[-1].argv
    return shlex.join(argv if private else [bare_argument(a) for a in argv])


def write_report(
    e: Evidence,
    over: OverKinds | None,
    machines: Sequence[dict[str, Any]],
    path: Path,
    private: bool = False,
    moments: Sequence[Shown] = (),
    sittings: OverSittings | None = None,
    lead: bytes = b"",
) -> int:
    """Write the page at once or not at all; gives its size in bytes. Raises OvrikError."""
    text = report_html(e, over, machines, private, moments, sittings, lead)
    return write_asked(path, text.encode())


def machines_of(study: Study, e: Evidence) -> list[dict[str, Any]]:
    """Facts of the machines that counted runs were made on, each as it was last seen: speeds and free space are
    measured anew every time."""
    used = {r.machine_id for s in e.summaries for r in s.counted}
    found = [facts for number, facts in study.machines().items() if number in used]
    return list({repr(sorted(lasting(facts).items())): facts for facts in found}.values())
