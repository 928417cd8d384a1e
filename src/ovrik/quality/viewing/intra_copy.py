"""A copy of a clip in which every frame stands alone, so that any of them is there at once: lossless, and only for
looking at."""

import hashlib
import os
from fractions import Fraction
from itertools import pairwise
from pathlib import Path

import av
import psutil

from ovrik.errors import Ask, OvrikError, Stopped
from ovrik.quality.decode.packets import packets_of
from ovrik.quality.viewing.frames import SLOW, FrameReader
from ovrik.quality.viewing.screen import PLANAR, wide_gamut
from ovrik.study.files.kept import cache_folder

EDITION = 2
"""Raised when copies are made another way, so that old ones are not taken for new."""
LONG = 8
"""Frames from one that stands alone to the next from which a copy is worth its room."""
MOST_BYTES = 4_000_000_000
"""Room for all copies; those looked at longest ago go first."""
RATE = Fraction(25)
CODER = "ffvhuff"
"""Huffman-coded differences: several times faster to decode than what packs tighter."""


def copy_path(path: Path) -> Path:
    """Where the copy of a file is, or will be: named by the file as it is now, never by what a study says of it.
    Raises OSError when it is gone."""
    here, now = path.resolve(), path.stat()
    said = f"{EDITION}|{here}|{now.st_size}|{now.st_mtime_ns}|{now.st_ino}"
    return (
        cache_folder("looking")
        / f"{hashlib.sha256(said.encode(errors='surrogateescape')).hexdigest()[:40]}.nut"
    )


def worth_it(path: Path) -> bool:
    """Whether frames of a clip take long to reach."""
    try:
        found = packets_of(path)
    except OvrikError:
        return False
    starts = [n for n, p in enumerate(found.packets) if p.alone] + [len(found.packets)]
    return found.codec in SLOW or max((b - a for a, b in pairwise(starts)), default=0) > LONG


def make_copy(path: Path, should_stop: Ask = lambda: False) -> Path | None:
    """The copy, made now if it is not there; None where the clip can't be copied without loss, or there is no room.
    Raises OvrikError when the clip can't be read, Stopped."""
    try:
        made = copy_path(path)
        if made.exists():
            os.utime(made)
            return made
        made.parent.mkdir(parents=True, exist_ok=True)
        partial = made.with_suffix(f".{os.getpid()}.partial")
        try:
            if not _written(path, partial, should_stop):
                return None
            partial.replace(made)
        finally:
            partial.unlink(missing_ok=True)
    except (av.error.FFmpegError, OSError, ValueError):
        return None  # the clip itself is looked at then
    _keep_to_room(made)
    return made


def _written(path: Path, partial: Path, should_stop: Ask) -> bool:
    reader = FrameReader(path)
    try:
        first = reader.picture(0)
        # A copy does not say where chroma samples lie, and with BT.2020 that is not where they usually do.
        if not PLANAR.fullmatch(first.format.name) or wide_gamut(first):
            return False
        with av.open(str(partial), "w", format="nut") as box:
            stream = box.add_stream(CODER, RATE)
            assert isinstance(stream, av.VideoStream)
            stream.width, stream.height, stream.pix_fmt = first.width, first.height, first.format.name
            stream.time_base = 1 / RATE
            size = 0
            for number in range(reader.count):
                if should_stop():
                    raise Stopped
                frame = reader.picture(number)
                if (frame.width, frame.height, frame.format.name) != (
                    first.width,
                    first.height,
                    stream.pix_fmt,
                ):
                    return False
                frame.pts, frame.time_base = number, 1 / RATE
                frame.pict_type = av.video.frame.PictureType.NONE
                for packet in stream.encode(frame):
                    size += packet.size
                    box.mux(packet)
                if size > MOST_BYTES / 2:
                    return False
            box.mux(stream.encode())
    finally:
        reader.close()
    return True


def _keep_to_room(newest: Path) -> None:
    """Let go of what was looked at longest ago, and of what a process that is gone left unfinished."""
    for left in cache_folder("looking").glob("*.partial"):
        number = left.suffixes[-2][1:] if len(left.suffixes) > 1 else ""
        if not (number.isdigit() and psutil.pid_exists(int(number))):
            left.unlink(missing_ok=True)
    found = sorted(cache_folder("looking").glob("*.nut"), key=lambda p: p.stat().st_mtime, reverse=True)
    used = 0
    for path in found:
        used += path.stat().st_size
        if used > MOST_BYTES and path != newest:
            path.unlink(missing_ok=True)
