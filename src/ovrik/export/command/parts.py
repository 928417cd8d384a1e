"""The argument lists of an export's parts, each by itself."""

from collections.abc import Mapping
from dataclasses import dataclass, replace
from pathlib import Path

from ovrik.export.command.export import (
    Export,
    decoding_of,
    export_commands,
    head_arguments,
    plain_source,
    prerender_command,
)
from ovrik.export.graph.assembly import Assembly, assemble
from ovrik.export.graph.decoding import with_decoding
from ovrik.export.graph.long_graph import graph_arguments
from ovrik.export.graph.source import sound_input
from ovrik.study.clip.footage import Footage
from ovrik.study.encoder.intermediate import Intermediate
from ovrik.study.encoder.recipe import recipe
from ovrik.study.facts.part import ALL, DECODE, ENCODE, SOUND, TREAT, WRITE
from ovrik.study.programme.excerpt import Excerpt
from ovrik.study.programme.programme import of_clip

NOWHERE = ("-f", "null", "-")
Commands = Mapping[str, list[list[str]]]


@dataclass(frozen=True)
class Places:
    """Files of a ladder. Fields: `raw`, frames ready to be encoded; `folder`, where all else is written."""

    raw: Path
    folder: Path

    def partial(self, name: str) -> Path:
        """Where a part writes."""
        return self.folder / f"partial {name}"

    def kept(self, name: str) -> Path:
        """Where that lies when it is done."""
        return self.folder / f"{name}.out"


def raw_pictures(job: Export) -> Intermediate:
    """How the treated frames are kept, uncoded."""
    return Intermediate("raw", pixel_format=job.programme.pixel_format)


def raw_command(job: Export, raw: Path) -> list[str]:
    """Writes the treated frames, uncoded and without sound."""
    return prerender_command(replace(job, recipe=recipe("ffv1", sound="none")), raw_pictures(job), raw)


def part_commands(job: Export, helper: Export, clip: Footage, places: Places) -> Commands:
    """The commands of each part that the export has; `clip` is what `raw_command` wrote, as it will be read.

    `helper` is the same export by the program that does what has no encoder in it.
    """
    made = pictures(helper)
    steps = {DECODE: [_decode(helper, made)]}
    if made.graph:
        inputs = with_decoding(made.inputs, decoding_of(helper))
        steps[TREAT] = [
            [
                helper.program,
                *head_arguments(helper),
                *inputs,
                *graph_arguments(made.graph, helper.options),
                "-map",
                f"[{made.picture}]",
                *NOWHERE,
            ]
        ]
    raw = replace(
        job,
        programme=of_clip(clip),
        excerpt=Excerpt(0, clip.frames),
        decode="software",
        treat="software",
        recipe=replace(job.recipe, sound="none"),
    )
    steps[ENCODE] = export_commands(raw, places.partial(ENCODE), places.folder / "stats")
    if job.programme.sounds and job.recipe.sound != "none":
        steps[SOUND] = [_sound(helper)]
    steps[ALL] = export_commands(job, places.partial(ALL), places.folder / "stats")
    # The same bytes as the export wrote, to the same drive, until they lie on it.
    steps[WRITE] = [
        ["dd", f"if={places.kept(ALL)}", f"of={places.partial(WRITE)}", "bs=4M", "conv=fsync", "status=none"]
    ]
    return steps


def pictures(job: Export) -> Assembly:
    """The frames of an export, decoded and treated."""
    if job.programme.plain:
        return plain_source(job.programme.clips[0], job.excerpt, with_sound=False)
    return assemble(job.programme, job.excerpt, job.treat, job.mark, with_sound=False)


def _decode(job: Export, made: Assembly) -> list[str]:
    inputs = with_decoding(made.inputs, decoding_of(job))
    maps = [w for n in range(inputs.count("-i")) for w in ("-map", f"{n}:V:0?")]
    return [job.program, *head_arguments(job), *inputs, *maps, *NOWHERE]


def _sound(job: Export) -> list[str]:
    """Only the chains of the sound: with the others, frames would be decoded as well."""
    start, codec = [job.program, *head_arguments(job)], ["-c:a", job.recipe.sound]
    if job.programme.plain:
        clip = job.programme.clips[0]
        opened, _placed = sound_input(
            clip, job.excerpt.start_frame / clip.rate, job.excerpt.frames / clip.rate
        )
        return [*start, *opened, "-map", "0:a:0", *codec, *NOWHERE]
    made = assemble(job.programme, job.excerpt, "software", job.mark)
    return [
        *start,
        *made.inputs,
        *graph_arguments(made.sound_graph, job.options),
        "-map",
        f"[{made.sound}]",
        *codec,
        *NOWHERE,
    ]
