"""Read a clip with PyAV: what it is, and whether it can be used."""

import time
from collections.abc import Callable
from dataclasses import dataclass, replace
from fractions import Fraction
from pathlib import Path

import av
import numpy as np

from ovrik.errors import Ask, OvrikError, Stopped
from ovrik.quality.decode.frame_index import FrameIndex, first_frame, frame_index, kept_index
from ovrik.quality.decode.open_clip import open_clip
from ovrik.quality.decode.pace import DecodePace, pace_of
from ovrik.study.clip.address import STILLS
from ovrik.study.clip.colour_names import colour_of
from ovrik.study.clip.footage import ColourTags, Footage, Sound
from ovrik.study.clip.frame_access import UNTIMED
from ovrik.study.files.checksum import Mark, footage_checksum, mark_of
from ovrik.study.files.regular_file import regular

MOST_PACKETS, MOST_BYTES, MOST_S = 20_000, 1 << 30, 0.7
"""Packets, bytes of them, and seconds, that are read before the frame count is taken from the header instead, until
somebody counts (see `count_frames`)."""
DECODED_PIXELS = 250_000_000
"""A clip of up to so many pixels in all is decoded whole at once, in about a second: its count is exact."""
BARE = (".yuv", ".i420", ".nv12", ".p010", ".rgb", ".raw")
"""Usual endings of files that hold samples and nothing else."""
HEAD_FRAMES = 8
REORDERED = 32
"""No codec shows a frame farther than so many packets from where it stands."""
LAYOUTS = {1: "mono", 2: "stereo", 6: "5.1", 8: "7.1"}


Share = Callable[[float], None]


MOST_KNOWN = 64
_known: dict[tuple[str, Mark, bool], Footage] = {}
"""Clips as they were read, and whether small ones were decoded for it: each is asked for again and again while it is
checked."""


def probe(path: Path) -> Footage:
    """Read a clip's facts, within about a second whatever its length. Raises OvrikError when it is missing or holds
    no usable picture."""
    return _remembered(path, decodes=True)


def probe_packets(path: Path) -> Footage:
    """The same of a file that is decoded for something else: where its packets say when each is shown, what they say
    is taken for it. Raises OvrikError."""
    return _remembered(path, decodes=False)


def _remembered(path: Path, decodes: bool) -> Footage:
    never: Ask = lambda: False  # noqa: E731
    try:
        mark = mark_of(path)
    except OSError:
        return _probed(path, None, never, decodes)
    for known in {True, decodes}:
        if found := _known.get((str(path), mark, known)):
            return found
    found = _probed(path, None, never, decodes)
    if found.frames_counted:  # the others may be counted meanwhile
        if len(_known) >= MOST_KNOWN:
            _known.clear()
        _known[str(path), mark, decodes] = found
    return found


def count_frames(
    clip: Footage, on_share: Share = lambda _s: None, should_stop: Ask = lambda: False
) -> Footage:
    """The same clip with its frames counted, and the times of all of them read, where only its beginning was. Raises
    OvrikError when it can't be read or is another clip now, Stopped."""
    if clip.frames_counted:
        return clip
    made = _probed(Path(clip.path), on_share, should_stop)
    if made.checksum != clip.checksum:
        raise OvrikError(f"{clip.path} is another clip now", "Choose it again")
    return made


def _probed(path: Path, on_share: Share | None, should_stop: Ask, decodes: bool = True) -> Footage:
    regular(path)
    try:
        return _read(path, on_share, should_stop, decodes)
    except PermissionError:
        raise OvrikError(f"{path} may not be read", "Change its permissions") from None
    except (av.error.FFmpegError, ValueError, OSError) as exc:
        if path.suffix.lower() in BARE:
            raise OvrikError(
                f"{path} holds bare samples: it says neither its size nor its pixel format nor its rate",
                "Put them into a clip first, .y4m, .mov or .mkv",
            ) from None
        reason = getattr(exc, "strerror", None) or str(exc)
        raise OvrikError(
            f"{path} is not a clip that can be read ({reason})",
            "Check that the file is complete and really holds video",
        ) from None


def _no_clip(path: Path, container: av.container.InputContainer, stream: av.VideoStream) -> OvrikError:
    """Why a picture's format is refused."""
    if sum(p.size > 0 for p, _ in zip(container.demux(stream), range(2), strict=False)) > 1:
        return OvrikError(
            f"{path} is an animated picture, whose frames have neither an even rate nor a range of levels",
            "Convert it to .mov or .mkv first",
        )
    return OvrikError(
        f"{path} is a still picture, not a clip",
        "Choose a clip; a still can be put into a timeline as a clip made of it",
    )


@dataclass(frozen=True)
class _Head:
    """What the first frames say. Fields: `stamp` of the first one shown, None without stamps; `rotation`,
    `field_order`, `colour` of the coded stream alone, `pixel_format` (see `Footage`)."""

    stamp: int | None
    rotation: int
    field_order: str
    colour: ColourTags
    pixel_format: str


