"""One thing that is timed, and the label made from what sets it apart."""

import re
from collections.abc import Sequence
from dataclasses import dataclass, replace

from ovrik.study.recipe import Recipe

FACTORS = ("encoder", "preset", "rate", "pixel_format", "container", "sound", "build")
"""What may differ between two contenders, in the order in which a label names it."""

FACTOR_TITLES = {
    "encoder": "Encoder", "preset": "Preset", "rate": "Rate control",
    "pixel_format": "Pixel format", "container": "Container", "sound": "Sound", "build": "Build",
}  # fmt: skip


@dataclass(frozen=True)
class Contender:
    """A build and a recipe.

    Fields: `id`, the study file's number for it, 0 until it is kept; `label`, shown everywhere;
    `label_given`, True when a person wrote the label; `build`, "bundled", "system" or a path to a
    program; `recipe`; `active`, False when it was taken out of the line-up after being timed.
    """

    build: str
    recipe: Recipe
    label: str = ""
    label_given: bool = False
    id: int = 0
    active: bool = True

    @property
    def simulated(self) -> bool:
        """Whether a stand-in makes it: a simulated device that ships with Ovrik."""
        return self.build.startswith("standin-")

    def factors(self) -> dict[str, str]:
        """Each factor's value in words."""
        return {
            "encoder": self.recipe.facts.short,
            "preset": self.recipe.preset,
            "rate": self.recipe.rate_words,
            "pixel_format": self.recipe.pixel_format,
            "container": self.recipe.container,
            "sound": self.recipe.sound,
            "build": build_words(self.build),
        }

    def same_thing(self, other: "Contender") -> bool:
        """Whether both would be timed with the same command."""
        return self.build == other.build and self.recipe == other.recipe


def build_words(build: str) -> str:
    """A build's key as it stands in a label: a path is cut to its file name."""
    return build.removeprefix("standin-").removeprefix("described-").rsplit("/", 1)[-1]


def differing(contenders: Sequence[Contender]) -> list[str]:
    """The factors that take more than one value among contenders, in label order."""
    rows = [c.factors() for c in contenders]
    return [f for f in FACTORS if len({r[f] for r in rows}) > 1]


SIMULATED = " (simulated)"


def marked(contender: Contender) -> Contender:
    """A given label of a simulated contender says so, whatever a person wrote."""
    if not (contender.simulated and contender.label_given) or SIMULATED.strip() in contender.label:
        return contender
    return replace(contender, label=contender.label + SIMULATED)


def labelled(contenders: Sequence[Contender]) -> list[Contender]:
    """The same contenders with labels made anew, but for those a person wrote.

    A label names the encoder, its preset, and whatever else differs among the contenders of that
    encoder. Labels are unique: a second of the same gets "(2)".
    """
    contenders = [marked(c) for c in contenders]
    out: list[Contender] = []
    taken = {c.label for c in contenders if c.label_given}
    for c in contenders:
        if c.label_given:
            out.append(c)
            continue
        peers = [p for p in contenders if p.recipe.encoder == c.recipe.encoder]
        named = {"encoder", "preset", *differing(peers)}
        values = c.factors()
        wanted = " ".join(values[f] for f in FACTORS if f in named)
        if c.simulated:
            wanted += SIMULATED
        label, count = wanted, 1
        while label in taken:
            count += 1
            label = f"{wanted} ({count})"
        taken.add(label)
        out.append(replace(c, label=label))
    return out


def output_name(contender: Contender) -> str:
    """File name of a contender's output: readable, and unique through the study's own number."""
    slug = re.sub(r"[^a-z0-9]+", "-", contender.label.lower()).strip("-")[:60] or "output"
    return f"{contender.id:02d}-{slug}.{contender.recipe.container}"
