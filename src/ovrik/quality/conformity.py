"""Does an output hold what it should? Checked before anybody looks at its quality."""

from ovrik.study.delivery import Delivery
from ovrik.study.footage import ColourTags, Footage
from ovrik.study.recipe import Recipe

RATE_TOLERANCE = 1e-3
"""Relative: Matroska writes time stamps in whole milliseconds."""


def _colour_faults(output: ColourTags, footage: ColourTags) -> list[str]:
    """Tags that are there in both and differ: such an output is shown with other colours."""
    out = []
    for name in ("primaries", "transfer", "matrix", "range"):
        ours, theirs = getattr(output, name), getattr(footage, name)
        if ours and theirs and ours != theirs:
            out.append(f"its colour {name} is tagged {ours} instead of {theirs}")
    return out


def conformity_faults(output: Footage, wanted: Delivery, recipe: Recipe) -> list[str]:
    """What is wrong with an output, each in a clause; empty when it conforms."""
    faults = []
    if output.codec != recipe.facts.codec:
        faults.append(f"it holds {output.codec}, not {recipe.facts.codec_title}")
    if output.frames != wanted.frames:
        faults.append(f"it has {output.frames} frames instead of {wanted.frames}")
    if (output.width, output.height) != (wanted.width, wanted.height):
        faults.append(f"its size is {output.width}×{output.height} instead of "
                      f"{wanted.width}×{wanted.height}")  # fmt: skip
    if output.pixel_format.removeprefix("yuvj") != recipe.pixel_format.removeprefix("yuv") and (
        output.pixel_format != recipe.pixel_format
    ):
        faults.append(f"its pixel format is {output.pixel_format} instead of {recipe.pixel_format}")
    if abs(float(output.rate / wanted.rate) - 1) > RATE_TOLERANCE:
        faults.append(f"its rate is {float(output.rate):.3f} fps instead of "
                      f"{float(wanted.rate):.3f}")  # fmt: skip
    faults += _colour_faults(output.colour, wanted.colour)
    # A sound codec pads to its own block length, so the container may run a little over.
    slack = max(2 / float(wanted.rate), 0.1)
    if output.container_s and abs(output.container_s - wanted.duration_s) > slack:
        faults.append(f"it lasts {output.container_s:.2f} s instead of {wanted.duration_s:.2f} s")
    if wanted.sound and not output.sounds:
        faults.append("its sound is missing")
    return faults
