"""Which contenders need a warm-up of their own: a first start on a device costs what later ones don't."""

import statistics
from collections.abc import Sequence

from ovrik.store.records.run import RunRecord
from ovrik.store.study import Study
from ovrik.study.contender.contender import Contender
from ovrik.study.programme.treatment_kinds import SOFTWARE
from ovrik.work.evidence.gathered import belongs

SLOW_FIRST = 1.1
"""A first run so many times as long as the usual later one shows that a warm-up is needed."""


def needing_warm_up(study: Study, ids: Sequence[int]) -> set[int]:
    """Those of these contenders that get a warm-up before their first run that counts: whatever works on a device
    or a stand-in, and what was slow at first in earlier runs of this study; all of them if the study's conduct says
    so."""
    facts, programme = study.facts(), study.programme()
    if facts.conduct.warm_all:
        return set(ids)
    runs = [r for r in study.runs() if belongs(r, facts, programme) and r.state == "done"]
    return {
        c.contender_id
        for c in study.contenders()
        if c.contender_id in ids
        and (paths_on_device(c) or slow_at_first([r for r in runs if r.contender_id == c.contender_id]))
    }


def paths_on_device(c: Contender) -> bool:
    """Whether a device or a stand-in does any of the work: drivers, shaders and the stand-in's own store are made at
    the first start."""
    return c.simulated or bool(c.recipe.facts.device) or c.decode != SOFTWARE or c.treat != SOFTWARE


def slow_at_first(runs: Sequence[RunRecord]) -> bool:
    """Whether the first of a contender's runs took clearly longer than the later ones."""
    times = [r.wall_s for r in runs if r.wall_s and not r.by_hand]
    return len(times) > 2 and times[0] > SLOW_FIRST * statistics.median(times[1:])
