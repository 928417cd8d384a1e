"""What each contender comes to in use, in words: the same on its page, in text and in the report."""

from dataclasses import dataclass

from ovrik.report.words.numbers import NONE, size_words
from ovrik.report.words.phrases import seconds_words
from ovrik.work.answers.worth import Used, used
from ovrik.work.evidence.gathered import Evidence

UPLOAD, DELIVERED = "Upload", "Delivered"
HEADINGS = (
    "Contender",
    "One export",
    "First, each",
    UPLOAD,
    DELIVERED,
    "Hours a week",
    "Saved",
    "Stored",
    "Paid after",
)
LEAST_H = 0.05
"""Fewer hours a week are none in the digits that are shown."""


@dataclass(frozen=True)
class WorthRow:
    """Fields: `used`, whose it is; `cells` under `HEADINGS`, and `hints` to each, "" for none."""

    used: Used
    cells: tuple[str, ...]
    hints: tuple[str, ...]


def worth_rows(e: Evidence) -> list[WorthRow]:
    """A row for each contender, the fewest hours a week first; those without a time come last."""
    found = sorted(used(e), key=lambda u: u.found.week_h if u.found else float("inf"))
    return [_row(u, e) for u in found]


def _row(u: Used, e: Evidence) -> WorthRow:
    f, label = u.found, u.summary.contender.label
    if f is None:
        return WorthRow(u, (label, *[NONE] * (len(HEADINGS) - 1)), ("",) * len(HEADINGS))
    paid, hint = _paid(u, e)
    first = seconds_words(f.first_s) if u.summary.first else NONE
    cells = (
        label,
        seconds_words(f.export_s),
        first if e.facts.worth.first_waits else f"({first})" if u.summary.first else NONE,
        seconds_words(f.upload_s) if f.upload_s is not None else NONE,
        seconds_words(f.delivered_s) if f.delivered_s is not None else NONE,
        f"{f.week_h:.2f}",
        f"{f.saved_week_h:+.2f} h".replace("-", "−"),
        size_words(round(f.stored_bytes)) if f.stored_bytes is not None else NONE,
        paid,
    )
    hints = ("", "", _first_hint(e), "", "", "", "hours a week against the baseline", "", hint)
    return WorthRow(u, cells, hints)


def _first_hint(e: Evidence) -> str:
    w = e.facts.worth
    if not w.first_waits:
        return "nobody waits for it: it costs no hours"
    return f"what comes first of a film, shared over {w.exports_a_film:g} exports of it"


def _paid(u: Used, e: Evidence) -> tuple[str, str]:
    """When its prices have paid for themselves, and what that comes to."""
    f, w = u.found, e.facts.worth
    assert f is not None
    said, hints = [], []
    if u.price:
        said.append("never" if f.pays_exports is None else f"{f.pays_exports} exports")
        if f.pays_exports and w.exports_a_week:
            hints.append(f"{f.pays_exports / w.exports_a_week:.0f} weeks")
    if u.yearly:
        pays = f.pays_a_year
        said.append("never" if pays is None else f"{pays} exports a year")
        if pays is not None:
            enough = pays <= w.exports_a_week * 52
            hints.append("fewer than are made" if enough else "more than are made")
    if (u.price or u.yearly) and not w.an_hour:
        hints.append("set an hour's cost")
    return " + ".join(said) or NONE, ", ".join(hints)


def worth_sentence(e: Evidence) -> str:
    """What the choice saves in a week, and what is delivered first."""
    able = [u for u in used(e) if u.found and u.summary.acceptable]
    if not able:
        return "Nothing acceptable was timed yet."
    choice = next((u for u in able if u.summary.standing == "choice"), able[0])
    w = e.facts.worth
    assert choice.found is not None
    saved = choice.found.saved_week_h
    if choice.summary.contender.contender_id == e.facts.baseline_id:
        out = f"{choice.summary.contender.label} is the baseline: what the others save or cost is counted against it"
        return f"{out}, at {w.exports_a_week:g} exports of {w.minutes:g} min a week{_films(e)}."
    how = (
        f"saves {saved:.1f} hours a week against"
        if saved >= 0
        else f"costs {-saved:.1f} hours a week more than"
    )
    if abs(saved) < LEAST_H:
        how = "takes as many hours a week as"
    out = (
        f"{choice.summary.contender.label} {how} the baseline, at {w.exports_a_week:g} exports of "
        f"{w.minutes:g} min{_films(e)}."
    )
    sent = [u for u in able if u.found and u.found.delivered_s is not None]
    first = min(sent, key=lambda u: u.found.delivered_s or 0.0, default=None)  # type: ignore[union-attr]
    if first is not None and first is not choice:
        out += f" On a line of {w.line_mbit_s:g} Mb/s {first.summary.contender.label} is delivered first."
    return out


def _films(e: Evidence) -> str:
    each = e.facts.worth.exports_a_film
    return "" if each == 1 else f", {each:g} of each film"
