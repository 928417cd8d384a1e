"""The ranking, without a widget: its columns, how they sort, what a filter leaves, and all of it as text."""

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass

from ovrik.report.words.numbers import (
    NONE,
    answer_words,
    number,
    quality_words,
    rates_words,
    ratio_words,
    saved_words,
    size_words,
    spread_words,
    state_words,
    unlike,
)
from ovrik.report.words.reasons import brief, first_reason
from ovrik.report.words.whole_cost import costs_apart, time_words
from ovrik.study.contender.contender import factors_of
from ovrik.study.contender.grid import passing
from ovrik.study.question.limit_kinds import LIMIT_KINDS
from ovrik.work.evidence.gathered import Evidence
from ovrik.work.evidence.summary import Summary

Key = float | str
RankingCells = Callable[[Summary, Evidence], str]


@dataclass(frozen=True)
class RankingColumn:
    """Fields: `key`; `title`; `text` of a cell; `sort`, by what rows are ordered, NaN last; `number`, whether it is
    aligned as one; `usual`, whether it is shown at first; `hint` on what it is."""

    key: str
    title: str
    text: RankingCells
    sort: Callable[[Summary, Evidence], Key]
    number: bool = True
    usual: bool = True
    hint: str = ""


NAN = math.nan
DRAWN = "drawn"


def _ratio(s: Summary) -> float:
    return s.ratio.value if s.ratio else NAN


def _quality(key: str) -> RankingColumn:
    kind = LIMIT_KINDS[key]
    return RankingColumn(
        key,
        kind.heading,
        lambda s, _e: quality_words(s.measured.values.get(key), kind.digits, s.sampled),
        lambda s, _e: s.measured.values.get(key, NAN),
        usual=key == "vmaf_mean",
        hint=f"{kind.title}{', ' + kind.unit if kind.unit else ''}",
    )


def _measured(key: str) -> RankingColumn:
    kind = LIMIT_KINDS[key]
    return RankingColumn(
        key,
        f"{kind.heading}, {kind.unit}",
        lambda s, _e: number(s.measured.values.get(key), kind.digits),
        lambda s, _e: s.measured.values.get(key, NAN),
        usual=False,
        hint=kind.title,
    )


OK = {
    "choice": "✓ the choice",
    "tie": "✓ ties with the choice",
    "slower": "✓ acceptable",
    "unsure": "✓ acceptable, open",
}


def verdict_of(s: Summary, e: Evidence) -> str:
    """Where it stands, or the first reason against it."""
    if s.acceptable and s.standing:
        return OK[s.standing]
    if s.faults:
        return f"✕ {first_reason(s.faults).removeprefix('it ')}"
    if s.reasons:
        missed = s.place.by.missed
        return f"✕ {brief(missed[0]) if missed else first_reason(s.reasons)}"
    return state_words(s)


def to_pass(s: Summary, e: Evidence) -> str:
    """How far from passing a contender is, by each limit that it misses."""
    if s.faults:
        return "not by limits"
    return ", ".join(
        f"{x.kind.heading} {'+' if x.kind.floor else '−'}{x.kind.words(abs(x.margin or 0.0))}"
        for x in s.place.by.missed
    )


RANK = {"choice": 0, "tie": 1, "unsure": 2, "slower": 3}


def _place(s: Summary, _e: Evidence) -> Key:
    return float(RANK.get(s.standing, 4 if not s.reasons else 5))


