"""The tables of a plan file, each checked as it is read."""

from fractions import Fraction
from pathlib import Path
from typing import Any

from pydantic import BaseModel, ConfigDict, Field, create_model, model_validator

from ovrik.study.contender.as_table import ContenderTable, parse_rate, parse_size
from ovrik.study.contender.described import Description
from ovrik.study.programme.programme import FITS
from ovrik.study.programme.ready_set import READY_SETS
from ovrik.study.question.asked import Source, Span
from ovrik.study.question.conduct import AS_IT_IS, CACHE_STATES, CHOICE, DECIDES
from ovrik.study.question.footage_kind import MOST_WEIGHT
from ovrik.study.question.limit_kinds import LIMIT_KINDS
from ovrik.study.question.limits import READY_LIMITS, Limits, limits_from


class Strict(BaseModel):
    """A table in which each key is known."""

    model_config = ConfigDict(extra="forbid", defer_build=True, strict=False)


LONGEST_S, MOST_FRAMES = 1e7, 10**9
"""No footage is so long."""


class ExcerptTable(Strict):
    """An excerpt: `start` and `duration` in seconds, or `start_frame` and `frames`; to the end if neither
    length is given. Of other footage than the plan's own where `footage`, `clips` or `timeline` names it."""

    name: str = ""
    start: float = Field(0.0, ge=0, le=LONGEST_S)
    duration: float | None = Field(None, gt=0, le=LONGEST_S)
    start_frame: int | None = Field(None, ge=0, le=MOST_FRAMES)
    frames: int | None = Field(None, ge=2, le=MOST_FRAMES)
    footage: str = ""
    clips: list[str] = Field(default_factory=list)
    timeline: str = ""
    timeline_rate: float | str = ""
    media: list[str] = Field(default_factory=list)
    treatments: str = ""
    size: str = ""
    fit: str = ""
    weight: float = Field(1.0, ge=0, le=MOST_WEIGHT)

    @model_validator(mode="after")
    def _one_source(self) -> "ExcerptTable":
        given = [name for name in ("footage", "clips", "timeline") if getattr(self, name)]
        if len(given) > 1:
            raise ValueError(f"{' and '.join(given)} contradict each other: keep one of them")
        if given and not self.name:
            raise ValueError("an excerpt of other footage needs a name")
        alone = next((name for name in ("treatments", "size", "fit") if getattr(self, name)), "")
        if alone and not given:
            raise ValueError(f"{alone} goes with footage, clips or timeline of its own")
        if self.fit and self.fit not in FITS:
            raise ValueError(f"fit is one of {', '.join(FITS)}")
        if self.treatments and self.treatments not in READY_SETS:
            raise ValueError(f"treatments names a ready set: one of {', '.join(READY_SETS)}")
        return self

    @model_validator(mode="after")
    def _one_way(self) -> "ExcerptTable":
        if self.start_frame is not None and (self.start or self.duration is not None):
            raise ValueError("start_frame and frames contradict start and duration: keep one pair")
        return self

    def span(self, folder: Path) -> Span:
        """As a value; files are named from the plan's folder. Raises OvrikError for a size that is none."""
        source = None
        if self.footage or self.clips or self.timeline:
            names = [self.footage] if self.footage else self.clips
            source = Source(
                tuple(placed(folder, n) for n in names),
                placed(folder, self.timeline) if self.timeline else None,
                tuple(placed(folder, m) for m in self.media),
                self.treatments,
                timeline_rate=rate(self.timeline_rate),
                size=parse_size(self.size) if self.size else None,
                fit=self.fit,
            )
        return Span(
            name=self.name,
            start_s=self.start,
            duration_s=self.duration,
            start_frame=self.start_frame,
            frames=self.frames,
            source=source,
            weight=self.weight,
        )


def rate(said: float | str) -> Fraction | None:
    """Frames per second as they are written; None for 0 or "". Raises ValueError."""
    return Fraction(parse_rate(said)) if said else None


def placed(folder: Path, name: str) -> Path:
    """A file that a plan names, relative to the plan's folder."""
    found = Path(name).expanduser()
    return found if found.is_absolute() else folder / found


class WorthTable(Strict):
    """`[worth]`: how the times are used."""

    delivered: bool = False
    line_mbit_s: float = Field(20.0, gt=0, le=1e6)
    exports_a_week: float = Field(10.0, ge=0, le=1e5)
    minutes: float = Field(10.0, ge=0, le=1e5)
    an_hour: float = Field(0.0, ge=0, le=1e6)
    years_kept: float = Field(1.0, ge=0, le=100)
    exports_a_film: float = Field(1.0, ge=1, le=1e5)
    first_waits: bool = True


