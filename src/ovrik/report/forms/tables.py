"""The evidence as two plain tables: one row a run, one row a contender. CSV and spreadsheets are made of them."""

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from operator import attrgetter
from typing import Any

from ovrik.quality.scores.metric_table import METRICS
from ovrik.report.words.reasons import disturbed_words, fell_back_words, reasons_words
from ovrik.report.words.verdict import sentence_of
from ovrik.store.records.run import RunRecord
from ovrik.study.contender.contender import factors_of
from ovrik.study.facts.origin import Origin
from ovrik.work.evidence.gathered import Evidence
from ovrik.work.evidence.summary import Summary

CellValue = str | int | float | None
POOLED = ("mean", "harmonic", "p5", "p1", "worst_second")


@dataclass(frozen=True)
class SheetTable:
    """Fields: `title`; `heads`; `rows`, each as long as the heads, of texts, numbers and None."""

    title: str
    heads: tuple[str, ...]
    rows: tuple[tuple[CellValue, ...], ...]


RUN_COLUMNS: tuple[tuple[str, Callable[[Summary, RunRecord], CellValue]], ...] = (
    ("label", lambda s, _r: s.contender.label),
    ("encoder", lambda s, _r: s.contender.recipe.encoder),
    ("build", lambda _s, r: r.build),
    ("simulated", lambda s, _r: int(s.contender.simulated)),
    ("sitting", lambda _s, r: r.sitting_id),
    ("round", lambda _s, r: r.round),
    ("warmup", lambda _s, r: int(r.warmup)),
    ("timed", lambda _s, r: timed_by(r)),
    ("disturbed", lambda _s, r: disturbed_words(r.disturbed)),
    ("fell_back", lambda _s, r: fell_back_words(r.fell_back)),
    *(
        (name, lambda _s, r, name=name: getattr(r, name))
        for name in (
            *("state", "wall_s", "first_frame_s", "last_frame_s", "user_s", "system_s", "peak_bytes"),
            *("output_bytes", "own_cpu_s", "other_cpu_s", "stolen_s", "doubt_s"),
            *("joules", "started_utc", "reason"),
        )
    ),
)
"""Heading and value of each column of the runs; the names are those of the study file."""


TIMED_BY = {
    Origin.DRIVEN: "ovrik",
    Origin.WATCHED: "outside",
    Origin.BY_HAND: "by hand",
    Origin.BROUGHT_IN: "brought in",
}


def timed_by(run: RunRecord) -> str:
    """Who timed it: "ovrik", "outside" (by watching its file), "by hand" or "brought in"."""
    return TIMED_BY[run.origin]


def _ratio(name: str) -> Callable[[Summary], CellValue]:
    return lambda s: getattr(s.ratio, name) if s.ratio else None


def _pooled(metric: str, statistic: str) -> Callable[[Summary], CellValue]:
    return lambda s: getattr(s.quality[metric], statistic) if metric in s.quality else None


CONTENDER_COLUMNS: tuple[tuple[str, Callable[[Summary], CellValue]], ...] = (
    ("label", attrgetter("contender.label")),
    ("build", attrgetter("contender.build")),
    ("version", lambda s: s.counted[-1].build if s.counted else ""),
    ("simulated", lambda s: int(s.contender.simulated)),
    ("timed", lambda s: timed_by(s.counted[-1]) if s.counted else ""),
    ("rounds", attrgetter("rounds")),
    ("first_s", attrgetter("first_s")),
    ("cost_s", attrgetter("cost_s")),
    ("usual_s", attrgetter("usual_s")),
    ("median_s", attrgetter("median_s")),
    ("doubt_s", attrgetter("doubt_s")),
    ("spread", lambda s: s.spread.share if s.spread else None),
    ("spread_assumed", lambda s: int(s.spread.assumed) if s.spread else None),
    ("ratio", _ratio("value")),
    ("ratio_low", _ratio("low")),
    ("ratio_high", _ratio("high")),
    ("saved", _ratio("saved")),
    ("fps", attrgetter("fps")),
    ("times_real_time", attrgetter("times_real_time")),
    ("answer", attrgetter("answer")),
    ("bytes", attrgetter("bytes")),
    ("megabytes_per_minute", attrgetter("mb_per_minute")),
    *((f"{m.key}_{statistic}", _pooled(m.key, statistic)) for m in METRICS for statistic in POOLED),
    ("scored_every", lambda s: s.score.facts.every if s.score else None),
    ("conforms", lambda s: None if s.conforms is None else int(s.conforms)),
    ("acceptable", lambda s: None if s.acceptable is None else int(s.acceptable)),
    ("standing", attrgetter("standing")),
    ("most_gain", attrgetter("gain")),
    ("left_out", lambda s: s.left_out.kind if s.left_out else ""),
    ("reasons", lambda s: "; ".join(reasons_words(s.reasons))),
)


def runs_table(e: Evidence) -> SheetTable:
    """Every run of the present excerpt, in line-up order."""
    rows = [tuple(value(s, r) for _name, value in RUN_COLUMNS) for s in e.summaries for r in s.runs]
    return SheetTable("Runs", tuple(name for name, _value in RUN_COLUMNS), tuple(rows))


def contenders_table(e: Evidence) -> SheetTable:
    """Every contender, with each of its settings that differs in the line-up."""
    table = factors_of([s.contender for s in e.summaries])
    apart = {key: f for key, f in table.items() if len({f.words(s.contender) for s in e.summaries}) > 1}
    heads = (*(name for name, _value in CONTENDER_COLUMNS), *(f"setting: {f.title}" for f in apart.values()))
    rows = [
        (*(value(s) for _name, value in CONTENDER_COLUMNS), *(f.words(s.contender) for f in apart.values()))
        for s in e.summaries
    ]
    return SheetTable("Contenders", heads, tuple(rows))


def conditions_table(e: Evidence, machines: list[dict[str, Any]]) -> SheetTable:
    """What was asked, under which limits, and on which machines."""
    return SheetTable("Conditions", ("what", "value"), tuple(_conditions(e, machines)))


def _conditions(e: Evidence, machines: list[dict[str, Any]]) -> Iterator[tuple[CellValue, ...]]:
    x = e.facts.excerpt
    yield "study", e.facts.title
    yield "programme", e.programme.name
    yield "programme checksum", e.programme.checksum
    yield "first frame", x.start_frame
    yield "frames", x.frames
    yield "frames per second", float(e.programme.rate)
    yield "tie band", e.facts.tie_band
    for key, value in e.facts.limits.values:
        yield f"limit: {key}", value
    yield "verdict", sentence_of(e)
    for number, facts in enumerate(machines, 1):
        yield from ((f"machine {number}: {key}", str(value)) for key, value in facts.items())
