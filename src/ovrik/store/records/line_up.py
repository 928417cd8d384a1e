"""Contenders and sittings."""

from typing import Any

from ovrik.errors import OvrikError
from ovrik.store.records.table import Table
from ovrik.study.contender.contender import Contender
from ovrik.study.encoder.containers import CONTAINERS
from ovrik.study.encoder.encoders import ENCODERS
from ovrik.study.encoder.intermediate import Intermediate
from ovrik.study.encoder.recipe import Recipe
from ovrik.study.files.plain_values import from_plain
from ovrik.study.programme.methods import Methods, methods
from ovrik.study.question.sitting import Sitting


def _methods(said: dict[str, Any]) -> Methods:
    try:
        return methods(said)
    except OvrikError as exc:
        raise ValueError(exc.problem) from None


def _contender_trouble(made: Contender, _row: object) -> str:
    known = made.recipe.encoder in ENCODERS and made.recipe.container in CONTAINERS
    return "" if known else f"contender {made.contender_id} uses an encoder or a container that is not known"


CONTENDERS = Table(
    "contender",
    Contender,
    ["position INTEGER NOT NULL"],
    names={"contender_id": "id"},
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
