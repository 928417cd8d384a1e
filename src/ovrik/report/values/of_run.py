"""A run, as JSON has it."""

from typing import Annotated, Any

from pydantic import Field

from ovrik.report.values.record import PassedOn, said
from ovrik.report.words.reasons import disturbed_words, fell_back_words, on_processor_words
from ovrik.study.facts.origin import Origin


class RunPassed(PassedOn):
    """One timed execution; never edited. Those that do not count, failed or were stopped are here too."""

    wall_s: float | None
    """Process start to exit of the whole group, seconds."""
    state: str
    """done, failed or stopped."""
    warmup: bool
    round: int
    """From 1 within its origin; 0 for a warm-up."""
    reason: str
    """Why it failed or was stopped."""
    started_utc: str
    build: str
    """Version of the build at the time."""
    first_frame_s: float | None
    """When the first frame was reported, seconds after the start."""
    user_s: float | None
    """Processor seconds in user mode."""
    system_s: float | None
    """Processor seconds in the kernel."""
    peak_bytes: int | None
    """Most memory at once, of any one process."""
    bytes: int | None = Field(validation_alias="output_bytes")
    """Size of the output."""
    own_cpu_s: float | None
    """Ovrik's own processor seconds meanwhile."""
    other_cpu_s: float | None
    """Processor seconds of everything else."""
    stolen_s: float | None
    """Seconds that a hypervisor took."""
    origin: Origin
    """Who timed it: Ovrik, a person with a stopwatch, Ovrik by watching the file of another program, or somebody
    earlier whose table was brought in. Rounds are numbered for each, from 1."""
    disturbed: Annotated[str, said(disturbed_words)]
    """By what; empty where nothing did."""
    fell_back: Annotated[str, said(fell_back_words)]
    """How a device's work came to be done in software; empty where it did not."""
    on_processor: Annotated[str, said(on_processor_words)]
    untold: tuple[str, ...]
    """Device paths that were asked for and of which nothing told whether they worked."""
    conditions: dict[str, Any]
    """All that could have moved the time; as the fingerprint tells it."""
    argv: tuple[str, ...]
    """Argument list, no shell; of several passes the last."""
    earlier_passes: tuple[tuple[str, ...], ...]
    """The argument lists that ran before it, in the same run."""
