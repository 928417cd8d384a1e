"""The argument lists of an export."""

import os
from collections.abc import Sequence
from dataclasses import dataclass, replace
from pathlib import Path

from ovrik.export.graph.assembly import Analysis, Assembly, assemble
from ovrik.export.graph.decoding import DEVICE_PATHS, Decoding, decoding_by, with_decoding
from ovrik.export.graph.long_graph import graph_arguments
from ovrik.export.graph.nodes import Node, node
from ovrik.export.graph.seconds import seconds_text
from ovrik.export.graph.source import (
    delivered_nodes,
    even_stamps,
    opened,
    picture_nodes,
    picture_options,
    sound_input,
)
from ovrik.machine.devices.opening import device_option
from ovrik.machine.devices.paths import DevicePath
from ovrik.study.clip.address import address
from ovrik.study.clip.footage import Footage
from ovrik.study.clip.frame_access import access_slack, lead_frames, reading_of
from ovrik.study.contender.delivery import delivery
from ovrik.study.encoder.containers import CONTAINERS, SOUND_NEEDS, SOUNDS
from ovrik.study.encoder.intermediate import Intermediate
from ovrik.study.encoder.raw_options import merged
from ovrik.study.encoder.recipe import Recipe
from ovrik.study.programme.excerpt import Excerpt
from ovrik.study.programme.methods import USUAL_KERNEL
from ovrik.study.programme.programme import Programme
from ovrik.study.programme.treatment_kinds import SOFTWARE

REPORT_EVERY_S = 0.1
"""How often a build reports progress; also the resolution of "time to first frame"."""


@dataclass(frozen=True)
class Export:
    """What is exported, how, and by what.

    Fields: `program`, its path; `options` that the build takes (an old one does not know how often to
    report); `programme`; `excerpt`; `recipe`; `decode`, `treat`, what does these; `mark`, which sets
    builds apart where each needs an analysis of its own; `kernel`, by which it is resized for delivery; `numbers`, by
    path the number of the device that is asked for, where there are several; `passed`, whether the frames of a plain
    programme are taken as they are coded.
    """

    program: str
    programme: Programme
    excerpt: Excerpt
    recipe: Recipe
    options: tuple[str, ...] = ("stats_period",)
    decode: str = SOFTWARE
    treat: str = SOFTWARE
    mark: str = ""
    kernel: str = USUAL_KERNEL
    numbers: tuple[tuple[str, str], ...] = ()
    passed: bool = False


def export_commands(job: Export, output: Path, stats: Path) -> list[list[str]]:
    """The commands of an export in order, program first: one for each pass. The last one writes `output`,
    replacing what is there; `stats` is where a first pass leaves what it found."""
    if job.passed:
        return [_passing(job, output)]
    made = _source(job)
    passes = job.recipe.passes
    return [_command(job, made, output, stats, n, last=n == passes) for n in range(1, passes + 1)]


def _passing(job: Export, output: Path) -> list[str]:
    """The clip of a plain programme from its first frame to its last, copied as it is coded, with its sound."""
    clip = job.programme.clips[0]
    heard = bool(clip.sounds) and job.recipe.sound != "none"
    return [
        *(job.program, *head_arguments(job), *opened(clip, []), "-map", "0:V:0", "-c:v", "copy"),
        *(["-map", "0:a:0"] if heard else []),
        *sound_arguments(job.recipe, heard),
        *("-f", CONTAINERS[job.recipe.container].muxer, address(output)),
    ]


def every_analysis(job: Export) -> list[Analysis]:
    """Stabilisation analyses that an export rests on, those that others of them rest on first, as full commands."""
    if job.programme.plain:
        return []
    found = assemble(job.programme, job.excerpt, job.treat, job.mark, with_sound=False).analyses
    return [Analysis(a.result, (job.program, *head_arguments(job), *a.arguments)) for a in found]


def analyses_of(job: Export) -> list[Analysis]:
    """Those of them that are not there yet."""
    return [a for a in every_analysis(job) if not a.result.exists()]


def _source(job: Export) -> Assembly:
    """What is read: a plain programme straight from its clip, without a graph to go through."""
    if not job.programme.plain:
        return assemble(job.programme, job.excerpt, job.treat, job.mark, job.recipe.sound != "none")
    return plain_source(job.programme.clips[0], job.excerpt, job.recipe.sound != "none")


