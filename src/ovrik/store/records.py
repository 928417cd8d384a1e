"""What is read back from the study file, as values."""

from dataclasses import dataclass, field
from typing import Any

import numpy as np

from ovrik.study.conduct import Conduct
from ovrik.study.excerpt import Excerpt
from ovrik.study.limits import Limits
from ovrik.study.played import Pace
from ovrik.study.point import Point
from ovrik.study.recipe import Recipe
from ovrik.study.worth import Worth


@dataclass(frozen=True)
class StudyFacts:
    """The study's own row.

    Fields: `title`; `created_utc`, ISO 8601; `excerpt`; `rounds` wanted; `warmup` rounds;
    `tie_band`; `baseline_id`, a contender's number or None; `seed` of the shuffles; `limits`; `conduct`, how
    runs are made; `worth`, how the times are used.
    """

    title: str
    created_utc: str
    excerpt: Excerpt
    rounds: int
    warmup: int
    tie_band: float
    baseline_id: int | None
    seed: int
    limits: Limits
    conduct: Conduct = field(default_factory=Conduct)
    worth: Worth = field(default_factory=Worth)


OUTSIDE_ROUND = -1000
"""Rounds from here down are of outside exports, made in rounds of their own: the n-th of each in round −1000 − n."""


@dataclass(frozen=True)
class RunRecord:
    """One run as kept. Times in seconds, sizes in bytes; None where a run did not get so far.

    Fields: as the columns of the table `run`; `argv` and `log` as tuples of strings;
    `build`, `build_sha256`, the build's version and checksum at the time; `machine_id`; `programme`,
    the checksum of what was exported; `earlier_passes`, the commands run before `argv` in the same run;
    `conditions` it began and went under; `disturbed`, by whom, or ""; `fell_back`, how that showed, or "";
    `sitting`, the number of the one that it was made in.
    """

    id: int
    contender_id: int
    round: int
    warmup: bool
    state: str
    reason: str
    started_utc: str
    argv: tuple[str, ...]
    wall_s: float | None
    first_frame_s: float | None
    last_frame_s: float | None
    user_s: float | None
    system_s: float | None
    peak_bytes: int | None
    frames_written: int | None
    output: str | None
    output_bytes: int | None
    output_sha256: str | None
    exit_code: int | None
    log: tuple[str, ...]
    own_cpu_s: float | None
    other_cpu_s: float | None
    stolen_s: float | None
    excerpt: Excerpt
    build: str
    build_sha256: str
    machine_id: int | None
    programme: str
    earlier_passes: tuple[tuple[str, ...], ...] = ()
    conditions: dict[str, Any] = field(default_factory=dict)
    disturbed: str = ""
    fell_back: str = ""
    sitting: int = 1

    @property
    def counts(self) -> bool:
        """Whether its time enters the statistics."""
        return self.state == "done" and not self.warmup

    @property
    def by_hand(self) -> bool:
        """Whether its time was read from a stopwatch."""
        return OUTSIDE_ROUND < self.round < 0

    @property
    def outside(self) -> bool:
        """Whether another program made it, timed by watching its file."""
        return self.round <= OUTSIDE_ROUND

    @property
    def joules(self) -> float | None:
        """Energy that processors and device used during it, None where that is not reported."""
        return self.conditions.get("joules")

    @property
    def on_processor(self) -> str:
        """Which device that it asked for was the processor itself, in words, or ""."""
        said = self.conditions.get("on_processor", "")
        return said if isinstance(said, str) else ""

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


LEFT_OUT, SET_ASIDE, BACK, KEPT = "left out", "set aside", "back", "kept"


@dataclass(frozen=True)
class Decision:
    """Who is timed further was decided anew.

    Fields: `contender_id`; `round` after which; `kind`, "left out" (it can't be faster than the choice by more than
    the band any more), "set aside" (its output is not acceptable), "back" (what was learned since makes it a rival
    again) or "kept" (the user wants it timed all the same); `gain`, how much faster than the choice it could be at
    the most, as a share, None where that is not why; `reason` in words; `made_utc`, ISO 8601, "" for one that is
    not on file yet."""

    contender_id: int
    round: int
    kind: str
    gain: float | None
    reason: str
    made_utc: str = ""

    @property
    def out(self) -> bool:
        """Whether it is not timed any more."""
        return self.kind in (LEFT_OUT, SET_ASIDE)


