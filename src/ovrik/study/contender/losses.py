"""What an export loses of its source, said before it is made and beside its verdict."""

from collections.abc import Mapping, Sequence

from ovrik.study.clip.footage import Footage, has_alpha
from ovrik.study.encoder.pixel_formats import depth_of, sampling_of
from ovrik.study.encoder.recipe import Recipe
from ovrik.study.programme.programme import Programme

CHROMA_ORDER = {"4:0:0": 0, "4:1:1": 1, "4:2:0": 1, "4:2:2": 2, "4:4:4": 3, "RGB": 3}


def programme_losses(programme: Programme) -> tuple[str, ...]:
    """What every export of a programme changes or leaves out, whatever its recipe; each in a clause."""
    clips = programme.clips
    out = [f"left out of the timeline: {words}" for words in programme.left_out]
    for clip in clips:
        if not clip.constant_rate:
            out.append(f"the variable rate of {_name(clip)} is made constant at {float(clip.rate):.5g} fps")
        if clip.rgb:
            out.append(
                f"the RGB of {_name(clip)} becomes Y'CbCr ({clip.delivered_colour.matrix}) in limited range: it "
                f"looks the same"
            )
        elif clip.full_range:
            out.append(f"the full-range levels of {_name(clip)} become limited: it looks the same")
        if clip.field_order:
            mixed = "" if programme.plain else ", and treatments mix its fields"
            out.append(
                f"{_name(clip)} is interlaced ({clip.field_order}): its fields are woven into progressive "
                f"frames{mixed}"
            )
        if clip.alpha and not programme.plain:
            out.append(f"the transparency of {_name(clip)} is dropped: treatments work on opaque frames")
        if not programme.plain and any(s.channels > 2 for s in clip.sounds[:1]):
            out.append(f"the {clip.sounds[0].channels} channels of {_name(clip)} are mixed to stereo")
        if len(clip.sounds) > 1:
            out.append(f"of the {len(clip.sounds)} audio streams of {_name(clip)} only the first is used")
        out += [f"{_name(clip)}: {words}" for words in tag_conflicts(clip)]
    return tuple(dict.fromkeys(out))


def tag_conflicts(clip: Footage) -> list[str]:
    """Colour tags that say one thing in the container and another in the coded stream, each in a clause."""
    pairs = ((n, getattr(clip.colour, n), getattr(clip.stream_colour, n)) for n in vars(clip.colour))
    return [
        f"its colour {name} is tagged {outside} in the container and {inside} in the coded stream"
        for name, outside, inside in pairs
        if outside and inside and outside != inside
    ]


def losses_together(losses: Mapping[str, Sequence[str]]) -> list[str]:
    """Losses by label as lines: what all have in common once, then each other loss with the labels that have it."""
    every: dict[str, list[str]] = {}
    for label, found in losses.items():
        for words in found:
            every.setdefault(words, []).append(label)
    return [f"{words}{_with_whom(labels, len(losses))}" for words, labels in every.items()]


MOST_NAMES = 2


def _with_whom(labels: Sequence[str], all_of_them: int) -> str:
    if len(labels) == all_of_them > 1:
        return " in every export"
    few = len(labels) <= MOST_NAMES
    return f" ({', '.join(labels)})" if few else f" in {len(labels)} of {all_of_them} contenders"


def recipe_losses(programme: Programme, recipe: Recipe) -> tuple[str, ...]:
    """What one recipe loses beyond that; each in a clause."""
    delivered, out = recipe.pixel_format, []
    if not delivered:
        return ()
    depth = max((c.bit_depth for c in programme.clips), default=8)
    if depth_of(delivered) < depth:
        out.append(f"{depth} bit becomes {depth_of(delivered)} bit")
    chroma = max((c.chroma for c in programme.clips), key=lambda c: CHROMA_ORDER.get(c, 3), default="4:2:0")
    if CHROMA_ORDER[sampling_of(delivered)] < CHROMA_ORDER.get(chroma, 3):
        out.append(f"{chroma} becomes {sampling_of(delivered)}")
    if programme.plain and programme.clips[0].alpha and not has_alpha(delivered):
        out.append("transparency is dropped")
    hdr = next((c.hdr for c in programme.clips if c.hdr), "")
    if hdr and depth_of(delivered) < 10:
        out.append(f"HDR ({hdr}) in 8 bit shows banding")
    if recipe.width and any(c.field_order for c in programme.clips) and recipe.height != programme.height:
        out.append("scaling mixes the fields of interlaced frames")
    if recipe.facts.codec == "h264" and depth_of(delivered) > 8:
        out.append("H.264 of more than 8 bit plays in few browsers and devices")
    return tuple(out)


def _name(clip: Footage) -> str:
    return clip.path.rsplit("/", 1)[-1]