def plain_source(clip: Footage, excerpt: Excerpt, with_sound: bool) -> Assembly:
    """One untreated clip: no graph, but filters that count its frames, and its sound as it is."""
    said = reading_of(clip, excerpt.start_frame, excerpt.frames)
    inputs = opened(clip, picture_options(said))
    before = (*picture_nodes(clip, said), *even_stamps(clip.rate))
    if not (with_sound and clip.sounds):
        return Assembly(tuple(inputs), "", "0:V:0", "", (), before=before)
    if said.direct and clip.constant_rate and not lead_frames(clip):
        # Picture and sound begin together here, so that the clip is read once for both.
        span = excerpt.frames / clip.rate + (access_slack(clip) if said.seek_s is not None else 0)
        whole = excerpt.end_frame == clip.frames
        options = [
            *picture_options(replace(said, span_s=None)),
            *([] if whole else ["-t", seconds_text(span)]),
        ]
        return Assembly(tuple(opened(clip, options)), "", "0:V:0", "0:a:0", (), before=before)
    for_sound, placed = sound_input(clip, excerpt.start_frame / clip.rate, excerpt.frames / clip.rate)
    heard = (*placed, node("asetpts", expr="PTS-STARTPTS"))
    return Assembly((*inputs, *for_sound), "", "0:V:0", "1:a:0", (), before=before, before_sound=heard)


QUIET = ("-nostdin", "-hide_banner", "-y", "-nostats")


def head_arguments(job: Export) -> list[str]:
    """What every command begins with that reports its progress."""
    pace = ["-stats_period", f"{REPORT_EVERY_S:g}"] if "stats_period" in job.options else []
    return [*QUIET, "-progress", "pipe:1", *pace, *devices(job)]


def _encoding_path(recipe: Recipe) -> DevicePath | None:
    return DEVICE_PATHS.get(recipe.facts.device)


def devices(job: Export) -> list[str]:
    """Devices are opened once, by name; filters use the one that treats, else the one that encodes."""
    path = _encoding_path(job.recipe)
    encode = path.key if path and path.opens else SOFTWARE
    keys = (job.treat, encode, job.decode)
    opened = [k for k in dict.fromkeys(keys) if k != SOFTWARE and DEVICE_PATHS[k].opens]
    out = device_arguments(keys, job.numbers)
    first = next((k for k in opened if k in (job.treat, encode)), None)
    return [*out, "-filter_hw_device", first] if first else out


def device_arguments(keys: Sequence[str], numbers: tuple[tuple[str, str], ...] = ()) -> list[str]:
    """Options that open the devices of these paths, each once; `numbers` say which, where there are several."""
    opened = [DEVICE_PATHS[k] for k in dict.fromkeys(keys) if k != SOFTWARE and DEVICE_PATHS[k].opens]
    by_number = dict(numbers)
    return [a for p in opened for a in ("-init_hw_device", device_option(p, by_number.get(p.key, ""), p.key))]


def decoding_of(job: Export) -> Decoding:
    """What decodes an export's clips."""
    return decoding_by(job.decode, job.programme.clips)


def _command(job: Export, made: Assembly, output: Path, stats: Path, number: int, last: bool) -> list[str]:
    inputs = with_decoding(made.inputs, decoding_of(job))
    path = _encoding_path(job.recipe)
    nodes = _to_delivery(job)
    if path and path.uploads:
        surface = dict(path.surfaces).get(job.recipe.pixel_format, job.recipe.pixel_format)
        nodes += [node("format", pix_fmts=surface), node("hwupload")]
    filters, shown = _filters(made, nodes, job.options)
    # A first pass has no use for the sound, but a graph's every outlet must lead somewhere.
    mute = ["-map", f"[{made.sound}]", "-f", "null", "-"] if made.graph and made.sound and not last else []
    frames = delivery(job.programme, job.excerpt, job.recipe).frames
    out = [job.program, *head_arguments(job), *inputs, *filters, "-map", shown, "-frames:v", str(frames)]
    if not last:
        return [*out, *encoder_arguments(job, stats, number), "-an", "-f", "null", "-", *mute]
    return [
        *out,
        *_heard(made),
        *encoder_arguments(job, stats, number),
        *sound_arguments(job.recipe, bool(made.sound)),
        "-f",
        CONTAINERS[job.recipe.container].muxer,
        address(output),
    ]


def _filters(made: Assembly, nodes: Sequence[Node], options: Sequence[str]) -> tuple[list[str], str]:
    """Arguments of the graph with what comes after it, and the stream that leaves it."""
    after = ",".join(n.text() for n in nodes)
    if not made.graph:
        said = ",".join(n.text() for n in (*made.before, *nodes))
        return (["-vf", said] if said else []), made.picture
    if not after:
        return graph_arguments(made.graph, options), f"[{made.picture}]"
    return graph_arguments(f"{made.graph};[{made.picture}]{after}[delivered]", options), "[delivered]"


