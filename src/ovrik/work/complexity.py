"""Complexity of a study's programme: measured once, kept in the study."""

from collections.abc import Callable

import numpy as np

from ovrik.analysis.complexity import Curve
from ovrik.store.study import Study


def curve_of(study: Study) -> Curve | None:
    """The curve of the present programme, or None while it was not measured."""
    kept = study.complexity()
    return Curve(*(np.array(v) for v in kept)) if kept else None


def measure_for(
    study: Study,
    on_share: Callable[[float], None] = lambda _s: None,
    should_stop: Callable[[], bool] = lambda: False,
) -> Curve:
    """Measure the present programme and keep what was found. Raises OvrikError, Stopped."""
    from ovrik.quality.complexity import measure_complexity

    programme = study.programme()
    curve = measure_complexity(programme, on_share, should_stop)
    study.keep_complexity(
        programme, curve.at.tolist(), curve.si.round(3).tolist(), curve.ti.round(3).tolist()
    )
    return curve
