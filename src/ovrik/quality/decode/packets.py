"""The packets of a file's picture, as they lie in it."""

from dataclasses import dataclass
from pathlib import Path

import av

from ovrik.errors import OvrikError
from ovrik.quality.decode.frame_index import first_frame
from ovrik.quality.decode.open_clip import open_clip


@dataclass(frozen=True)
class Packet:
    """Fields: `shown`, `decoded`, its stamps in the stream's ticks, None where it has none; `size` in bytes; `alone`,
    whether it can be decoded without another."""

    shown: int | None
    decoded: int | None
    size: int
    alone: bool


@dataclass(frozen=True)
class Packets:
    """Fields: `packets` in the order in which they lie; `tick` in seconds; `rate`, the stream's own word, in frames
    per second; `codec`."""

    packets: tuple[Packet, ...]
    tick: float
    rate: float
    codec: str


def packets_of(path: Path) -> Packets:
    """Go through a file. Raises OvrikError when it can't be read."""
    try:
        with open_clip(path) as box:
            stream = first_frame(box, path)
            found = tuple(Packet(p.pts, p.dts, p.size, p.is_keyframe) for p in box.demux(stream) if p.size)
            rate = float(stream.average_rate or stream.guessed_rate or 25)
            return Packets(found, float(stream.time_base or 1), rate, stream.codec_context.name)
    except (av.error.FFmpegError, OSError, ValueError) as exc:
        raise OvrikError(f"{path.name} can't be read ({exc})", "Check the file") from None
