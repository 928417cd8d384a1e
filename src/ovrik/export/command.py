"""The argument list of a contender's export."""

from collections.abc import Sequence
from fractions import Fraction
from pathlib import Path

from ovrik.study.encoders import CONTAINERS, SOUNDS
from ovrik.study.excerpt import Excerpt
from ovrik.study.footage import Footage
from ovrik.study.recipe import Recipe

REPORT_EVERY_S = 0.1
"""How often a build reports progress; also the resolution of "time to first picture"."""


def seconds_text(value: Fraction) -> str:
    """Seconds cut to the microsecond, as the builds read them.

    Cut, not rounded: a build rounds a seek time to the stream's own ticks, and a time a fraction of
    a microsecond late could miss its picture.
    """
    micros = int(value * 1_000_000)
    return f"{micros // 1_000_000}.{micros % 1_000_000:06d}"


def input_arguments(footage: Footage, excerpt: Excerpt) -> list[str]:
    """Options that open the footage at the excerpt, to the frame."""
    start = excerpt.start_frame / footage.rate
    out = ["-ss", seconds_text(start)] if excerpt.start_frame else []
    if excerpt.frames < footage.frames:
        out += ["-t", seconds_text(excerpt.frames / footage.rate)]
    return [*out, "-i", footage.path]


def picture_arguments(footage: Footage, excerpt: Excerpt) -> list[str]:
    """Options that take exactly the excerpt's pictures; an uneven rate is made even."""
    even = [] if footage.constant_rate else ["-vf", f"fps={footage.rate}"]
    return ["-map", "0:v:0", *even, "-frames:v", str(excerpt.frames)]


def export_command(
    program: str,
    footage: Footage,
    excerpt: Excerpt,
    recipe: Recipe,
    output: Path,
    options: Sequence[str] = ("stats_period",),
) -> list[str]:
    """The full argument list, program first. It writes `output`, replacing what is there.

    `options` are those that the build takes: an old one does not know how often to report.
    """
    sound = SOUNDS[recipe.sound] if footage.sounds else SOUNDS["none"]
    chosen = ["-map", "0:a:0"] if footage.sounds and recipe.sound != "none" else []
    pace = ["-stats_period", f"{REPORT_EVERY_S:g}"] if "stats_period" in options else []
    return [
        program, "-nostdin", "-hide_banner", "-y", "-nostats", "-progress", "pipe:1", *pace,
        *input_arguments(footage, excerpt),
        *picture_arguments(footage, excerpt), *chosen,
        *encoder_arguments(recipe, footage),
        *sound,
        "-f", CONTAINERS[recipe.container].muxer, str(output),
    ]  # fmt: skip


def encoder_arguments(recipe: Recipe, footage: Footage) -> list[str]:
    """The encoder and its settings."""
    facts = recipe.facts
    out = ["-c:v", recipe.encoder, facts.preset_option, recipe.preset]
    if recipe.quality is not None:
        out += [facts.quality.option, f"{recipe.quality:g}"]
    elif recipe.bit_rate is not None:
        out += [facts.rate_option, str(_rate_value(recipe, footage))]
    out += ["-pix_fmt", recipe.pixel_format]
    tag = dict(facts.tags).get(recipe.container)
    return [*out, "-tag:v", tag] if tag else out


def _rate_value(recipe: Recipe, footage: Footage) -> int:
    """A bit-rate target in the encoder's own unit: bit/s, or bits per macroblock for ProRes."""
    assert recipe.bit_rate is not None
    if not recipe.facts.rate_per_block:
        return recipe.bit_rate
    blocks = -(-footage.width // 16) * -(-footage.height // 16)
    return max(1, round(recipe.bit_rate / (blocks * float(footage.rate))))
