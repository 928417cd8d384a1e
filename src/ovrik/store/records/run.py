"""A run as it is kept."""

from dataclasses import dataclass, field
from enum import StrEnum
from typing import Any

from ovrik.store.records.table import Table
from ovrik.study.facts.device_use import FellBack, OnProcessor
from ovrik.study.facts.disturbance import Disturbance
from ovrik.study.facts.origin import Origin
from ovrik.study.facts.passes import PassTimes
from ovrik.study.programme.excerpt import Excerpt


class RunState(StrEnum):
    """How a run stands."""

    RUNNING = "running"
    DONE = "done"
    FAILED = "failed"
    STOPPED = "stopped"
    INTERRUPTED = "interrupted"


LONGEST_S = 1e9


@dataclass(frozen=True)
class RunRecord:
    """One run as kept. Times in seconds, sizes in bytes; None where a run did not get so far.

    Fields: `id`; `contender_id`; `excerpt`; `origin`, who timed it; `round`, from 1 within what is paired with it
    (see `Origin.series`), 0 for a warm-up; `warmup`; `state` and `reason`; `started_utc`; `argv`, of several passes
    the last; `wall_s`; `first_frame_s` and `last_frame_s`, as reported; `user_s`, `system_s`, processor seconds;
    `peak_bytes`; `read_bytes`, `written_bytes` at the block layer; `frames_written`; `output`, the file's name;
    `output_bytes`, `output_sha256`; `exit_code`; `log`, its last lines; `own_cpu_s` that Ovrik used, `other_cpu_s`
    that others did, `stolen_s` that a virtual machine's host took; `earlier_passes`, the commands run before `argv`
    in the same run; `passes`, each by the clock; `conditions` it began and went under; `disturbed`, by what;
    `fell_back`, None where it did not; `machine_id`; `sitting_id`; `build`, `build_sha256`, the build's version and
    checksum at the time; `programme`, the checksum of what was exported.
    """

    contender_id: int
    excerpt: Excerpt
    started_utc: str
    origin: Origin = Origin.DRIVEN
    round: int = 0
    warmup: bool = False
    state: RunState = RunState.RUNNING
    reason: str = ""
    argv: tuple[str, ...] = ()
    earlier_passes: tuple[tuple[str, ...], ...] = ()
    wall_s: float | None = None
    first_frame_s: float | None = None
    last_frame_s: float | None = None
    passes: tuple[PassTimes, ...] = ()
    user_s: float | None = None
    system_s: float | None = None
    peak_bytes: int | None = None
    read_bytes: int | None = None
    written_bytes: int | None = None
    frames_written: int | None = None
    output: str | None = None
    output_bytes: int | None = None
    output_sha256: str | None = None
    exit_code: int | None = None
    log: tuple[str, ...] = ()
    own_cpu_s: float | None = None
    other_cpu_s: float | None = None
    stolen_s: float | None = None
    conditions: dict[str, Any] = field(default_factory=dict)
    disturbed: tuple[Disturbance, ...] = ()
    fell_back: FellBack | None = None
    machine_id: int | None = None
    sitting_id: int = 1
    id: int = 0
    build: str = ""
    build_sha256: str = ""
    build_identity: str = ""
    programme: str = ""

    @property
    def counts(self) -> bool:
        """Whether its time enters the statistics."""
        return self.state is RunState.DONE and not self.warmup

    @property
    def by_hand(self) -> bool:
        """Whether its time was read from a stopwatch."""
        return self.origin.by_hand

    @property
    def watched(self) -> bool:
        """Whether another program made it, timed by watching its file."""
        return self.origin is Origin.WATCHED

    @property
    def driven(self) -> bool:
        """Whether Ovrik made it."""
        return self.origin is Origin.DRIVEN

    @property
    def joules(self) -> float | None:
        """Energy that processors and device used during it, None where that is not reported."""
        return self.conditions.get("joules")

    @property
    def on_processor(self) -> tuple[OnProcessor, ...]:
        """Devices that it asked for and that are the processor itself."""
        said = self.conditions.get("on_processor")
        pairs = [p for p in said if isinstance(p, list) and len(p) == 2] if isinstance(said, list) else []
        return tuple(OnProcessor(str(path), str(device)) for path, device in pairs)

    @property
    def untold(self) -> tuple[str, ...]:
        """Device paths that it asked for and of which nothing told whether they worked."""
        said = self.conditions.get("untold")
        return tuple(map(str, said)) if isinstance(said, list) else ()

    @property
    def doubt_s(self) -> float:
        """Half the step in which its time was read, seconds; 0 for what Ovrik timed itself."""
        step = self.conditions.get("step_s", 0.0)
        return step / 2 if isinstance(step, int | float) and 0 <= step < float("inf") else 0.0

    @property
    def fps(self) -> float | None:
        """Frames per second over the whole run."""
        if not self.wall_s or not self.frames_written:
            return None
        return self.frames_written / self.wall_s


def _run_trouble(made: RunRecord, _row: object) -> str:
    timed = made.wall_s is not None and 0 < made.wall_s < LONGEST_S
    return (
        f"run {made.id} is done, but its time is {made.wall_s}"
        if made.state is RunState.DONE and not timed
        else ""
    )


RUNS = Table(
    "run",
    RunRecord,
    ["build_id INTEGER", "programme_id INTEGER NOT NULL"],
    joined={
        "build": "build_version",
        "build_sha256": "build_sha256",
        "build_identity": "build_identity",
        "programme": "programme",
    },
    check=_run_trouble,
)
