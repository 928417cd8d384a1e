"""What each encoder calls its settings, and what goes with what. Data, in one place."""

from dataclasses import dataclass


@dataclass(frozen=True)
class QualityScale:
    """A constant-quality setting.

    Fields: `option`, the command-line option; `low`, `high`, the range accepted; `default`;
    `best_low`, True when a lower number is a better picture; `name`, the trade's word for it.
    """

    option: str
    low: int
    high: int
    default: int | None
    best_low: bool = True
    name: str = "CRF"


@dataclass(frozen=True)
class Encoder:
    """One encoder.

    Fields: `name` as the build knows it; `short`, used in labels; `codec` as libav names it;
    `codec_title` as editors say it; `presets` from fastest to slowest; `preset_option`;
    `preset_name`, what the trade calls that choice; `default_preset`; `quality`;
    `rate_option`, how a bit-rate target is given; `pixel_formats` in order of preference;
    `containers` likewise; `sound`, its usual sound codec, or "" for the container's own;
    `tags`, a stream tag wanted by a container so that players open the file;
    `simulated`, True for an encoder of a stand-in; `rate_per_block`, True when `rate_option` takes bits
    per macroblock instead of bit/s.
    """

    name: str
    short: str
    codec: str
    codec_title: str
    presets: tuple[str, ...]
    preset_option: str
    preset_name: str
    default_preset: str
    quality: QualityScale
    rate_option: str
    pixel_formats: tuple[str, ...]
    containers: tuple[str, ...]
    sound: str = ""
    tags: tuple[tuple[str, str], ...] = ()
    simulated: bool = False
    rate_per_block: bool = False


@dataclass(frozen=True)
class Container:
    """Fields: `name` (also the extension); `title`; `muxer` as libav names it; `sounds` it holds,
    the usual one first."""

    name: str
    title: str
    muxer: str
    sounds: tuple[str, ...]


DESCRIBED = "described_"
"""Encoders of described programs: their settings are in the description, not in the recipe."""

NINE_PRESETS = ("ultrafast", "superfast", "veryfast", "faster", "fast", "medium", "slow", "slower",
                "veryslow")  # fmt: skip

ENCODERS: dict[str, Encoder] = {
    e.name: e
    for e in (
        Encoder("libx264", "x264", "h264", "H.264", NINE_PRESETS, "-preset", "preset", "medium",
                QualityScale("-crf", 0, 51, 23), "-b:v",
                ("yuv420p", "yuv422p", "yuv444p", "yuv420p10le", "yuv422p10le", "yuv444p10le"),
                ("mp4", "mov", "mkv")),
        Encoder("libx265", "x265", "hevc", "HEVC", NINE_PRESETS, "-preset", "preset", "medium",
                QualityScale("-crf", 0, 51, 28), "-b:v",
                ("yuv420p", "yuv420p10le", "yuv422p", "yuv422p10le", "yuv444p", "yuv444p10le",
                 "yuv420p12le"),
                ("mp4", "mov", "mkv"), tags=(("mp4", "hvc1"), ("mov", "hvc1"))),
        Encoder("libsvtav1", "SVT-AV1", "av1", "AV1", tuple(str(n) for n in range(13, -1, -1)),
                "-preset", "preset", "8", QualityScale("-crf", 0, 63, 35), "-b:v",
                ("yuv420p10le", "yuv420p"), ("mp4", "mkv", "webm")),
        Encoder("prores_ks", "ProRes", "prores", "ProRes",
                ("proxy", "lt", "standard", "hq", "4444", "4444xq"),
                "-profile:v", "profile", "standard",
                QualityScale("-q:v", 1, 64, None, name="quantiser"), "-bits_per_mb",
                ("yuv422p10le", "yuv444p10le"), ("mov", "mkv"), sound="pcm_s16le",
                rate_per_block=True),
        *(Encoder(f"{codec}_standin", f"stand-in {title}", codec, title, ("fast", "balanced", "fine"),
                  "-preset", "preset", "balanced", QualityScale("-crf", 0, 51, 23), "-b:v",
                  ("yuv420p", "yuv420p10le"), ("mp4", "mkv"), simulated=True)
          for codec, title in (("h264", "H.264"), ("hevc", "HEVC"), ("av1", "AV1"))),
        *(Encoder(f"{DESCRIBED}{codec}", f"described {title}", codec, title, ("as described",), "",
                  "preset", "as described", QualityScale("", 0, 0, None), "",
                  ("yuv420p", "yuv422p", "yuv420p10le", "yuv422p10le", "yuv444p10le"),
                  ("mp4", "mov", "mkv", "webm"))
          for codec, title in (("h264", "H.264"), ("hevc", "HEVC"), ("av1", "AV1"), ("prores", "ProRes"))),
    )
}  # fmt: skip

CONTAINERS: dict[str, Container] = {
    c.name: c
    for c in (
        Container("mp4", "MP4", "mp4", ("aac", "ac3")),
        Container("mov", "QuickTime", "mov", ("aac", "pcm_s16le", "pcm_s24le")),
        Container("mkv", "Matroska", "matroska", ("aac", "pcm_s16le", "pcm_s24le", "flac")),
        Container("webm", "WebM", "webm", ("libopus",)),
    )
}

SOUNDS: dict[str, tuple[str, ...]] = {
    "aac": ("-c:a", "aac", "-b:a", "192k"),
    "ac3": ("-c:a", "ac3", "-b:a", "384k"),
    "libopus": ("-c:a", "libopus", "-b:a", "160k"),
    "pcm_s16le": ("-c:a", "pcm_s16le"),
    "pcm_s24le": ("-c:a", "pcm_s24le"),
    "flac": ("-c:a", "flac"),
    "none": ("-an",),
}

PROFILE_CHROMA: dict[tuple[str, str], tuple[str, ...]] = {
    ("prores_ks", "4444"): ("yuv444p10le",),
    ("prores_ks", "4444xq"): ("yuv444p10le",),
    ("prores_ks", "proxy"): ("yuv422p10le",),
    ("prores_ks", "lt"): ("yuv422p10le",),
    ("prores_ks", "standard"): ("yuv422p10le",),
    ("prores_ks", "hq"): ("yuv422p10le",),
}
"""Presets that are tied to a pixel format; those not listed go with all of the encoder's."""
