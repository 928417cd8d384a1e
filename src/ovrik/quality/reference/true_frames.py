"""Are the frames that a build reads the ones that are meant? Proved against a decode from the clip's beginning."""

import hashlib
import subprocess
from pathlib import Path

import numpy as np
from av.video.reformatter import Interpolation

from ovrik.errors import OvrikError, Stopped
from ovrik.quality.decode.converted import converted
from ovrik.quality.decode.frame_index import FrameIndex, decoded_frames, frame_index
from ovrik.quality.decode.pace import grid_of
from ovrik.quality.reference.frames_read import (
    Ask,
    FrameSource,
    Part,
    Share,
    parts_read,
    read_command,
    read_sums,
)
from ovrik.study.clip.footage import Footage
from ovrik.study.clip.frame_access import reading_of
from ovrik.study.files.kept import cache_folder
from ovrik.study.programme.excerpt import Excerpt
from ovrik.study.programme.programme import Programme

REMEDY = "Rewrap it as .mov or .mkv, or choose an excerpt from its beginning"
METHOD = 1
"""Raised when frames are proved another way, so that an old proof is not taken for a new one."""


def wrong_frames(
    reader: FrameSource,
    programme: Programme,
    excerpt: Excerpt,
    on_share: Share = lambda _s: None,
    should_stop: Ask = lambda: False,
) -> str:
    """Why a program would not read the frames that an export means, or "".

    What was proved once is not read again. Raises OvrikError when a clip can't be decoded at all, Stopped.
    """
    parts = parts_read(programme, excerpt)
    for number, part in enumerate(parts):
        proof = _proof(reader, part)
        if not proof.exists():
            found = _wrong(reader, part, lambda s, n=number: on_share((n + s) / len(parts)), should_stop)  # type: ignore[misc]
            if found:
                return found
            proof.parent.mkdir(parents=True, exist_ok=True)
            proof.touch()
            on_share((number + 1) / len(parts))
    return ""


def _proof(reader: FrameSource, part: Part) -> Path:
    said = f"{METHOD}|{reader}|{part.clip.checksum}|{part.first}|{part.frames}|{part.clip.rate}"
    said += f"|{reading_of(part.clip, part.first, part.frames)}"
    return cache_folder("frames", "proved") / hashlib.sha256(said.encode()).hexdigest()[:32]


def _wrong(reader: FrameSource, part: Part, on_share: Share, should_stop: Ask) -> str:
    clip, name = part.clip, Path(part.clip.path).name
    # A variable clip's own frames do not stand at the even grid's numbers: it is decoded whole.
    needed = part.first + part.frames if clip.constant_rate else None
    index = frame_index(Path(clip.path), clip.checksum, needed, lambda s: on_share(0.5 * s), should_stop)
    wanted = wanted_frames(clip, index, part)
    if wanted is None:
        return (
            f"{name} holds {len(index.stamps)} frames that can be shown, not {clip.frames} as its packets say: "
            f"choose the clip again, or an excerpt that ends before frame {len(index.stamps)}"
        )
    try:
        read = read_sums(reader, part, lambda s: on_share(0.5 + 0.5 * s), should_stop)
    except OvrikError as exc:
        return str(exc)
    if np.array_equal(read, index.sums[wanted]):
        return ""
    if len(read) != part.frames:
        return (
            f"{name} gives {len(read)} of {part.frames} frames from frame {part.first} on, read by this build. "
            f"{REMEDY}"
        )
    at = _other_frames(reader, part, wanted, should_stop)
    return at and (f"{name} can't be read to the frame by this build: {at}. {REMEDY}")


def wanted_frames(clip: Footage, index: FrameIndex, part: Part) -> np.ndarray | None:
    """Which of the clip's own frames stand at a part's numbers; None when there are not so many."""
    if not clip.constant_rate:
        return grid_of(index.times, clip.rate, part.first + part.frames)[part.first :]
    end = part.first + part.frames
    return np.arange(part.first, end) if end <= len(index.stamps) else None


SMALL = (48, 27)
AROUND = 12
SAME_LEVELS = 6.0
CLEARLY = 0.25
"""A decoder of another version, or a device, may round: its frame is still nearer to the right one than to any other,
and within a few levels of it."""


def _other_frames(reader: FrameSource, part: Part, wanted: np.ndarray, should_stop: Ask) -> str:
    """Which frames stand where the first and the last should, by how they look; "" when they are the right ones."""
    shown = read_command(
        reader,
        part,
        "-f",
        "rawvideo",
        "pipe:1",
        more=(f"scale={SMALL[0]}:{SMALL[1]}:flags=area,format=gray",),
    )
    done = subprocess.run(shown, capture_output=True, stdin=subprocess.DEVNULL, check=False)
    seen = np.frombuffer(done.stdout, np.uint8)
    count = len(seen) // (SMALL[0] * SMALL[1])
    if not count:
        return "it gives no frames"
    seen = seen[: count * SMALL[0] * SMALL[1]].reshape(count, SMALL[1], SMALL[0]).astype(float)
    for place, name in ((0, "begins"), (count - 1, "ends")):
        number = int(wanted[place])
        first = max(0, number - AROUND)
        near = _small(Path(part.clip.path), first, number + AROUND + 1, should_stop)
        apart = [float(np.abs(seen[place] - frame).mean()) for frame in near]
        right, best = apart[number - first], min(apart)
        if right > best + CLEARLY:
            return f"it {name} with frame {first + apart.index(best)} instead of {number}"
        if right > SAME_LEVELS:
            return f"the frame that it {name} with is none of those around frame {number}"
    return ""


def _small(path: Path, first: int, end: int, should_stop: Ask) -> list[np.ndarray]:
    """Grey miniatures of a clip's own frames, decoded from its beginning."""
    out = []
    for number, frame in enumerate(decoded_frames(path)):
        if should_stop():
            raise Stopped
        if number >= end:
            break
        if number >= first:
            small = converted(frame, *SMALL, "gray", Interpolation.AREA)
            out.append(small.to_ndarray().astype(float))
    return out