def _heard(made: Assembly) -> list[str]:
    """What maps the sound, and brings that of a plain clip to its place."""
    if not made.sound:
        return []
    placed = ",".join(n.text() for n in made.before_sound)
    return ["-map", f"[{made.sound}]" if made.graph else made.sound, *(["-af", placed] if placed else [])]


def _to_delivery(job: Export) -> list[Node]:
    made = delivery(job.programme, job.excerpt, job.recipe)
    nodes: list[Node] = []
    if job.programme.plain:
        nodes += delivered_nodes(job.programme.clips[0])
    if (made.width, made.height) != (job.programme.width, job.programme.height):
        nodes.append(node("scale", w=made.width, h=made.height, flags=job.kernel))
        if made.sample_aspect != 1:  # a clip that does not state its shape would come out stretched
            nodes.append(node("setsar", r=made.sample_aspect, max=65535))
    if made.rate != job.programme.rate:
        nodes.append(node("fps", fps=made.rate))
    return nodes


def encoder_arguments(job: Export, stats: Path, number: int = 1) -> list[str]:
    """The encoder and its settings, for one pass."""
    r, facts = job.recipe, job.recipe.facts
    out = ["-c:v", r.encoder]
    if facts.preset_option:
        out += [facts.preset_option, r.preset]
    rate = _rate_value(job) if r.bit_rate is not None else 0
    fill = {
        "quality": "" if r.quality is None else f"{r.quality:g}",
        "rate": str(rate),
        "twice": str(2 * rate),
        "pass": str(number),
        "stats": os.path.abspath(stats),
    }
    out += [word.format(**fill) for word in dict(facts.controls).get(r.rate_control, ())]
    out += facts.tuned(r.tune)
    settings = (
        ("-profile:v", r.profile),
        ("-g", r.gop),
        ("-bf", "" if r.b_frames < 0 else str(r.b_frames)),
        ("-threads", r.threads),
    )
    out += [word for option, value in settings if value for word in (option, str(value))]
    path = _encoding_path(r)
    if not (path and path.uploads):
        out += ["-pix_fmt", r.pixel_format]
    out = merged([*out, *(word for name, value in r.raw for word in (f"-{name}", value))])
    tag = dict(facts.tags).get(r.container)
    return [*out, "-tag:v", tag] if tag else out


def sound_arguments(recipe: Recipe, heard: bool) -> list[str]:
    """The sound codec and its bit rate."""
    if not heard or recipe.sound == "none":
        return ["-an"]
    rate = recipe.sound_bit_rate or SOUNDS[recipe.sound]
    needs = SOUND_NEEDS.get((recipe.container, recipe.sound), ())
    return ["-c:a", recipe.sound, *(["-b:a", str(rate)] if rate else []), *needs]


def _rate_value(job: Export) -> int:
    """A bit-rate target in the encoder's default unit: bit/s, or bits per macroblock for ProRes."""
    recipe = job.recipe
    assert recipe.bit_rate is not None
    if not recipe.facts.rate_per_block:
        return recipe.bit_rate
    made = delivery(job.programme, job.excerpt, recipe)
    blocks = -(-made.width // 16) * -(-made.height // 16)
    return max(1, round(recipe.bit_rate / (blocks * float(made.rate))))


def prerender_command(job: Export, into: Intermediate, output: Path) -> list[str]:
    """The treated frame, with its sound, into an intermediate. Of the recipe only delivery size and
    rate and whether there is sound play a part."""
    made = _source(job)
    nodes = _to_delivery(job)
    if into.width:
        nodes.append(node("scale", w=into.width, h=into.height, flags="bicubic"))
    filters, shown = _filters(made, nodes, job.options)
    heard = _heard(made)
    frames = delivery(job.programme, job.excerpt, job.recipe).frames
    inputs = with_decoding(made.inputs, decoding_of(job))
    return [
        job.program,
        *head_arguments(job),
        *inputs,
        *filters,
        "-map",
        shown,
        "-frames:v",
        str(frames),
        *heard,
        "-c:v",
        into.facts.encoder,
        *into.facts.settings,
        "-pix_fmt",
        into.pixel_format,
        *(["-c:a", "pcm_s16le"] if heard else ["-an"]),
        "-f",
        into.facts.muxer,
        address(output),
    ]
