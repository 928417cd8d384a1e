"""What a series of runs begins with: its part of a longer course, the study's hold, and counted frames."""

import time
from collections.abc import Callable, Sequence
from dataclasses import dataclass

from ovrik.export.run.order import PlannedRun
from ovrik.store.study import Study
from ovrik.work.timing.update import TimingUpdate, Watcher

HOLD_WAIT_S = 1.0


@dataclass(frozen=True)
class Part:
    """Runs as a part of a longer course. Fields: how many were made `before`; those that come `later`."""

    before: int = 0
    later: Sequence[PlannedRun] = ()


WHOLE = Part()


def held(study: Study) -> bool:
    """Take the study's hold. Another Ovrik that is refused the machine has it for a moment, between two rounds."""
    until = time.monotonic() + HOLD_WAIT_S
    while not study.hold.take():
        if time.monotonic() > until:
            return False
        time.sleep(0.05)
    return True


def counting(study: Study, runs: list[PlannedRun], watch: Watcher) -> Callable[[float], None]:
    """Says how far the counting of frames has come, before the first run."""
    labels, frames = {c.contender_id: c.label for c in study.contenders()}, study.facts().excerpt.frames
    said = -1

    def say(share: float) -> None:
        nonlocal said
        if runs and int(20 * share) > said:
            said = int(20 * share)
            words = f"Counting the frames of the footage, {share:.0%}"
            label = labels.get(runs[0].contender_id, "")
            watch(
                TimingUpdate(
                    planned=runs[0], number=1, total=len(runs), label=label, frames=frames, preparing=words
                )
            )

    return say
