"""The frames of footage that an export reads, read by a program in the same way."""

import re
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from pathlib import Path

import numpy as np

from ovrik.errors import Ask, OvrikError, Stopped
from ovrik.export.command.export import Export, decoding_of, device_arguments
from ovrik.export.graph.assembly import frames_taken
from ovrik.export.graph.decoding import Decoding, with_decoding
from ovrik.export.graph.source import even_stamps, opened, picture_nodes, picture_options
from ovrik.export.run.process import measure
from ovrik.study.clip.footage import Footage
from ovrik.study.clip.frame_access import reading_of
from ovrik.study.programme.excerpt import Excerpt
from ovrik.study.programme.excerpt_pieces import pieces_of
from ovrik.study.programme.programme import GAP, Programme

SUM = re.compile(rb"^\d+,[^,]*,[^,]*,[^,]*,[^,]*, *0x([0-9a-f]{8})", re.MULTILINE)

Share = Callable[[float], None]


@dataclass(frozen=True)
class Part:
    """Frames of a clip that an export reads. Fields: `clip`; `first`, `frames` on its even grid."""

    clip: Footage
    first: int
    frames: int


@dataclass(frozen=True)
class FrameSource:
    """What reads. Fields: `program`, its path; `sha256` of it; `opening`, options that open devices; `decoding`,
    options that stand before an input and say what decodes."""

    program: str
    sha256: str
    opening: tuple[str, ...] = ()
    decoding: Decoding = field(default_factory=Decoding)


def reader_of(job: Export, sha256: str) -> FrameSource:
    """What reads the footage of an export."""
    decoding = decoding_of(job)
    return FrameSource(
        job.program, sha256, tuple(device_arguments((job.decode,), job.numbers)) if decoding else (), decoding
    )


def parts_read(programme: Programme, excerpt: Excerpt) -> list[Part]:
    """All frames of footage that an export of an excerpt reads, each once."""
    if programme.plain:
        return [Part(programme.clips[0], excerpt.start_frame, excerpt.frames)]
    part = pieces_of(programme, excerpt)
    found = [
        Part(programme.clips[p.shot.clip], p.shot.start, frames_taken(programme, p))
        for p in (*part.base, *part.overlays)
        if p.shot.clip != GAP
    ]
    return list({(p.clip.checksum, p.first, p.frames): p for p in found}.values())


def read_command(reader: FrameSource, part: Part, *ending: str, more: Sequence[str] = ()) -> list[str]:
    """The command that reads a part exactly as an export does; `ending` is what becomes of its frames, `more` are
    further filters."""
    said = reading_of(part.clip, part.first, part.frames)
    nodes = [*picture_nodes(part.clip, said), *even_stamps(part.clip.rate)]
    # Turned frames are the same frames: what is compared is how they are stored.
    inputs = with_decoding(opened(part.clip, picture_options(said)), reader.decoding, "-noautorotate")
    return [
        reader.program,
        "-nostdin",
        "-hide_banner",
        "-v",
        "error",
        *reader.opening,
        *inputs,
        "-map",
        "0:V:0",
        "-an",
        "-vf",
        ",".join([*(n.text() for n in nodes), *more]),
        "-frames:v",
        str(part.frames),
        *ending,
    ]


def read_sums(reader: FrameSource, part: Part, on_share: Share, should_stop: Ask) -> np.ndarray:
    """Checksums of the frames that the program reads (see `frame_index.sample_sum`), in order. Raises OvrikError
    when it reads none, Stopped."""
    rest, sums = b"", list[int]()

    def took(piece: bytes, _at: float) -> bool:
        nonlocal rest
        whole, cut, rest = (rest + piece).rpartition(b"\n")
        sums.extend(int(m[1], 16) for m in SUM.finditer(whole + cut))
        on_share(min(len(sums) / part.frames, 1.0))
        return True

    usage = measure(read_command(reader, part, "-f", "framecrc", "pipe:1"), took, should_stop, grace_s=0)
    if usage.stopped:
        raise Stopped
    sums.extend(int(m[1], 16) for m in SUM.finditer(rest))
    if usage.exit_code and not sums:
        last = usage.log[-1] if usage.log else "no message"
        last = f"it crashed: signal {-usage.exit_code}" if usage.exit_code < 0 else last
        raise OvrikError(
            f"{Path(part.clip.path).name} can't be read by this build ({last})",
            "Choose another build, or rewrap the clip as .mov or .mkv",
        )
    return np.array(sums, np.uint32)
