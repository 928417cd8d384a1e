"""The frames that a player shows, in order: found by decoding a clip from its beginning, never by seeking."""

import zlib
from collections.abc import Callable, Iterator
from contextlib import suppress
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path

import av
import numpy as np

from ovrik.errors import Ask, OvrikError, Stopped
from ovrik.quality.decode.open_clip import open_clip
from ovrik.study.files.kept import cache_folder
from ovrik.study.files.whole_file import writing

EDITION = 1
"""Raised when frames are found or summed another way, so that an old index is not taken for a new one."""


@dataclass(frozen=True, eq=False)
class FrameIndex:
    """Fields: `stamps`, presentation times in units of `tick` seconds, shape (frames,); `sums`, a checksum of each
    frame's decoded samples (see `sample_sum`), shape (frames,); `complete`, whether it was decoded to its end."""

    stamps: np.ndarray
    sums: np.ndarray
    tick: Fraction
    complete: bool

    @property
    def times(self) -> np.ndarray:
        """Seconds from the first frame."""
        return (self.stamps - self.stamps[0]) * float(self.tick) if len(self.stamps) else np.zeros(0)


def _place(checksum: str) -> Path:
    return cache_folder("frames") / f"{EDITION}-{checksum.rsplit(':', 1)[-1][:40]}.npz"


def kept_index(checksum: str) -> FrameIndex | None:
    """The index on file for a clip, or None."""
    try:
        with np.load(_place(checksum), allow_pickle=False) as found:
            over, under, complete = (int(v) for v in found["facts"])
            return FrameIndex(found["stamps"], found["sums"], Fraction(over, under), bool(complete))
    except (OSError, ValueError, KeyError, zlib.error):
        return None


def _keep(checksum: str, made: FrameIndex) -> None:
    facts = [made.tick.numerator, made.tick.denominator, int(made.complete)]
    with (
        suppress(OSError),
        writing(_place(checksum)) as handle,
    ):  # a full cache costs another decode, nothing else
        np.savez(handle, stamps=made.stamps, sums=made.sums, facts=np.array(facts, np.int64))


def frame_index(
    path: Path,
    checksum: str,
    frames: int | None = None,
    on_share: Callable[[float], None] = lambda _s: None,
    should_stop: Ask = lambda: False,
) -> FrameIndex:
    """The index of a clip, at least as far as `frames` (None: to its end), decoded now if it is not on file.

    Raises OvrikError when the clip can't be decoded, Stopped on request.
    """
    known = kept_index(checksum)
    if known and (known.complete or (frames is not None and len(known.stamps) >= frames)):
        return known
    made = decoded_index(path, frames, on_share, should_stop)
    _keep(checksum, made)
    return made


def decoded_index(
    path: Path,
    frames: int | None = None,
    on_share: Callable[[float], None] = lambda _s: None,
    should_stop: Ask = lambda: False,
) -> FrameIndex:
    """The same without the cache."""
    stamps: list[int] = []
    sums: list[int] = []
    complete = True
    try:
        with open_clip(path) as box:
            stream = first_frame(box, path)
            tick, step = Fraction(stream.time_base or Fraction(1, 1000)), _step(stream)
            for frame in _decoded(box, stream):
                if frames is not None and len(stamps) >= frames:
                    complete = False
                    break
                if should_stop():
                    raise Stopped
                stamps.append(_stamp(frame, stamps, step))
                sums.append(sample_sum(frame))
                on_share(min(len(stamps) / (frames or stream.frames or len(stamps) + 1), 1.0))
    except (av.error.FFmpegError, OSError, ValueError) as exc:
        raise OvrikError(f"{path.name} can't be decoded ({exc})", "Check that the file is complete") from None
    return FrameIndex(np.array(stamps, np.int64), np.array(sums, np.uint32), tick, complete)


def first_frame(box: av.container.InputContainer, path: Path) -> av.VideoStream:
    """The first video stream that is no cover. Raises OvrikError when there is none."""
    found = [s for s in box.streams.video if not s.disposition & av.stream.Disposition.attached_pic]
    if not found:
        raise OvrikError(f"{path} holds no video stream", "Choose a file with video")
    found[0].thread_type = "AUTO"
    return found[0]


def decoded_frames(path: Path, on_broken: Callable[[], None] = lambda: None) -> Iterator[av.VideoFrame]:
    """The frames that a player shows, decoded one after another; `on_broken` is called for each packet that can't be.
    Raises OvrikError when the clip can't be read."""
    try:
        with open_clip(path) as box:
            yield from _decoded(box, first_frame(box, path), on_broken)
    except (av.error.FFmpegError, OSError) as exc:
        raise OvrikError(f"{path.name} can't be decoded ({exc})", "Check that the file is complete") from None


def _decoded(
    box: av.container.InputContainer, stream: av.VideoStream, on_broken: Callable[[], None] = lambda: None
) -> Iterator[av.VideoFrame]:
    """Decoded frames; a packet that is broken loses its own frame and no more, as in a player."""
    for packet in box.demux(stream):
        try:
            frames = packet.decode()
        except av.error.FFmpegError:
            on_broken()
            continue
        yield from (f for f in frames if isinstance(f, av.VideoFrame))


def _step(stream: av.VideoStream) -> int:
    rate = stream.average_rate or stream.guessed_rate or Fraction(25)
    return max(1, round(1 / (rate * Fraction(stream.time_base or Fraction(1, 1000)))))


def _stamp(frame: av.VideoFrame, before: list[int], step: int) -> int:
    """The frame's own stamp; of a stream without stamps, one step after the last."""
    if frame.pts is not None and (not before or frame.pts > before[-1]):
        return int(frame.pts)
    return before[-1] + step if before else 0


def sample_sum(frame: av.VideoFrame) -> int:
    """Adler-32 (RFC 1950, but begun at 0) of a frame's samples, row after row without padding: what a build's
    `framecrc` prints for uncoded frames."""
    coder = _coder(frame.width, frame.height, frame.format.name)
    frame.pts = None
    return zlib.adler32(b"".join(bytes(p) for p in coder.encode(frame)), 0)


def _coder(width: int, height: int, pixel_format: str) -> av.VideoCodecContext:
    coder = av.CodecContext.create("rawvideo", "w")
    assert isinstance(coder, av.VideoCodecContext)
    coder.width, coder.height, coder.pix_fmt = width, height, pixel_format
    coder.time_base = Fraction(1, 25)
    return coder
