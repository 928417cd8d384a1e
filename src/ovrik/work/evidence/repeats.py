"""Exports made more than once that enter no comparison, warm-ups and segments, and what they show of the noise."""

from collections import defaultdict
from collections.abc import Hashable

import numpy as np

from ovrik.analysis.times.noise import Shown
from ovrik.analysis.times.succession import NOTHING
from ovrik.store.records.run import RunState
from ovrik.store.study import Study


def shown_by_repeats(study: Study) -> Shown | None:
    """The pooled spread of what was made again just as before; None where nothing was. Of a contender's warm-ups the
    first is left out, since a first start takes its own time, and a disturbed one tells of the disturbance."""
    took = defaultdict[Hashable, list[float]](list)
    for run in study.runs():
        if run.warmup and run.driven and run.state == RunState.DONE and run.wall_s:
            place = run.programme, run.excerpt, run.contender_id, run.build_identity
            took[place].append(np.nan if run.disturbed else run.wall_s)
    alike = [times[1:] for times in took.values()]
    parts = defaultdict[Hashable, list[float]](list)
    for part in study.parts():
        parts[part.programme, part.excerpt, part.contender_id, part.name].append(part.wall_s)
    squares, freedom = 0.0, 0
    for times in [*alike, *parts.values()]:
        logs = np.log([t for t in times if t > 0])
        if len(logs) > 1:
            squares += float(((logs - logs.mean()) ** 2).sum())
            freedom += len(logs) - 1
    return Shown((squares / freedom) ** 0.5, freedom, NOTHING) if freedom else None
