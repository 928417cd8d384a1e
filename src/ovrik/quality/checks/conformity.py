"""Does an output hold what it should? Checked before anybody looks at its quality."""

from fractions import Fraction

from ovrik.study.clip.footage import Footage
from ovrik.study.contender.delivery import Delivery
from ovrik.study.contender.losses import tag_conflicts
from ovrik.study.encoder.encoder_limits import REPORTED
from ovrik.study.encoder.recipe import Recipe
from ovrik.study.facts.point import Point, point

RATE_TOLERANCE = 1e-3
"""Relative: Matroska writes time stamps in whole milliseconds."""


def same_rate(one: Fraction, other: Fraction) -> bool:
    """Whether frames of two rates belong together one by one."""
    return abs(float(one / other) - 1) <= RATE_TOLERANCE


SHAPE_TOLERANCE = 0.01
"""Relative: containers keep the shape of a pixel in fractions of their own."""


def _colour_faults(output: Footage, wanted: Delivery) -> list[str]:
    """Tags that are there and wrong: such an output is shown with other colours. Container and coded stream are
    asked each, since players differ in which of them they believe."""
    out = []
    for name in ("primaries", "transfer", "matrix", "range"):
        outside, inside = getattr(output.colour, name), getattr(output.stream_colour, name)
        theirs = getattr(wanted.colour, name)
        allowed = {theirs, "pc"} if name == "range" and wanted.full_range else {theirs}
        if (said := outside or inside) and theirs and said not in allowed and outside in ("", said):
            out.append(f"its colour {name} is tagged {said} instead of {theirs}")
    return [*tag_conflicts(output), *out]


def _format_faults(output: Footage, recipe: Recipe) -> list[str]:
    """The pixel format, as decoders report what this encoder makes of it."""
    if not recipe.facts.codec:
        return []  # another program was asked for it, in its own words
    found = output.pixel_format.replace("yuvj", "yuv", 1)
    reported = REPORTED.get((recipe.encoder, recipe.pixel_format), (recipe.pixel_format,))
    return [] if found in reported else [f"its pixel format is {found} instead of {recipe.pixel_format}"]


def shape_words(aspect: Fraction) -> str:
    """The shape of a pixel, width to height."""
    return "1:1" if aspect == 1 else f"{aspect.numerator}:{aspect.denominator}"


def conformity_faults(output: Footage, wanted: Delivery, recipe: Recipe) -> list[str]:
    """What is wrong with an output, each in a clause; empty when it conforms."""
    return [p.fault for p in conformity_points(output, wanted, recipe) if p.fault]


def conformity_points(output: Footage, wanted: Delivery, recipe: Recipe) -> list[Point]:
    """What was asked for, point by point, as far as a file's own facts tell."""
    named = [
        ("codec", _codec_fault(output, recipe)),
        (
            "frames",
            f"it has {output.frames} frames instead of {wanted.frames}"
            if output.frames != wanted.frames
            else "",
        ),
        ("size", _size_fault(output, wanted)),
        ("pixel aspect ratio", _shape_fault(output, wanted)),
        (
            "upright",
            f"its rotation flag is {output.rotation}°, but its frames are upright" if output.rotation else "",
        ),
        *(("pixel format", words) for words in _format_faults(output, recipe) or [""]),
        ("even rate", "" if output.constant_rate else "its frames are not evenly spaced"),
        ("rate", _rate_fault(output, wanted)),
        *(("colour tags", words) for words in _colour_faults(output, wanted) or [""]),
        ("duration", _length_fault(output, wanted)),
    ]
    if wanted.sound:
        named.append(("audio", "" if output.sounds else "its audio is missing"))
    return [point(name, fault) for name, fault in named]


def _codec_fault(output: Footage, recipe: Recipe) -> str:
    right = not recipe.facts.codec or output.codec == recipe.facts.codec
    return "" if right else f"it holds {output.codec}, not {recipe.facts.codec_title}"


def _size_fault(output: Footage, wanted: Delivery) -> str:
    if (output.width, output.height) == (wanted.width, wanted.height):
        return ""
    return f"its size is {output.width}×{output.height} instead of {wanted.width}×{wanted.height}"


def _shape_fault(output: Footage, wanted: Delivery) -> str:
    if abs(float(output.sample_aspect / wanted.sample_aspect) - 1) <= SHAPE_TOLERANCE:
        return ""
    is_, should = shape_words(output.sample_aspect), shape_words(wanted.sample_aspect)
    return f"its pixel aspect ratio is {is_} instead of {should}"


def _rate_fault(output: Footage, wanted: Delivery) -> str:
    if same_rate(output.rate, wanted.rate):
        return ""
    return f"its rate is {float(output.rate):.3f} fps instead of {float(wanted.rate):.3f}"


def _length_fault(output: Footage, wanted: Delivery) -> str:
    # A sound codec pads to its own block length, so the container may run a little over.
    slack = max(2 / float(wanted.rate), 0.1)
    if not output.container_s or abs(output.container_s - wanted.duration_s) <= slack:
        return ""
    return f"it lasts {output.container_s:.2f} s instead of {wanted.duration_s:.2f} s"