@dataclass(frozen=True, eq=False)
class _Seen:
    """Packets of a stream that is shown. Fields: `stamps` rising; `complete`, whether all were read; `timed`, whether
    each says when it is shown; `last_s`, how long the last frame stands; `gop_s`, the longest way between key frames,
    seconds; `frame_bytes`, what a frame takes."""

    stamps: np.ndarray
    complete: bool
    timed: bool
    last_s: float
    gop_s: float
    frame_bytes: float


def _read(path: Path, on_share: Share | None, should_stop: Ask, decodes: bool) -> Footage:
    """All of it where there is somebody to hear how far it is, its beginning otherwise."""
    checksum = footage_checksum(path)
    head = _head(path)
    with open_clip(path) as container:
        stream = first_frame(container, path)
        context = stream.codec_context
        if container.format.name.split(",")[0] in STILLS or container.format.name.endswith("_pipe"):
            raise _no_clip(path, container, stream)
        if not context.width or not context.pix_fmt:
            raise OvrikError(f"{path} says neither its size nor its pixel format", "Convert it first")
        sounds = tuple(_sound(s) for s in container.streams.audio)
        untimed = container.format.name.split(",")[0] in UNTIMED
        seen = _seen(container, stream, head, on_share, should_stop)
        if not len(seen.stamps):
            raise OvrikError(f"{path} holds no frames that can be shown", "Check that the file is complete")
        sure = seen.timed and not decodes
        index = kept_index(checksum) if sure else _index(path, checksum, seen, context.width * context.height)
        index = index if index is not None and index.complete and len(index.stamps) else None
        pace = _pace(stream, seen, index, untimed)
        counted = index is not None or seen.complete
        size = path.stat().st_size
        stated = 0 if counted else _header_frames(container, stream, pace.rate)
        # A bare stream says nothing of its length: by its size, then.
        frames = pace.frames if counted else stated or max(1, round(size / seen.frame_bytes))
        pixel_format = head.pixel_format or context.pix_fmt
        layout = av.VideoFormat(pixel_format, 16, 16)
        duration = frames / float(pace.rate) if pace.constant or not counted else pace.duration_s
        stamps = index.stamps if index is not None and not untimed else seen.stamps
        return Footage(
            path=str(path),
            size_bytes=size,
            container=container.format.name,
            codec=context.codec.canonical_name,
            profile=context.profile or "",
            width=context.width,
            height=context.height,
            sample_aspect=Fraction(stream.sample_aspect_ratio or 1) or Fraction(1),
            rate=pace.rate,
            constant_rate=pace.constant,
            rate_evidence=pace.evidence,
            frames=frames,
            frames_counted=counted,
            duration_s=duration,
            container_s=(container.duration or 0) / 1e6,
            start_s=0.0 if untimed else float(int(stamps[0]) * (stream.time_base or 1)),
            pixel_format=pixel_format,
            bit_depth=max(c.bits for c in layout.components),
            chroma=_chroma(layout),
            bit_rate=stream.bit_rate or int(size * 8 / duration),
            colour=_with_range(colour_of(context), pixel_format),
            sounds=sounds,
            checksum=checksum,
            container_start_s=0.0 if untimed else _container_start(container, stream, stamps),
            jitter_s=pace.jitter_s,
            longest_s=pace.longest_s,
            longest_gop_s=seen.gop_s,
            untimed=untimed,
            stored_frames=0 if pace.constant else len(stamps),
            rotation=head.rotation,
            field_order=head.field_order,
            stream_colour=head.colour,
        )


def _with_range(tags: ColourTags, pixel_format: str) -> ColourTags:
    """A format whose name says full range needs no tag for it."""
    return replace(tags, range="pc") if pixel_format.startswith("yuvj") else tags


def _container_start(
    container: av.container.InputContainer, stream: av.VideoStream, stamps: np.ndarray
) -> float:
    if container.start_time is not None:
        return container.start_time / 1e6
    return float(int(stamps[0]) * (stream.time_base or 1))


def _sound(stream: av.AudioStream) -> Sound:
    context = stream.codec_context
    count = context.channels
    # A container without a channel layout leaves only the count to go by.
    layout = LAYOUTS.get(count, "") if "channels" in context.layout.name else context.layout.name
    return Sound(context.name, context.sample_rate, count, layout, stream.bit_rate or 0)


FIELD_ORDERS = {
    2: "upper field first",
    3: "lower field first",
    4: "upper field first",
    5: "lower field first",
}
"""libav's numbers of field orders; 4 and 5 are coded in the other order than they are shown."""


def _head(path: Path) -> _Head:
    """Decode the first frames as a player does, and once more from the coded stream alone."""
    with open_clip(path) as container:
        stream = first_frame(container, path)
        frames: list[av.VideoFrame] = []
        alone = _bare_decoder(stream)
        own = ColourTags()
        for packet in container.demux(stream):
            try:
                frames += [f for f in packet.decode() if isinstance(f, av.VideoFrame)]
                for frame in alone.decode(packet) if alone is not None and packet.size else []:
                    own, alone = colour_of(frame), None
            except av.error.FFmpegError:
                continue
            if len(frames) >= HEAD_FRAMES:
                break
        if not frames:
            raise OvrikError(f"{path} holds no frames that can be shown", "Check that the file is complete")
        woven = any(f.interlaced_frame for f in frames)
        order = int(stream.codec_context.field_order or 0)
        rotation = -int(frames[0].rotation) % 360
        return _Head(
            frames[0].pts,
            rotation if rotation in (90, 180, 270) else 0,
            FIELD_ORDERS.get(order, "upper field first") if woven else "",
            own,
            frames[0].format.name,
        )


