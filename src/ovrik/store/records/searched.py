"""Encodes that a search for a quality made."""

from dataclasses import dataclass

from ovrik.store.records.columns import IN_PLACE, KEY
from ovrik.store.records.table import Table
from ovrik.study.encoder.recipe import Recipe
from ovrik.study.question.limit_kinds import LIMIT_KINDS


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
