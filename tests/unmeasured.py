"""Kinds of loss of 0 in every frame, for tests that ask something else of an output that is checked."""

from collections.abc import Sequence
from typing import Any

import numpy as np
import pytest

from ovrik.analysis.signals.loss_kinds import LOSS_KINDS
from ovrik.quality.scores.losses import ToMeasure
from ovrik.work.checking import one_pass


def no_losses(jobs: Sequence[ToMeasure], *_asked: Any) -> list[dict[str, np.ndarray]]:
    """In place of `losses_of`."""
    return [{kind.key: np.zeros(job.match.overlap) for kind in LOSS_KINDS} for job in jobs]


def leave_losses_out(patch: pytest.MonkeyPatch) -> None:
    """From here on they are 0 in every output that is checked, and none is measured."""
    patch.setattr(one_pass, "losses_of", no_losses)
    patch.setattr(one_pass, "measured_meanwhile", lambda *_asked: None)
