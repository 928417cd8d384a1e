"""What is read back from the study file, as values, each with the table that keeps it."""

import sqlite3
from dataclasses import dataclass, field
from enum import StrEnum
from typing import Any

import numpy as np

from ovrik.errors import OvrikError
from ovrik.store.table import Table
from ovrik.study.conduct import Conduct
from ovrik.study.containers import CONTAINERS
from ovrik.study.contender import Contender
from ovrik.study.encoders import ENCODERS
from ovrik.study.excerpt import Excerpt
from ovrik.study.facts.device_use import FellBack, OnProcessor
from ovrik.study.facts.disturbance import Disturbance
from ovrik.study.facts.origin import Origin
from ovrik.study.facts.output_facts import OutputFacts
from ovrik.study.facts.passes import PassTimes
from ovrik.study.facts.reason import Reason
from ovrik.study.intermediate import Intermediate
from ovrik.study.limit_kinds import LIMIT_KINDS
from ovrik.study.limits import Limits
from ovrik.study.methods import Methods, methods
from ovrik.study.plain import from_plain
from ovrik.study.played import Pace, pace_from
from ovrik.study.point import Point, point_from
from ovrik.study.recipe import Recipe
from ovrik.study.seen import Blind, Choice, Pin, Spot, area_from
from ovrik.study.sitting import Sitting
from ovrik.study.worth import Worth