class StudyTable(Strict):
    """`[study]`."""

    title: str = Field(min_length=1)
    footage: str = ""
    clips: list[str] = Field(default_factory=list)
    timeline: str = ""
    timeline_rate: float | str = ""
    media: list[str] = Field(default_factory=list)
    treatments: str = ""
    size: str = ""
    fit: str = ""
    excerpt: ExcerptTable | None = None
    rounds: int = Field(3, ge=1, le=100)
    warmup: int = Field(1, ge=0, le=5)
    baseline: str = ""
    tie_band: float = Field(0.02, ge=0, le=0.2)
    reference: str = ""

    @model_validator(mode="after")
    def _one_source(self) -> "StudyTable":
        given = [name for name in ("footage", "clips", "timeline") if getattr(self, name)]
        if not given:
            raise ValueError("give footage (one clip), clips (several in order) or timeline (a file)")
        if len(given) > 1:
            raise ValueError(f"{' and '.join(given)} contradict each other: keep one of them")
        if self.treatments and self.treatments not in READY_SETS:
            raise ValueError(f"treatments names a ready set: one of {', '.join(READY_SETS)}")
        if self.fit and self.fit not in FITS:
            raise ValueError(f"fit is one of {', '.join(FITS)}")
        return self


class TimingTable(Strict):
    """`[timing]`: how runs are made."""

    cache: str = AS_IT_IS
    rest: bool = True
    rest_limit_s: float = Field(60.0, ge=0, le=3600)
    nice: int = Field(0, ge=0, le=19)
    cores: list[int] = Field(default_factory=list)
    until_decided: bool = False
    decides: str = CHOICE
    set_aside: bool = True
    warm_all: bool = False
    most_rounds: int = Field(12, ge=3, le=50)
    most_minutes: float = Field(0.0, ge=0)
    drop_hopeless: bool = False
    disturbed_share: float = Field(0.05, gt=0, le=1)
    repeat_disturbed: bool = True
    outputs: str = ""
    first_times: int = Field(3, ge=1, le=9)
    remove_left: bool = True
    sync: bool = True
    refuse_forms: bool = False

    @model_validator(mode="after")
    def _known(self) -> "TimingTable":
        if self.cache not in CACHE_STATES:
            raise ValueError(f"cache is one of {', '.join(CACHE_STATES)}")
        if self.decides not in DECIDES:
            raise ValueError(f"decides is one of {', '.join(DECIDES)}")
        return self


class LimitsBase(Strict):
    """`[limits]`: `ready`, the name of a ready set to start from, then what goes before it."""

    ready: str = ""
    plays: bool | None = None
    unseen: bool | None = None

    @model_validator(mode="after")
    def _known(self) -> "LimitsBase":
        if self.ready and self.ready not in READY_LIMITS:
            raise ValueError(f"ready names a set of limits: one of {', '.join(READY_LIMITS)}")
        return self

    def limits(self) -> Limits:
        """As a value: what is written goes before what the ready set says."""
        begun = READY_LIMITS[self.ready][1] if self.ready else Limits()
        written = {key: getattr(self, key) for key in LIMIT_KINDS if key in self.model_fields_set}
        return limits_from(
            {**dict(begun.values), **written},
            begun.plays if self.plays is None else self.plays,
            begun.unseen if self.unseen is None else self.unseen,
        )


_ASKED: dict[str, Any] = {
    k.key: (float | None, Field(None, ge=k.least, le=k.most)) for k in LIMIT_KINDS.values()
}
LimitsTable: type[LimitsBase] = create_model("LimitsTable", __base__=LimitsBase, **_ASKED)


class PlanFile(Strict):
    """The whole file. `[[treatment]]` and `[[grid]]` have keys of their own kind: they are checked later."""

    study: StudyTable
    limits: LimitsTable = Field(default_factory=lambda: LimitsTable.model_validate({}))  # type: ignore[valid-type]
    worth: WorthTable = Field(default_factory=lambda: WorthTable.model_validate({}))
    timing: TimingTable = Field(default_factory=lambda: TimingTable.model_validate({}))
    excerpt: list[ExcerptTable] = Field(default_factory=list)
    treatment: list[dict[str, Any]] = Field(default_factory=list)
    contender: list[ContenderTable] = Field(default_factory=list)
    grid: list[dict[str, Any]] = Field(default_factory=list)
    program: list[Description] = Field(default_factory=list)

    @model_validator(mode="after")
    def _something_to_time(self) -> "PlanFile":
        if not self.contender and not self.grid:
            raise ValueError("there is nothing to time: add a [[contender]] or a [[grid]]")
        return self
