"""Read a clip with PyAV: what it is, and whether it can be used."""

from fractions import Fraction
from pathlib import Path

import av
import numpy as np

from ovrik.errors import OvrikError
from ovrik.study.checksum import footage_checksum
from ovrik.study.footage import ColourTags, Footage, Sound

COUNT_LIMIT = 20_000
"""Packets read before the frame count is taken from the header instead."""

PRIMARIES = {1: "bt709", 4: "bt470m", 5: "bt470bg", 6: "smpte170m", 7: "smpte240m", 8: "film",
             9: "bt2020", 10: "smpte428", 11: "smpte431", 12: "smpte432"}  # fmt: skip
TRANSFERS = {1: "bt709", 4: "gamma22", 5: "gamma28", 6: "smpte170m", 7: "smpte240m", 8: "linear",
             13: "iec61966-2-1", 14: "bt2020-10", 15: "bt2020-12", 16: "smpte2084",
             18: "arib-std-b67"}  # fmt: skip
MATRICES = {0: "gbr", 1: "bt709", 4: "fcc", 5: "bt470bg", 6: "smpte170m", 7: "smpte240m",
            9: "bt2020nc", 10: "bt2020c"}  # fmt: skip
RANGES = {1: "tv", 2: "pc"}
LAYOUTS = {1: "mono", 2: "stereo", 6: "5.1", 8: "7.1"}


def probe(path: Path) -> Footage:
    """Read a clip's facts. Raises OvrikError when it is missing or holds no usable picture."""
    if path.is_dir():
        raise OvrikError(f"{path} is a folder", "Choose the clip's file inside it")
    if not path.exists():
        raise OvrikError(f"{path} is not there", "Check the name, or whether its drive is mounted")
    try:
        with av.open(str(path)) as container:
            return _read(path, container)
    except PermissionError:
        raise OvrikError(f"{path} may not be read", "Change its permissions") from None
    except (av.error.FFmpegError, ValueError) as exc:
        reason = getattr(exc, "strerror", None) or str(exc)
        raise OvrikError(
            f"{path} is not a clip that can be read ({reason})",
            "Check that the file is complete and really holds video",
        ) from None


def _read(path: Path, container: av.container.InputContainer) -> Footage:
    pictures = [s for s in container.streams.video if not s.disposition & av.stream.Disposition.attached_pic]
    if not pictures:
        raise OvrikError(f"{path} holds no video stream", "Choose a file with a picture")
    stream = pictures[0]
    context = stream.codec_context
    if not context.width or not context.pix_fmt:
        raise OvrikError(f"{path} says neither its size nor its pixel format", "Convert it first")
    sounds = tuple(_sound(s) for s in container.streams.audio)
    stamps, complete = _time_stamps(container, stream)
    if len(stamps) == 0:
        raise OvrikError(f"{path} holds no pictures", "Check that the file is complete")
    time_base = float(stream.time_base or 1)
    rate, constant, evidence = _rate(stream, stamps, time_base, complete)
    frames = len(stamps) if complete else stream.frames or _header_frames(container, stream, rate)
    frame_format = av.VideoFormat(context.pix_fmt, 16, 16)
    size = path.stat().st_size
    duration = frames / float(rate)
    return Footage(
        path=str(path),
        size_bytes=size,
        container=container.format.name,
        codec=context.codec.canonical_name,
        profile=context.profile or "",
        width=context.width,
        height=context.height,
        sample_aspect=Fraction(stream.sample_aspect_ratio or 1) or Fraction(1),
        rate=rate,
        constant_rate=constant,
        rate_evidence=evidence,
        frames=frames,
        frames_counted=complete,
        duration_s=duration,
        container_s=(container.duration or 0) / 1e6,
        start_s=float(stamps[0]) * time_base,
        pixel_format=context.pix_fmt,
        bit_depth=max(c.bits for c in frame_format.components),
        chroma=_chroma(frame_format),
        bit_rate=stream.bit_rate or int(size * 8 / duration),
        colour=_colour(context),
        sounds=sounds,
        checksum=footage_checksum(path),
    )


def _sound(stream: av.AudioStream) -> Sound:
    context = stream.codec_context
    count = context.channels
    # A container without a channel layout leaves only the count to go by.
    layout = LAYOUTS.get(count, "") if "channels" in context.layout.name else context.layout.name
    return Sound(context.name, context.sample_rate, count, layout, stream.bit_rate or 0)


def _time_stamps(container: av.container.InputContainer, stream: av.VideoStream) -> tuple[np.ndarray, bool]:
    """Sorted presentation stamps (time-base units) and whether every packet was read."""
    stamps: list[int] = []
    complete = True
    for packet in container.demux(stream):
        if packet.pts is None:
            continue
        stamps.append(packet.pts)
        if len(stamps) >= COUNT_LIMIT:
            complete = False
            break
    return np.unique(np.array(stamps, dtype=np.int64)), complete


def _rate(
    stream: av.VideoStream, stamps: np.ndarray, time_base: float, complete: bool
) -> tuple[Fraction, bool, str]:
    nominal = stream.average_rate or stream.base_rate or stream.guessed_rate
    seen = f"all {len(stamps)} frames" if complete else f"the first {len(stamps)} frames"
    if len(stamps) < 2:
        return Fraction(nominal or 25), True, "only one frame"
    steps = np.diff(stamps) * time_base
    if not nominal:
        nominal = Fraction(1 / float(np.mean(steps))).limit_denominator(1001)
    # A stamp may be off by its own rounding, so a steady clip may jitter by two ticks.
    tolerance = max(2.1 * time_base, 0.002 / float(nominal))
    constant = bool(np.all(np.abs(steps - 1 / float(nominal)) <= tolerance))
    return Fraction(nominal), constant, f"time stamps of {seen}"


def _header_frames(container: av.container.InputContainer, stream: av.VideoStream, rate: Fraction) -> int:
    if stream.duration:
        return round(float(stream.duration * (stream.time_base or 1) * rate))
    return round((container.duration or 0) / 1e6 * float(rate))


def _chroma(frame_format: av.VideoFormat) -> str:
    if frame_format.is_rgb:
        return "RGB"
    if len(frame_format.components) < 3:
        return "4:0:0"
    across, down = frame_format.chroma_width(16), frame_format.chroma_height(16)
    return {(8, 8): "4:2:0", (8, 16): "4:2:2", (4, 16): "4:1:1"}.get((across, down), "4:4:4")


def _colour(context: av.VideoCodecContext) -> ColourTags:
    return ColourTags(
        PRIMARIES.get(int(context.color_primaries), ""),
        TRANSFERS.get(int(context.color_trc), ""),
        MATRICES.get(int(context.colorspace), ""),
        RANGES.get(int(context.color_range), ""),
    )
