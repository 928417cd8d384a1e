"""What a recipe leaves open follows the source: a pixel format has the source's bit depth where the encoder can."""

from collections.abc import Sequence
from dataclasses import replace

from ovrik.study.clip.footage import has_alpha
from ovrik.study.contender.contender import Contender, labelled
from ovrik.study.encoder.encoder_limits import PROFILE_CHROMA, PROFILE_FORMATS
from ovrik.study.encoder.encoders import DESCRIBED
from ovrik.study.encoder.pixel_formats import depth_of, sampling_of
from ovrik.study.encoder.recipe import FOLLOWS, Recipe
from ovrik.study.programme.programme import Programme


def allowed_formats(r: Recipe) -> tuple[str, ...]:
    """Pixel formats that an encoder takes at this preset and profile."""
    tied = PROFILE_CHROMA.get((r.encoder, r.preset), r.facts.pixel_formats)
    held = PROFILE_FORMATS.get((r.encoder, r.profile))
    return tuple(f for f in tied if held is None or f in held) or tied


def followed_format(r: Recipe, depth: int) -> str:
    """The encoder's usual pixel format, or its twin nearest to a bit depth: the same chroma, and no fewer bits where
    there is one."""
    allowed = allowed_formats(r)
    usual = allowed[0]
    twins = [f for f in allowed if sampling_of(f) == sampling_of(usual) and not has_alpha(f)]
    enough = [f for f in twins if depth_of(f) >= depth]
    return min(enough, key=depth_of) if enough else max(twins, key=depth_of, default=usual)


def source_depth(programme: Programme) -> int:
    """The deepest of a programme's clips, bits per component."""
    return max((c.bit_depth for c in programme.clips), default=8)


def following(c: Contender, programme: Programme) -> Contender:
    """The same contender with what its recipe left open taken from the source."""
    if c.recipe.pixel_format != FOLLOWS:
        return c
    if c.recipe.encoder.startswith(DESCRIBED):
        # What such a program writes stands in its description.
        return replace(c, recipe=replace(c.recipe, pixel_format=allowed_formats(c.recipe)[0]))
    made = followed_format(c.recipe, source_depth(programme))
    return replace(c, recipe=replace(c.recipe, pixel_format=made))


def all_following(contenders: Sequence[Contender], programme: Programme) -> tuple[Contender, ...]:
    """The same for a line-up, with labels made anew where something was open."""
    made = [following(c, programme) for c in contenders]
    return (
        tuple(labelled(made))
        if any(a is not b for a, b in zip(made, contenders, strict=True))
        else (tuple(contenders))
    )
