"""A whole question, before any evidence."""

from dataclasses import dataclass, field
from fractions import Fraction
from pathlib import Path

from ovrik.study.contender.contender import Contender
from ovrik.study.contender.described import Description
from ovrik.study.programme.treatment import Treatment
from ovrik.study.question.conduct import Conduct
from ovrik.study.question.limits import Limits
from ovrik.study.question.worth import Worth


@dataclass(frozen=True)
class Source:
    """What the programme is made of.

    Fields: `clips` in order, or `timeline`, a file; `media`, folders in which its clips are looked for;
    `ready_set`, "" for none; `treatments` over the whole; `on_shots`, by shot number from 1; `timeline_rate`,
    frames per second, for an .edl, which does not state it; `size`, width and height of its frame in pixels, None for
    the timeline's or the first clip's; `fit`, how clips of another shape come into it, "" for the usual way.
    """

    clips: tuple[Path, ...] = ()
    timeline: Path | None = None
    media: tuple[Path, ...] = ()
    ready_set: str = ""
    treatments: tuple[Treatment, ...] = ()
    on_shots: tuple[tuple[int, Treatment], ...] = ()
    timeline_rate: Fraction | None = None
    size: tuple[int, int] | None = None
    fit: str = ""


@dataclass(frozen=True)
class Span:
    """An excerpt as it is written. Fields: `name`, "" for the only one; `start_s`, `duration_s` in
    seconds (None: to the end), or `start_frame`, `frames` where it is given in frames; `source`, of another programme
    than the plan's own, None for that one; `weight` in the verdict over all kinds of footage."""

    name: str = ""
    start_s: float = 0.0
    duration_s: float | None = None
    start_frame: int | None = None
    frames: int | None = None
    source: Source | None = None
    weight: float = 1.0


@dataclass(frozen=True)
class Question:
    """What a plan file says.

    Fields: `title`; `source` of the programme; `excerpts`, the first is the one timed first; `rounds` that
    count; `warmup` rounds that do not; `baseline`, the label of the contender that others are compared
    with; `limits`; `contenders`, labelled; `tie_band`, half-width within which a difference counts for
    nothing, 0.02 for ±2 %; `programs`, descriptions that came in the plan; `refused`, what can't be made
    into a contender: label and reason; `conduct`, how runs are made; `worth`, how the times are used.
    """

    title: str
    source: Source
    excerpts: tuple[Span, ...]
    rounds: int
    warmup: int
    baseline: str
    limits: Limits
    contenders: tuple[Contender, ...]
    tie_band: float = 0.02
    programs: tuple[Description, ...] = ()
    refused: tuple[tuple[str, str], ...] = field(default=())
    conduct: Conduct = field(default_factory=Conduct)
    worth: Worth = field(default_factory=Worth)