@dataclass(frozen=True)
class StudyFacts:
    """The study's own row.

    Fields: `title`; `created_utc`, ISO 8601; `excerpt`; `rounds` wanted; `warmup` rounds;
    `tie_band`; `baseline_id`, a contender's id or None; `seed` of the shuffles; `limits`; `conduct`, how
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

    Fields: `id`; `contender_id`; `excerpt`; `origin`, who timed it; `round`, from 1 within what is paired with it (see
    `Origin.series`), 0 for a warm-up; `warmup`; `state` and `reason`; `started_utc`; `argv`, of several passes the
    last; `wall_s`; `first_frame_s` and `last_frame_s`, as reported; `user_s`, `system_s`, processor seconds;
    `peak_bytes`; `read_bytes`, `written_bytes` at the block layer; `frames_written`; `output`, the file's name;
    `output_bytes`, `output_sha256`; `exit_code`; `log`, its last lines; `own_cpu_s` that Ovrik used, `other_cpu_s`
    that others did, `stolen_s` that a virtual machine's host took; `earlier_passes`, the commands run before `argv`
    in the same run; `passes`, each by the clock; `conditions` it began and went under; `disturbed`, by what; `fell_back`,
    None where it did not; `machine_id`; `sitting_id`; `build`, `build_sha256`, the build's version and checksum at the
    time; `programme`, the checksum of what was exported.
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


class Kind(StrEnum):
    """What was decided about a contender: it can't be faster than the choice by more than the band any more; its
    output is not acceptable; what was learned since makes it a rival again, or the user no longer asks for it; or the
    user wants it timed all the same."""

    LEFT_OUT = "left out"
    SET_ASIDE = "set aside"
    BACK = "back"
    KEPT = "kept"


LEFT_OUT, SET_ASIDE, BACK, KEPT = Kind


@dataclass(frozen=True)
class Decision:
    """Who is timed further was decided anew.

    Fields: `contender_id`; `round`, after how many; `kind`; `gain`, how much faster than the choice it could be at the
    most, as a share, None where that is not why; `choice_id`, the choice then, None where that is not why; `why`, what
    speaks against it where it was set aside; `asked`, whether the user decided; `made_utc`, ISO 8601, "" for one that
    is not on file yet."""

    contender_id: int
    round: int
    kind: Kind
    gain: float | None = None
    choice_id: int | None = None
    why: Reason | None = None
    asked: bool = False
    made_utc: str = ""

    @property
    def out(self) -> bool:
        """Whether it is not timed any more."""
        return self.kind in (LEFT_OUT, SET_ASIDE)


IN_PLACE = ("programme_id INTEGER NOT NULL", "start_frame INTEGER NOT NULL", "frames INTEGER NOT NULL")
"""What was exported: columns of whatever belongs to an excerpt and does not say so itself."""
KEY = "id INTEGER PRIMARY KEY"
SITTING = "sitting_id INTEGER NOT NULL DEFAULT 1"
DECISIONS = Table("decision", Decision, [KEY, *IN_PLACE, SITTING])


@dataclass(frozen=True)
class Looks:
    """How often evidence has been looked at with more rounds still to be asked for: never lowered.

    Fields: `most`, after how many rounds one might stop when rounds were last added until it was decided, the highest
    ever; `taken`, how often rounds were added by somebody who could see what there was; `rounds` that were asked for,
    the highest number ever."""

    most: int = 0
    taken: int = 0
    rounds: int = 0

    @property
    def count(self) -> int:
        """Looks that intervals allow for, this one included; 0 where there is this one only."""
        return max(self.most, self.taken + 1) if self.most or self.taken else 0


LOOKS = Table(
    "look", Looks, [*IN_PLACE, SITTING], rules=["UNIQUE (programme_id, start_frame, frames, sitting_id)"]
)


@dataclass(frozen=True, eq=False)
class MetricScores:
    """One metric of every frame. Fields: `version` of the metric, that is of its model and of what measured it;
    `values`, of shape (frames,)."""

    version: str
    values: np.ndarray


NO_VALUES = np.zeros(0)

BITS = "bits"
"""The key of what each frame takes, among the metrics."""


@dataclass(frozen=True, eq=False)
class ScoreRecord:
    """A checked output.

    Fields: `contender_id`; `output_sha256` of the file that was checked; `reference`, the
    key of what it was judged against; `faults` of conformity, empty when it conforms; `problem`,
    why it could not be scored, or ""; `facts` of the output; `points` of conformity, empty of those checked before there
    were any; `id`, 0 until it is kept; `metrics`, the scores by the metric's key, empty when unscored.
    """

    contender_id: int
    output_sha256: str
    reference: str
    faults: tuple[str, ...] = ()
    facts: OutputFacts = field(default_factory=OutputFacts)
    problem: str = ""
    points: tuple[Point, ...] = ()
    id: int = 0
    metrics: dict[str, MetricScores] = field(default_factory=dict)

    def of(self, metric: str) -> np.ndarray:
        """Values of a metric, shape (frames,), NaN where a frame was not scored; of shape (0,) where it was not
        measured."""
        found = self.metrics.get(metric)
        return found.values if found else NO_VALUES


SCORES = Table(
    "score",
    ScoreRecord,
    ["build_id INTEGER", "measured_utc TEXT NOT NULL"],
    rules=["UNIQUE (contender_id, output_sha256, reference)"],
    joined={"metrics": ""},
    ways={
        "points": (
            lambda points: [list(vars(p).values()) for p in points],
            lambda said: tuple(map(point_from, said)),
        )
    },
)


class Made(StrEnum):
    """What was made once so that runs can be made; a trial is a short export, to learn how long a run will take."""

    PRE_RENDER = "pre-render"
    ANALYSIS = "analysis"
    TRIAL = "trial"


@dataclass(frozen=True)
class Preparation:
    """Work done once so that runs can be made, timed for itself.

    Fields: `key`, which names what it made; `kind`; `contender_id` that it was first made for; `excerpt`; `argv`;
    `state` and its `reason`; `wall_s`, `first_frame_s` in seconds and `bytes` of what it wrote, None where it did not
    get so far; `programme`, a checksum.
    """

    key: str
    kind: Made
    contender_id: int
    excerpt: Excerpt
    argv: tuple[str, ...]
    state: str
    reason: str = ""
    wall_s: float | None = None
    first_frame_s: float | None = None
    bytes: int | None = None
    programme: str = ""


PREPARATIONS = Table(
    "preparation",
    Preparation,
    [KEY, IN_PLACE[0], "build_id INTEGER", "machine_id INTEGER", "started_utc TEXT NOT NULL"],
    joined={"programme": "checksum"},
)


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


PLAYBACKS = Table(
    "playback",
    PlaybackRecord,
    [KEY, *IN_PLACE, "machine_id INTEGER NOT NULL"],
    ways={
        "paces": (
            lambda paces: [list(vars(p).values()) for p in paces],
            lambda said: tuple(map(pace_from, said)),
        )
    },
)


@dataclass(frozen=True)
class PartRecord:
    """One timed part of an export, made to learn where its time goes.

    Fields: `contender_id`, `excerpt`; `name` of the part (see `analysis.ladder`);
    `argv`; `wall_s`, `first_frame_s`, `cpu_s` in seconds; `load`, usual use in per cent by name; `programme`, a checksum.
    """

    contender_id: int
    excerpt: Excerpt
    name: str
    argv: tuple[str, ...]
    wall_s: float
    first_frame_s: float | None
    cpu_s: float
    load: dict[str, float]
    programme: str = ""


PARTS = Table(
    "part", PartRecord, [KEY, IN_PLACE[0], "started_utc TEXT NOT NULL"], joined={"programme": "checksum"}
)


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


def _search_trouble(made: SearchPoint, _row: object) -> str:
    return "" if made.wall_s > 0 and made.bytes > 0 else "a time or a size is nothing"


def _known_qualities(said: dict[str, float]) -> dict[str, float]:
    return {k: float(v) for k, v in said.items() if k in LIMIT_KINDS}


SEARCH_POINTS = Table(
    "search_point",
    SearchPoint,
    [KEY, *IN_PLACE],
    names={"bytes": "output_bytes", "values": "pooled"},
    ways={"recipe": (Recipe.to_json, Recipe.from_json), "values": (dict, _known_qualities)},
    check=_search_trouble,
)


def _pin_trouble(made: Pin, row: sqlite3.Row) -> str:
    return "" if 0 <= made.frame < row["frames"] else f"note {made.id} is on no frame of the excerpt"


PINS = Table(
    "pin", Pin, [*IN_PLACE], names={"area": "region"}, ways={"area": (list, area_from)}, check=_pin_trouble
)


def _blind_trouble(made: Blind, _row: object) -> str:
    out = any(not 0 <= c.spot < len(made.spots) for c in made.choices) or len(made.choices) > made.most
    return f"answers of blind comparison {made.id} make no sense" if out else ""


BLINDS = Table(
    "blind",
    Blind,
    [*IN_PLACE],
    names={"one": "one_sha256", "other": "other_sha256", "spots": "places", "choices": "answers"},
    ways={
        "spots": (
            lambda spots: [[s.frame, *s.area] for s in spots],
            lambda said: tuple(Spot(int(s[0]), area_from(s[1:])) for s in said),
        ),
        "choices": (
            lambda made: [[c.spot, int(c.one_left), int(c.chose_one), round(c.seconds, 3)] for c in made],
            lambda said: tuple(Choice(int(c[0]), bool(c[1]), bool(c[2]), float(c[3])) for c in said),
        ),
    },
    check=_blind_trouble,
)


def _methods(said: dict[str, Any]) -> Methods:
    try:
        return methods(said)
    except OvrikError as exc:
        raise ValueError(exc.problem) from None


def _contender_trouble(made: Contender, _row: object) -> str:
    known = made.recipe.encoder in ENCODERS and made.recipe.container in CONTAINERS
    return "" if known else f"contender {made.id} uses an encoder or a container that is not known"


CONTENDERS = Table(
    "contender",
    Contender,
    ["position INTEGER NOT NULL"],
    ways={
        "recipe": (Recipe.to_json, Recipe.from_json),
        "prerendered": (Intermediate.to_json, lambda said: from_plain(Intermediate, said)),
        "methods": (dict, _methods),
    },
    check=_contender_trouble,
)

SITTINGS = Table(
    "sitting",
    Sitting,
    ways={"builds": (dict, lambda said: tuple((k, v) for k, v in said.items() if isinstance(v, str)))},
)

TABLES: tuple[Table[Any], ...] = (
    *(CONTENDERS, SITTINGS, RUNS, PARTS, SCORES, PREPARATIONS, DECISIONS, LOOKS, PLAYBACKS),
    *(PINS, BLINDS, SEARCH_POINTS),
)
"""Every table whose rows are records."""
