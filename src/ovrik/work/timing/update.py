"""What is said while runs are made."""

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field

from ovrik.analysis.times.time_left import TimeLeft
from ovrik.export.run.order import PlannedRun
from ovrik.export.run.progress import Progress
from ovrik.study.facts.disturbance import Disturbance
from ovrik.work.answers.rivals import Rest
from ovrik.work.timing.fairness import Waiting


@dataclass(frozen=True)
class TimingUpdate:
    """What is going on. Fields: `planned` and its `number` of `total`; `label`; `progress` of the run now, None
    between runs; `frames` to be written; `left` for all that is to come, None while unknown; `ended`, the state
    of a run that has just ended, or "", and its `reason`; `preparing`, what is made once before the run, or "";
    `rest`, what is open while rounds are added until it is decided, None else; `now`, the last readings of what
    goes on, by the names of a trace; `waiting`, the rest before the run, None when there is none; `again`, what
    disturbed it when it was made before, where it is made once more for that."""

    planned: PlannedRun
    number: int
    total: int
    label: str
    frames: int
    progress: Progress | None = None
    left: TimeLeft | None = None
    ended: str = ""
    reason: str = ""
    preparing: str = ""
    rest: Rest | None = None
    now: Mapping[str, float] = field(default_factory=dict)
    waiting: Waiting | None = None
    again: tuple[Disturbance, ...] = ()


Watcher = Callable[[TimingUpdate], None]


def share_done(update: TimingUpdate) -> float:
    """How far a whole course has come, 0 to 1, counting runs."""
    if update.ended:
        return update.number / update.total
    within = update.progress.frame / update.frames if update.progress else 0.0
    return (update.number - 1 + min(within, 1.0)) / update.total
