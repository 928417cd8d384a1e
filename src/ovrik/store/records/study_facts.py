"""The study's own row."""

from dataclasses import dataclass, field

from ovrik.store.records.damaged_row import DamagedRow
from ovrik.study.programme.excerpt import Excerpt
from ovrik.study.question.conduct import Conduct
from ovrik.study.question.limits import Limits
from ovrik.study.question.worth import Worth


@dataclass(frozen=True)
class StudyFacts:
    """The study's own row.

    Fields: `title`; `created_utc`, ISO 8601; `excerpt`; `rounds` wanted; `warmup` rounds;
    `tie_band`; `baseline_id`, a contender's id or None; `seed` of the shuffles; `limits`; `conduct`, how
    runs are made; `worth`, how the times are used; `damaged`, rows that are not as they were written, or gone: none
    of them is read, nor what belongs to them.
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
    damaged: tuple[DamagedRow, ...] = ()