@dataclass(frozen=True, eq=False)
class MetricScores:
    """One metric of every frame. Fields: `version` of the metric, that is of its model and of what measured it;
    `values`, of shape (frames,)."""

    version: str
    values: np.ndarray


NO_VALUES = np.zeros(0)


OFFSET = "offset"
"""The fact of an output that says by how many frames it begins before its reference."""

SAMPLED = "scored"
"""The fact of an output that says which of its frames were scored, where not all were."""
BITS = "bits"
"""The key of what each frame takes, among the metrics."""


@dataclass(frozen=True, eq=False)
class ScoreRecord:
    """A checked output.

    Fields: `id`; `contender_id`; `output_sha256` of the file that was checked; `reference`, the
    key of what it was judged against; `faults` of conformity, empty when it conforms; `problem`,
    why it could not be scored, or ""; `facts` of the output in words; `metrics`, the
    scores by the metric's key, empty when unscored; `points` of conformity, empty of those checked before there were
    any.
    """

    id: int
    contender_id: int
    output_sha256: str
    reference: str
    faults: tuple[str, ...]
    problem: str
    facts: dict[str, str]
    metrics: dict[str, MetricScores] = field(default_factory=dict)
    points: tuple[Point, ...] = ()

    @property
    def offset(self) -> int:
        """The output's frame k + offset shows frame k of the reference."""
        first = self.facts.get(OFFSET, "0").split()[0]
        return int(first) if first.lstrip("-").isdigit() else 0

    @property
    def every(self) -> int:
        """Every how many frames one was scored: 1 for all of them."""
        found = "".join(c for c in self.facts.get(SAMPLED, "") if c.isdigit())
        return max(int(found), 1) if found else 1

    def of(self, metric: str) -> np.ndarray:
        """Values of a metric, shape (frames,), NaN where a frame was not scored; of shape (0,) where it was not
        measured."""
        found = self.metrics.get(metric)
        return found.values if found else NO_VALUES


@dataclass(frozen=True)
class Preparation:
    """Work done once so that runs can be made, timed for itself.

    Fields: `key`, which names what it made; `kind`, "pre-render", "analysis" or "trial" (a short export
    to learn how long a run will take); `contender_id` that it was first made for; `programme`, a
    checksum; `excerpt`; `argv`; `state`, "done", "failed" or "stopped", and its `reason`; `wall_s`,
    `first_frame_s` in seconds and `bytes` of what it wrote, None where it did not get so far.
    """

    key: str
    kind: str
    contender_id: int
    programme: str
    excerpt: Excerpt
    argv: tuple[str, ...]
    state: str
    reason: str
    wall_s: float | None
    first_frame_s: float | None
    bytes: int | None


@dataclass(frozen=True)
class PlaybackRecord:
    """One round of one size with so many streams at once.

    Fields: `contender_id`; `output_sha256` of the output that was played, "" for the programme; `size`, a name of
    `export.playback.SIZES`; `streams`; `round`, from 1; `paces`, one of each stream; `cores` kept busy; `shares`,
    seconds a frame that its steps take on their own, by name, where they were timed; `made_utc`, ISO 8601.
    """

    contender_id: int
    output_sha256: str
    size: str
    streams: int
    round: int
    paces: tuple[Pace, ...]
    cores: float
    shares: dict[str, float] = field(default_factory=dict)
    made_utc: str = ""


@dataclass(frozen=True)
class PartRecord:
    """One timed part of an export, made to learn where its time goes.

    Fields: `contender_id`, `programme` (a checksum), `excerpt`; `name` of the part (see `analysis.ladder`);
    `argv`; `wall_s`, `first_frame_s`, `cpu_s` in seconds; `load`, usual use in per cent by name.
    """

    contender_id: int
    programme: str
    excerpt: Excerpt
    name: str
    argv: tuple[str, ...]
    wall_s: float
    first_frame_s: float | None
    cpu_s: float
    load: dict[str, float]


@dataclass(frozen=True)
class SearchPoint:
    """An encode that a search for a quality made.

    Fields: `contender_id` that it was made for; `recipe`, that contender's with another quality; `reference`, the
    key of what it was scored against; `wall_s`, a single timing, in no round; `bytes` and `output_sha256` of the
    file, which is not kept; `values`, qualities by key of `LIMIT_KINDS`; `made_utc`, ISO 8601, "" until it is kept.
    """

    contender_id: int
    recipe: Recipe
    reference: str
    wall_s: float
    bytes: int
    output_sha256: str
    values: dict[str, float]
    made_utc: str = ""
