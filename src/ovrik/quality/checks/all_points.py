"""Everything that is checked of an output but its sound, from what was decoded of it and of its reference."""

from pathlib import Path

from ovrik.quality.checks.alignment import Match
from ovrik.quality.checks.conformity import conformity_points
from ovrik.quality.checks.file_points import file_points
from ovrik.quality.checks.picture_points import OutputPair, picture_points
from ovrik.study.contender.delivery import Delivery
from ovrik.study.encoder.recipe import Recipe
from ovrik.study.facts.point import UNKNOWN, Point, point

SHOWN = "shows the excerpt"
EDITION = 3
"""Raised when checks are made another way: outputs that are still there are checked again, their scores stay."""


def _shown(found: Match) -> list[Point]:
    if not (found.faults or found.told):
        return [Point(SHOWN, UNKNOWN, "there is too little to see, or too little of it is left")]
    return [point(SHOWN, fault) for fault in found.faults or [""]]


def all_points(output: Path, pair: OutputPair, wanted: Delivery, recipe: Recipe) -> list[Point]:
    """Its facts, where it lies, its picture, its file. Raises OvrikError when the file can't be read."""
    return [
        *conformity_points(pair.clip, wanted, recipe),
        *_shown(pair.match),
        *(picture_points(pair) if pair.match.shown else []),
        *file_points(output, pair.clip.container, pair.seen.broken, recipe.bit_rate),
    ]
