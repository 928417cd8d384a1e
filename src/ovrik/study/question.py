"""A whole question, before any evidence."""

from dataclasses import dataclass, field
from pathlib import Path

from ovrik.study.contender import Contender
from ovrik.study.described import Description
from ovrik.study.limits import Limits


@dataclass(frozen=True)
class Question:
    """What a plan file says.

    Fields: `title`; `footage`, path of the clip; `start_s`, `duration_s` of the excerpt (None:
    from the beginning, to the end); `rounds` that count; `warmup` rounds that do not; `baseline`,
    the label of the contender that others are compared with; `limits`; `contenders`, labelled;
    `tie_band`, half-width within which a difference counts for nothing, 0.02 for ±2 %;
    `programs`, descriptions that came in the plan;
    `refused`, what can't be made into a contender: label and reason.
    """

    title: str
    footage: Path
    start_s: float
    duration_s: float | None
    rounds: int
    warmup: int
    baseline: str
    limits: Limits
    contenders: tuple[Contender, ...]
    tie_band: float = 0.02
    programs: tuple[Description, ...] = ()
    refused: tuple[tuple[str, str], ...] = field(default=())
