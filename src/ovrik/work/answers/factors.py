"""What each factor of the line-up brings, from what is on file; the kind of footage is a factor like any other."""

from dataclasses import dataclass

import numpy as np

from ovrik.analysis.choice.factor_effects import FactorEffect, factor_effects
from ovrik.analysis.choice.over_all import rows_of
from ovrik.analysis.times.cells import cells_of
from ovrik.analysis.times.joint import Joint
from ovrik.study.contender.contender import Contender, Factor, factors_of
from ovrik.study.question.footage_kind import FootageKind
from ovrik.work.answers.over_kinds import OverKinds
from ovrik.work.evidence.gathered import Evidence

FOOTAGE, FOOTAGE_TITLE, EXCERPT_TITLE = "footage", "Footage", "Excerpt"
"""Several excerpts of one programme, or of several, are a factor like any other."""
NAME_OF_QUALITY = "vmaf_mean"


@dataclass(frozen=True)
class Factors:
    """Fields: `effects`, of each factor that varies; `titles` of the factors by key; `quality`, the key of the
    statistic whose differences are given."""

    effects: tuple[FactorEffect, ...]
    titles: dict[str, str]
    quality: str = NAME_OF_QUALITY


def factors(e: Evidence, over: OverKinds | None = None, quality: str = NAME_OF_QUALITY) -> Factors:
    """The effects of all factors; on every kind of footage that counts, where there are several that were timed."""
    several = over.counting if over is not None and over.begun else []
    each: list[tuple[FootageKind | None, Evidence]] = [*several] or [(None, e)]
    contenders = [s.contender for s in e.summaries]
    known = factors_of(contenders)
    varied = [k for k, f in known.items() if len({f.words(c) for c in contenders}) > 1]
    levels, sizes, qualities = [], [], []
    for kind, found in each:
        for s in found.summaries:
            own = {k: known[k].words(s.contender) for k in varied}
            levels.append(own | ({FOOTAGE: kind.name} if kind else {}))
            sizes.append(float(s.bytes) if s.bytes else np.nan)
            qualities.append(s.measured.values.get(quality, np.nan))
    base = _base(e, known, varied) | ({FOOTAGE: several[0][0].name} if several else {})
    cells = cells_of([_of_line_up(found) for _kind, found in each])
    made = factor_effects(levels, cells, base, e.facts.tie_band, np.array(sizes), np.array(qualities))
    one_programme = len({kind.programme for kind, _e in several}) == 1
    titles = {k: known[k].title for k in varied} | {
        FOOTAGE: EXCERPT_TITLE if one_programme else FOOTAGE_TITLE
    }
    return Factors(tuple(made), titles, quality)


def _of_line_up(e: Evidence) -> Joint:
    """The joint fit, its rows in line-up order."""
    return rows_of(e.costs, [e.times.rows[s.contender.contender_id] for s in e.summaries])


def _base(e: Evidence, known: dict[str, Factor], varied: list[str]) -> dict[str, str]:
    first: Contender | None = next(
        (s.contender for s in e.summaries if s.contender.contender_id == e.facts.baseline_id), None
    )
    return {k: known[k].words(first) for k in varied} if first else {}
