"""A programme played: decoded and treated at the pace of its frame rate, each frame reported as it is ready."""

import re
from dataclasses import replace
from fractions import Fraction

from ovrik.export.command.export import QUIET, Export, decoding_of, devices
from ovrik.export.command.parts import pictures
from ovrik.export.graph.decoding import with_decoding
from ovrik.export.graph.long_graph import graph_arguments

FULL = "full"
SIZES: dict[str, Fraction] = {FULL: Fraction(1), "half": Fraction(1, 2), "quarter": Fraction(1, 4)}
"""Sizes at which programs play: the side of the frame, by name."""
PACED = "realtime=limit=3600"
READY = re.compile(rb"^0, ", re.MULTILINE)


def smaller(job: Export, size: str) -> Export:
    """The same programme at a smaller size: treatments work on smaller frames too."""
    p, share = job.programme, SIZES[size]
    if share == 1 or p.plain:
        return job
    width, height = _even(p.width * share), _even(p.height * share)
    return replace(job, programme=replace(p, width=width, height=height))


def playback_command(job: Export, size: str = "full") -> list[str]:
    """Plays one stream; standard output gets a line for each frame when it is ready to be shown (`READY`)."""
    return _played(job, size, (PACED,), ("-flush_packets", "1", "-f", "framecrc", "pipe:1"))


def speed_commands(job: Export, size: str) -> dict[str, list[str]]:
    """The steps of playing as fast as they go: decoding alone, and with all that follows."""
    made = pictures(smaller(job, size))
    inputs = with_decoding(made.inputs, decoding_of(job))
    maps = [w for n in range(inputs.count("-i")) for w in ("-map", f"{n}:V:0?")]
    decode = [job.program, *QUIET, *devices(job), *inputs, *maps, "-f", "null", "-"]
    return {DECODING: decode, ALL_STEPS: _played(job, size, (), ("-f", "null", "-"))}


DECODING, TREATING, ALL_STEPS = "decoding", "treatments and scaling", "all"


def _played(job: Export, size: str, last: tuple[str, ...], into: tuple[str, ...]) -> list[str]:
    made = pictures(smaller(job, size))
    steps = [n.text() for n in made.before]
    if job.programme.plain and SIZES[size] != 1:
        width, height = (_even(v * SIZES[size]) for v in (job.programme.width, job.programme.height))
        steps.append(f"scale={width}:{height}:flags=bilinear")
    graph = f"{made.graph};" if made.graph else ""
    return [
        job.program,
        *QUIET,
        *devices(job),
        *with_decoding(made.inputs, decoding_of(job)),
        *graph_arguments(f"{graph}[{made.picture}]{','.join([*steps, *last]) or 'null'}[paced]", job.options),
        *("-map", "[paced]", "-frames:v", str(job.excerpt.frames)),
        *("-c:v", "wrapped_avframe", *into),
    ]


def _even(value: Fraction) -> int:
    return max(2, 2 * round(value / 2))
