"""What was made besides runs: preparations, parts, playback."""

from dataclasses import dataclass, field
from enum import StrEnum

from ovrik.store.records.columns import IN_PLACE, KEY
from ovrik.store.records.table import Table
from ovrik.study.facts.played import Pace, pace_from
from ovrik.study.programme.excerpt import Excerpt


class PreparationKind(StrEnum):
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
    kind: PreparationKind
    contender_id: int
    excerpt: Excerpt
    argv: tuple[str, ...]
    state: str
    reason: str = ""
    wall_s: float | None = None
    first_frame_s: float | None = None
    bytes: int | None = None
    programme: str = ""

    @property
    def entered(self) -> bool:
        """Whether somebody took its time of what another program made: Ovrik ran nothing."""
        return not self.argv


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

    Fields: `contender_id`, `excerpt`; `name` of the part (see `analysis.ladder`); `argv`; `wall_s`, `first_frame_s`,
    `cpu_s` in seconds; `load`, usual use in per cent by name; `programme`, a checksum.
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
