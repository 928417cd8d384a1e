"""A checked output and its scores."""

from dataclasses import dataclass, field

import numpy as np

from ovrik.store.records.table import Table
from ovrik.study.facts.output_facts import OutputFacts
from ovrik.study.facts.point import Point, point_from


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

    Fields: `contender_id`; `output_sha256` of the file that was checked; `reference`, the key of what it was judged
    against; `faults` of conformity, empty when it conforms; `problem`, why it could not be scored, or ""; `facts` of
    the output; `points` of conformity, empty of those checked before there were any; `id`, 0 until it is kept;
    `metrics`, the scores by the metric's key, empty when unscored.
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
