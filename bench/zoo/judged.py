"""What the checks say of an export of the zoo."""

from dataclasses import replace
from pathlib import Path

from ovrik.errors import OvrikError
from ovrik.quality.checks.alignment import match
from ovrik.quality.checks.all_points import all_points
from ovrik.quality.checks.miniatures import Miniatures, miniatures
from ovrik.quality.checks.picture_points import OutputPair
from ovrik.quality.decode.probe import probe
from ovrik.quality.reference.made import make_reference
from ovrik.study.clip.footage import Footage
from ovrik.study.contender.delivery import Delivery, delivery
from ovrik.study.encoder.recipe import Recipe
from ovrik.study.facts.point import Point
from ovrik.study.programme.excerpt import whole
from ovrik.study.programme.programme import of_clip


class Reference:
    """A clip as a reference for its exports: the file itself, or, of a turned one, its frames made upright.
    Attributes: `clip`, what was read of it; `against` and `seen`, what was read and decoded of the reference."""

    def __init__(self, path: Path) -> None:
        self.clip: Footage = probe(path)
        file = make_reference(of_clip(self.clip), whole(self.clip)) if self.clip.rotation else path
        self.against: Footage = probe(file)
        self.seen: Miniatures = miniatures(file)

    def wanted(self, recipe: Recipe) -> Delivery:
        """What an export of all of it is to be."""
        return delivery(of_clip(self.clip), whole(self.clip), recipe)


def faults_of(output: Path, reference: Reference, recipe: Recipe) -> list[str]:
    """Everything that is said to be wrong, in clauses."""
    points, other = points_of(output, reference, recipe)
    return [*other, *(p.fault for p in points if p.fault)]


def points_of(output: Path, reference: Reference, recipe: Recipe) -> tuple[list[Point], list[str]]:
    """All points, and what is wrong besides."""
    wanted = reference.wanted(recipe)
    try:
        clip, seen = probe(output), miniatures(output)
    except OvrikError as exc:
        return [], [f"it can't be judged: {exc}"]
    clip = replace(clip, frames=seen.count) if clip.constant_rate else clip
    found = match(seen, clip.rate, reference.seen, wanted.rate)
    other = [] if found.shown else ["it does not show what the reference shows"]
    pair = OutputPair(seen, clip, reference.seen, reference.against, found)
    return all_points(output, pair, wanted, recipe), other
