"""What an output's file says of itself: whether all of it decodes, key frames, bit rate, fitness for streaming."""

from dataclasses import dataclass
from pathlib import Path

import av
import numpy as np

from ovrik.errors import OvrikError
from ovrik.study.clip_file import open_clip
from ovrik.study.frame_index import first_frame
from ovrik.study.point import DIFFERS, RIGHT, Point

DECODES, KEYS, RATE, START = "decodes to its end", "key frames", "bit rate", "start of the file"
BOXES = ("mov", "mp4")
MOST_BOXES = 64


@dataclass(frozen=True)
class Packets:
    """Fields: `apart_s`, the longest way between two key frames; `mean`, `peak`, bit/s of the picture over all of it
    and over its busiest second."""

    apart_s: float
    mean: float
    peak: float


def packets_of(path: Path) -> Packets:
    """Go through the packets of a file's picture. Raises OvrikError when it can't be read."""
    times: list[float] = []
    keys: list[float] = []
    sizes: list[int] = []
    try:
        with open_clip(path) as box:
            stream = first_frame(box, path)
            tick, rate = float(stream.time_base or 1), float(stream.average_rate or stream.guessed_rate or 25)
            for packet in box.demux(stream):
                if packet.size:
                    stamp = packet.dts if packet.dts is not None else packet.pts
                    times.append(stamp * tick if stamp is not None else len(times) / rate)
                    sizes.append(packet.size)
                    keys += [times[-1]] if packet.is_keyframe else []
    except (av.error.FFmpegError, OSError) as exc:
        raise OvrikError(f"{path.name} can't be read ({exc})", "Time it again") from None
    if not times:
        return Packets(0.0, 0.0, 0.0)
    at, bits = np.array(times) - min(times), 8 * np.array(sizes, float)
    length = float(at.max() + 1 / rate)
    ends = [*(k - min(times) for k in keys), length]
    return Packets(
        float(np.diff(ends).max()) if len(ends) > 1 else length,
        float(bits.sum() / length),
        _busiest(at, bits),
    )


def _busiest(at: np.ndarray, bits: np.ndarray) -> float:
    """Bits in the busiest second."""
    order = np.argsort(at)
    at, total = at[order], np.concatenate([[0.0], np.cumsum(bits[order])])
    ends = np.searchsorted(at, at + 1.0 - 1e-6)
    return float((total[ends] - total[: len(at)]).max())


def file_points(path: Path, container: str, broken: int, target: int | None = None) -> list[Point]:
    """All points about the file, of which so many packets can't be decoded, and which was to have so many bit/s.
    Raises OvrikError when it can't be read."""
    found = packets_of(path)
    asked = f", {target / 1e6:.2f} asked for" if target else ""
    words = f"{broken} of its packets can't be decoded"
    out = [
        Point(DECODES, DIFFERS, words) if broken else Point(DECODES, RIGHT),
        Point(KEYS, RIGHT, f"at most {found.apart_s:.2f} s apart", asked=False),
        Point(
            RATE,
            RIGHT,
            f"{found.mean / 1e6:.2f} Mb/s, {found.peak / 1e6:.2f} in its busiest second{asked}",
            asked=False,
        ),
    ]
    if container.split(",")[0] in BOXES:
        words = "its index is at the end: it can't be played while it loads"
        out.append(
            Point(START, RIGHT, asked=False)
            if index_first(path)
            else Point(START, DIFFERS, words, asked=False)
        )
    return out


def index_first(path: Path) -> bool:
    """Whether the index of a QuickTime or MP4 file (`moov`) stands before its samples (`mdat`; ISO/IEC 14496-12,
    6.2.3)."""
    with path.open("rb") as handle:
        for _box in range(MOST_BOXES):
            head = handle.read(16)
            if len(head) < 8:
                break
            size, kind = int.from_bytes(head[:4]), head[4:8]
            if kind in (b"moov", b"mdat"):
                return kind == b"moov"
            whole = int.from_bytes(head[8:16]) if size == 1 else size
            if whole < 8:
                break
            handle.seek(whole - len(head), 1)
    return False
