"""Everything that is checked of an output but its sound, from what was decoded of it and of its reference."""

from pathlib import Path

from ovrik.quality.checks.conformity import conformity_points
from ovrik.quality.checks.file_points import file_points
from ovrik.quality.checks.picture_points import OutputPair, picture_points
from ovrik.study.contender.delivery import Delivery
from ovrik.study.encoder.recipe import Recipe
from ovrik.study.facts.point import Point, point

SHOWN = "shows the excerpt"
EDITION = 1
"""Raised when checks are made another way: outputs that are still there are checked again, their scores stay."""


def all_points(output: Path, pair: OutputPair, wanted: Delivery, recipe: Recipe) -> list[Point]:
    """Its facts, where it lies, its picture, its file. Raises OvrikError when the file can't be read."""
    return [
        *conformity_points(pair.clip, wanted, recipe),
        *(point(SHOWN, fault) for fault in pair.match.faults or [""]),
        *(picture_points(pair) if pair.match.shown else []),
        *file_points(output, pair.clip.container, pair.seen.broken, recipe.bit_rate),
    ]
