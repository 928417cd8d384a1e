"""Containers, the sound codecs that they hold, and what those need. Data."""

from dataclasses import dataclass


@dataclass(frozen=True)
class Container:
    """Fields: `name` (also the extension); `title`; `muxer` as libav names it; `sounds` it holds,
    the usual one first."""

    name: str
    title: str
    muxer: str
    sounds: tuple[str, ...]


CONTAINERS: dict[str, Container] = {
    c.name: c
    for c in (
        Container("mp4", "MP4", "mp4", ("aac", "ac3", "libopus", "flac")),
        Container("mov", "QuickTime", "mov", ("aac", "pcm_s16le", "pcm_s24le", "ac3")),
        Container("mkv", "Matroska", "matroska", ("aac", "pcm_s16le", "pcm_s24le", "flac", "ac3", "libopus")),
        Container("webm", "WebM", "webm", ("libopus",)),
    )
}

SOUNDS: dict[str, int] = {
    "aac": 192_000,
    "ac3": 384_000,
    "libopus": 160_000,
    "pcm_s16le": 0,
    "pcm_s24le": 0,
    "flac": 0,
    "none": 0,
}
"""Sound codecs with their usual bit rate in bit/s, 0 where the codec has none to set."""

SOUND_RATES: dict[str, tuple[int, int]] = {"libopus": (500, 512_000), "ac3": (32_000, 640_000)}
"""Least and most bit rate of two channels, in bit/s, of sound codecs that refuse others."""

SOUND_NEEDS: dict[tuple[str, str], tuple[str, ...]] = {
    ("mp4", "libopus"): ("-strict", "-2"),
    ("mp4", "flac"): ("-strict", "-2"),
}
"""Arguments without which older builds refuse a sound codec in a container that holds it."""
