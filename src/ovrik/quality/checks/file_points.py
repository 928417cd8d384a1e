"""What an output's file says of itself: whether all of it decodes, key frames, bit rate, fitness for streaming."""

from dataclasses import dataclass
from pathlib import Path

import numpy as np

from ovrik.quality.decode.packets import packets_of
from ovrik.study.facts.point import DIFFERS, RIGHT, Point

DECODES, KEYS, RATE, START = "decodes to its end", "key frames", "bit rate", "start of the file"
BOXES = ("mov", "mp4")
MOST_BOXES = 64


@dataclass(frozen=True)
class Rates:
    """Fields: `apart_s`, the longest way between two key frames; `mean`, `peak`, bit/s of the picture over all of it
    and over its busiest second."""

    apart_s: float
    mean: float
    peak: float


def rates_of(path: Path) -> Rates:
    """Go through the packets of a file's picture. Raises OvrikError when it can't be read."""
    found = packets_of(path)
    if not found.packets:
        return Rates(0.0, 0.0, 0.0)
    stamps = [p.shown if p.shown is not None else p.decoded for p in found.packets]
    at = np.array([n / found.rate if s is None else s * found.tick for n, s in enumerate(stamps)])
    at -= at.min()
    bits = 8 * np.array([p.size for p in found.packets], float)
    length = float(at.max() + 1 / found.rate)
    ends = np.sort([*(t for t, p in zip(at, found.packets, strict=True) if p.alone), length])
    apart = float(np.diff(ends).max()) if len(ends) > 1 else length
    return Rates(apart, float(bits.sum() / length), _busiest(at, bits))


def _busiest(at: np.ndarray, bits: np.ndarray) -> float:
    """Bits in the busiest second."""
    order = np.argsort(at)
    at, total = at[order], np.concatenate([[0.0], np.cumsum(bits[order])])
    ends = np.searchsorted(at, at + 1.0 - 1e-6)
    return float((total[ends] - total[: len(at)]).max())


def file_points(path: Path, container: str, broken: int, target: int | None = None) -> list[Point]:
    """All points about the file, of which so many packets can't be decoded, and which was to have so many bit/s.
    Raises OvrikError when it can't be read."""
    found = rates_of(path)
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
