"""What an output is to be: an excerpt of a programme, as a recipe delivers it."""

from dataclasses import dataclass
from fractions import Fraction

from ovrik.study.clip.footage import ColourTags
from ovrik.study.encoder.recipe import Recipe
from ovrik.study.programme.excerpt import Excerpt
from ovrik.study.programme.programme import Programme


@dataclass(frozen=True)
class Delivery:
    """Fields: `width`, `height` in pixels; `rate` in frames per second; `frames`; `colour` tags;
    `sound`, whether there is to be any; `pixel_format` in which it is judged; `sample_aspect`, the shape of a
    pixel; `full_range`, whether its source has full-range levels, which an output may keep if it says so."""

    width: int
    height: int
    rate: Fraction
    frames: int
    colour: ColourTags
    sound: bool
    pixel_format: str
    sample_aspect: Fraction = Fraction(1)
    full_range: bool = False

    @property
    def duration_s(self) -> float:
        """Length in seconds."""
        return float(self.frames / self.rate)


def delivery(programme: Programme, excerpt: Excerpt, recipe: Recipe | None = None) -> Delivery:
    """Size, rate and length of an output; without a recipe, the programme's own."""
    width, height, rate = programme.width, programme.height, programme.rate
    if recipe is not None:
        width, height = (recipe.width, recipe.height) if recipe.width else (width, height)
        rate = Fraction(recipe.rate) if recipe.rate else rate
    # Scaling keeps the shape of the picture, and so changes that of its pixels.
    aspect = programme.sample_aspect * programme.width * height / (programme.height * width)
    return Delivery(
        width=width,
        height=height,
        rate=rate,
        frames=round(excerpt.frames * rate / programme.rate),
        colour=programme.colour,
        sound=bool(programme.sounds) and (recipe is None or recipe.sound != "none"),
        pixel_format=programme.pixel_format,
        sample_aspect=aspect,
        full_range=any(c.full_range for c in programme.clips),
    )
