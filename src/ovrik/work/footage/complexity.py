"""Complexity of a study's programme, kept in the study: of long footage a sample soon, all of it after that."""

from collections.abc import Callable

import numpy as np

from ovrik.analysis.signals.complexity import ComplexityCurve
from ovrik.errors import Ask
from ovrik.store.study import Study
from ovrik.study.programme.programme import Programme

Share = Callable[[float], None]


def curve_of(study: Study) -> ComplexityCurve | None:
    """The curve of the present programme, or None while it was not measured."""
    kept = study.complexity()
    return ComplexityCurve(*(np.array(v) for v in kept)) if kept else None


def measure_for(study: Study, on_share: Share = lambda _s: None, should_stop: Ask = lambda: False) -> bool:
    """Measure the present programme and keep what was found; long footage is sampled. Gives whether it was. Raises
    OvrikError, Stopped."""
    from ovrik.quality.scores.complexity_sampled import is_long, sample_complexity

    programme = study.programme()
    if not is_long(programme):
        refine_for(study, on_share, should_stop)
        return False
    _keep(study, programme, sample_complexity(programme, on_share, should_stop))
    return True


def refine_for(study: Study, on_share: Share = lambda _s: None, should_stop: Ask = lambda: False) -> None:
    """Measure all of the present programme and keep it in place of a sample. Raises OvrikError, Stopped."""
    from ovrik.quality.scores.complexity import measure_complexity

    programme = study.programme()
    _keep(study, programme, measure_complexity(programme, on_share, should_stop))


def _keep(study: Study, programme: Programme, curve: ComplexityCurve) -> None:
    study.keep_complexity(
        programme, curve.at.tolist(), curve.si.round(3).tolist(), curve.ti.round(3).tolist()
    )