COLUMNS: tuple[RankingColumn, ...] = (
    RankingColumn(
        "label", "Contender", lambda s, _e: s.contender.label, lambda s, _e: s.contender.label.lower(), False
    ),
    RankingColumn(
        "time",
        "Time, spread",
        lambda s, e: f"{time_words(s, e)}  {spread_words(s)}" if s.usual_s else NONE,
        lambda s, _e: s.usual_s or NAN,
        hint="usual time, + its share of what comes first, and how much its runs differ among themselves",
    ),
    RankingColumn(
        "spread",
        "Spread",
        lambda s, _e: spread_words(s),
        lambda s, _e: s.spread.share if s.spread else NAN,
        usual=False,
    ),
    RankingColumn(
        DRAWN, "", lambda _s, _e: "", lambda s, _e: _ratio(s), False, hint="speed against the baseline, drawn"
    ),
    RankingColumn(
        "speed",
        "Speed (95 %)",
        lambda s, _e: (
            "baseline" if s.answer == "baseline" else ratio_words(s.ratio) + (unlike(s) if s.ratio else "")
        ),
        lambda s, _e: _ratio(s),
        hint="T of the baseline / T, of the usual times; * marks what differs from it in more than one thing",
    ),
    RankingColumn(
        "saved",
        "Time saved",
        lambda s, _e: saved_words(s.ratio),
        lambda s, _e: _ratio(s),
        usual=False,
        hint="1 − T / T of the baseline",
    ),
    RankingColumn(
        "answer",
        "Answer",
        lambda s, _e: answer_words(s),
        lambda s, _e: s.answer,
        False,
        False,
        hint="against the baseline",
    ),
    RankingColumn(
        "rounds", "Rounds", lambda s, _e: str(s.rounds), lambda s, _e: float(s.rounds), usual=False
    ),
    RankingColumn("fps", "Frames/s", lambda s, _e: number(s.fps, 1), lambda s, _e: s.fps or NAN, usual=False),
    RankingColumn(
        "real_time",
        "× real time",
        lambda s, _e: number(s.times_real_time, 2),
        lambda s, _e: s.times_real_time or NAN,
        usual=False,
        hint="seconds of programme / T",
    ),
    RankingColumn("size", "Size", lambda s, _e: size_words(s.bytes), lambda s, _e: s.bytes or NAN),
    *(_quality(k.key) for k in LIMIT_KINDS.values() if k.metric),
    _measured("megabytes_per_minute"),
    _measured("mbit_s"),
    _measured("peak_mbit_s"),
    _measured("memory_gb"),
    RankingColumn(
        "to_pass", "To pass", to_pass, lambda s, e: to_pass(s, e), False, False, "how far from passing"
    ),
    RankingColumn(
        "verdict",
        "Verdict",
        verdict_of,
        _place,
        False,
        hint="where it stands, or the first reason against it",
    ),
)


COST = RankingColumn(
    "cost",
    "Whole cost",
    lambda s, _e: f"{number(s.cost_s)} s" if s.cost_s else NONE,
    lambda s, _e: s.cost_s or NAN,
    usual=False,
    hint="what the choice goes by: the export, its share of what comes first, and the upload if asked for",
)


def columns_of(e: Evidence) -> list[RankingColumn]:
    """The columns there are: those of the table, whole costs where they are other than times, and one for each factor
    that varies."""
    contenders = [s.contender for s in e.summaries]
    out = [*COLUMNS[:2], *([COST] if costs_apart(e) else ()), *COLUMNS[2:]]
    for key, factor in factors_of(contenders).items():
        if len({repr(factor.raw(c)) for c in contenders}) > 1:
            out.insert(
                -1,
                RankingColumn(
                    key=f"factor {key}",
                    title=factor.title,
                    text=lambda s, _e, factor=factor: factor.words(s.contender),  # type: ignore[misc]
                    sort=lambda s, _e, factor=factor: factor.words(s.contender).lower(),  # type: ignore[misc]
                    number=False,
                    usual=False,
                ),
            )
    return out


def ranked(
    e: Evidence, column: RankingColumn | None = None, falling: bool = False, words: str = ""
) -> list[Summary]:
    """Whoever passes the filter, sorted by a column; by time if none is named. What has no value comes last, either
    way."""
    keeps = passing(words)
    found = [s for s in e.summaries if keeps(searched(s, e))]
    by = column or COLUMNS[1]
    keys = {s.contender.contender_id: by.sort(s, e) for s in found}
    missing = [s for s in found if _missing(keys[s.contender.contender_id])]
    known = [s for s in found if not _missing(keys[s.contender.contender_id])]
    known.sort(key=lambda s: keys[s.contender.contender_id], reverse=falling)
    return known + missing


def _missing(key: Key) -> bool:
    return isinstance(key, float) and math.isnan(key)


def searched(s: Summary, e: Evidence) -> str:
    """The text that a filter looks at: label, factors, and where it stands."""
    return " ".join([s.contender.label, *s.contender.factors().values(), verdict_of(s, e)])


def as_rows(e: Evidence, shown: Sequence[RankingColumn], found: Sequence[Summary]) -> list[list[str]]:
    """Headings, then a row for each, without what is drawn."""
    told = [c for c in shown if c.key != DRAWN]
    return [[c.title for c in told], *([c.text(s, e) for c in told] for s in found)]


def rates(s: Summary, e: Evidence) -> str:
    """One time as frames per second and times real time."""
    return rates_words(s.usual_s, e.facts.excerpt.frames, float(e.programme.rate))