def _bare_decoder(stream: av.VideoStream) -> av.VideoCodecContext | None:
    """A decoder that knows nothing of what the container says."""
    try:
        made = av.CodecContext.create(stream.codec_context.codec.name, "r")
        assert isinstance(made, av.VideoCodecContext)
        made.extradata = stream.codec_context.extradata
        made.thread_count = 1
        made.width, made.height = stream.codec_context.width, stream.codec_context.height
        return made
    except (av.error.FFmpegError, ValueError, AttributeError, AssertionError):
        return None


def _seen(
    container: av.container.InputContainer,
    stream: av.VideoStream,
    head: _Head,
    on_share: Share | None,
    should_stop: Ask,
) -> _Seen:
    """Go through the packets. What an edit list hides, and what comes before the first frame that can be decoded, is
    not shown."""
    until = time.monotonic() + MOST_S
    length = max((container.duration or 0) / 1e6, 1e-3)
    stamps: list[int] = []
    keys: list[int] = []
    read, complete, last, timed = 0, True, 0, head.stamp is not None
    for packet in container.demux(stream):
        if not packet.size or packet.is_discard:
            continue
        stamp = (
            packet.pts if packet.pts is not None else packet.dts if packet.dts is not None else len(stamps)
        )
        last = packet.duration or last
        timed = timed and packet.pts is not None
        read += packet.size
        if packet.is_keyframe:
            keys.append(stamp)
        if head.stamp is None or packet.pts is None or stamp >= head.stamp:
            stamps.append(stamp)
        if on_share is not None:
            if should_stop():
                raise Stopped
            on_share(min(1.0, stamp * float(stream.time_base or 0) / length))
        elif len(stamps) >= MOST_PACKETS or read >= MOST_BYTES or time.monotonic() > until:
            complete = False
            break
    tick = float(stream.time_base or 0)
    gop = (
        float(np.diff(np.sort(keys)).max()) * tick
        if len(keys) > 1
        else (float(max(stamps) - min(stamps)) * tick if stamps else 0.0)
    )
    shown = np.unique(np.array(stamps, np.int64))
    frame_bytes = read / max(len(stamps), 1)
    if not complete and len(shown) > 2 * REORDERED:
        shown = shown[
            :-REORDERED
        ]  # packets come in another order than frames: of the last ones some are missing
    return _Seen(shown, complete, timed, last * tick, max(gop, 0.0), frame_bytes)


def _index(path: Path, checksum: str, seen: _Seen, pixels: int) -> FrameIndex | None:
    """All frames by decoding: what is on file, or made now of a clip that is small."""
    known = kept_index(checksum)
    if known and known.complete:
        return known if len(known.stamps) else None
    if not seen.complete or pixels * len(seen.stamps) > DECODED_PIXELS:
        return None
    made = frame_index(path, checksum)
    return made if len(made.stamps) else None


def _pace(stream: av.VideoStream, seen: _Seen, index: FrameIndex | None, untimed: bool) -> DecodePace:
    stated = [Fraction(r) for r in (stream.average_rate, stream.base_rate, stream.guessed_rate) if r]
    count = len(index.stamps) if index is not None else len(seen.stamps)
    if untimed:
        # What its header calls the mean is the reader's own guess in a bare stream; builds take this one, too.
        rate = Fraction(stream.guessed_rate or 0) or (stated[0] if stated else Fraction(25))
        evidence = "the file's header: it holds no times"
        return DecodePace(
            rate=rate,
            constant=True,
            jitter_s=0.0,
            longest_s=float(1 / rate),
            frames=count,
            duration_s=count / float(rate),
            evidence=evidence,
        )
    tick = index.tick if index is not None else Fraction(stream.time_base or 1)
    stamps = index.stamps if index is not None else seen.stamps
    which = "all" if index is not None or seen.complete else "the first"
    return pace_of(stamps, tick, stated, seen.last_s, f"{which} {len(stamps)} frames")


def _header_frames(container: av.container.InputContainer, stream: av.VideoStream, rate: Fraction) -> int:
    if stream.frames:
        return stream.frames
    if stream.duration:
        return round(float(stream.duration * (stream.time_base or 1) * rate))
    return round((container.duration or 0) / 1e6 * float(rate))


def _chroma(layout: av.VideoFormat) -> str:
    if layout.is_rgb:
        return "RGB"
    if len(layout.components) < 3:
        return "4:0:0"
    across, down = layout.chroma_width(16), layout.chroma_height(16)
    return {(8, 8): "4:2:0", (8, 16): "4:2:2", (4, 16): "4:1:1"}.get((across, down), "4:4:4")
