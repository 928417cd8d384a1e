"""What each encoder calls its settings, and what goes with what. Data, in one place."""

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

QUALITY, AVERAGE, TWO_PASS, CONSTANT, CAPPED, PROFILES_OWN = (
    "constant quality",
    "average",
    "two passes",
    "constant",
    "capped",
    "profile's rate",
)
"""Rate control: a quality number; a bit rate on average, in one pass or two; a bit rate throughout; a
quality number that may not exceed a bit rate; and what the profile itself prescribes."""


@dataclass(frozen=True)
class QualityScale:
    """A constant-quality setting.

    Fields: `low`, `high`, the range accepted; `default`; `best_low`, True when a lower number is better quality;
    `name`, the trade's word for it; `step`, the least that two settings can differ by."""

    low: int
    high: int
    default: int | None
    best_low: bool = True
    name: str = "CRF"
    step: float = 1.0


@dataclass(frozen=True)
class Encoder:
    """One encoder.

    Fields: `name` as the build knows it; `short`, used in labels; `codec` as libav names it;
    `codec_title` as editors say it; `presets` from fastest to slowest; `preset_option`;
    `preset_name`, what the trade calls that choice; `default_preset`; `quality`;
    `controls`, each rate control it has with its arguments, in which {quality}, {rate} (in bit/s or, with
    `rate_per_block`, bits per macroblock), {twice} and, for two passes, {pass} and {stats} are filled in;
    `pixel_formats` in order of preference; `containers` likewise; `sound`, its usual sound codec, or ""
    for the container's own; `tags`, a stream tag wanted by a container so that players open the file;
    `simulated`, True for an encoder of a stand-in; `rate_per_block`; `tunes`, `profiles` in its own words,
    "" (its own choice) not among them; `most_b_frames`, 0 where it takes no such number; `takes_gop`;
    `device`, the key of the device path that it works on, "" for software; `tune_arguments`, how it is given a tune,
    {tune} filled in by the tune's word or, where `tune_values` has one, by that.
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
    controls: tuple[tuple[str, tuple[str, ...]], ...]
    pixel_formats: tuple[str, ...]
    containers: tuple[str, ...]
    sound: str = ""
    tags: tuple[tuple[str, str], ...] = ()
    simulated: bool = False
    rate_per_block: bool = False
    tunes: tuple[str, ...] = ()
    profiles: tuple[str, ...] = ()
    most_b_frames: int = 0
    takes_gop: bool = True
    device: str = ""
    tune_arguments: tuple[str, ...] = ("-tune", "{tune}")
    tune_values: tuple[tuple[str, str], ...] = ()

    def tuned(self, tune: str) -> list[str]:
        """Arguments that ask for a tune, none where "" leaves it to the encoder."""
        value = dict(self.tune_values).get(tune, tune)
        return [word.format(tune=value) for word in self.tune_arguments] if tune else []


DESCRIBED = "described_"
"""Encoders of described programs: their settings are in the description, not in the recipe."""
OUTSIDE = "outside"
"""What another program exports, driven by hand: its settings are free fields, kept as the recipe's raw options."""

NINE_PRESETS = (
    "ultrafast",
    "superfast",
    "veryfast",
    "faster",
    "fast",
    "medium",
    "slow",
    "slower",
    "veryslow",
)

_BUFFER = ("-maxrate", "{rate}", "-bufsize", "{twice}")


def _vbv(passes: tuple[str, ...], constant: tuple[str, ...]) -> tuple[tuple[str, tuple[str, ...]], ...]:
    return (
        (QUALITY, ("-crf", "{quality}")),
        (AVERAGE, ("-b:v", "{rate}")),
        (TWO_PASS, ("-b:v", "{rate}", *passes)),
        (
            CONSTANT,
            ("-b:v", "{rate}", "-minrate", "{rate}", "-maxrate", "{rate}", "-bufsize", "{rate}", *constant),
        ),
        (CAPPED, ("-crf", "{quality}", *_BUFFER)),
    )


def _on_device(*quality: str, constant: tuple[str, ...] = ()) -> tuple[tuple[str, tuple[str, ...]], ...]:
    known = ((QUALITY, quality),) if quality else ()
    steady = ("-b:v", "{rate}", "-maxrate", "{rate}", "-bufsize", "{rate}", *constant)
    return (*known, (AVERAGE, ("-b:v", "{rate}")), (CONSTANT, steady))


NONE: Mapping[str, Any] = {}
_H264 = ("main", "high")
DEVICE_PROFILES: dict[tuple[str, str], tuple[str, ...]] = {
    ("nvenc", "h264"): ("baseline", *_H264),
    ("qsv", "h264"): ("baseline", *_H264),
    ("amf", "h264"): ("constrained_baseline", *_H264),
    ("vaapi", "h264"): ("constrained_baseline", *_H264),
    ("vulkan", "h264"): ("constrained_baseline", *_H264),
    **{(device, "hevc"): ("main", "main10") for device in ("nvenc", "qsv", "amf", "vaapi", "vulkan")},
    **{(device, "av1"): ("main",) for device in ("qsv", "amf", "vaapi", "vulkan")},
}
"""Profiles of device encoders, by device path and codec, in the words of the builds."""
_PLAIN = ((QUALITY, ("-crf", "{quality}")), (AVERAGE, ("-b:v", "{rate}")))
_TITLES = (("h264", "H.264"), ("hevc", "HEVC"), ("av1", "AV1"))
_EIGHT_TEN = ("yuv420p", "yuv420p10le")
_HVC1 = (("mp4", "hvc1"), ("mov", "hvc1"))


def _device_encoders(
    device: str,
    short: str,
    presets: tuple[str, ...],
    option: str,
    name: str,
    default: str,
    scale: QualityScale,
    controls: tuple[tuple[str, tuple[str, ...]], ...],
    titles: tuple[tuple[str, str], ...] = _TITLES,
    b_frames: Mapping[str, int] = NONE,
    tunes: Mapping[str, tuple[str, ...]] = NONE,
    tune_option: str = "-tune",
) -> list[Encoder]:
    """The same encoder for several codecs, on one device path; what a codec has of its own is by codec."""
    return [
        Encoder(
            name=f"{codec}_{device}",
            short=f"{title} {short}",
            codec=codec,
            codec_title=title,
            presets=presets,
            preset_option=option,
            preset_name=name,
            default_preset=default,
            quality=scale,
            controls=controls,
            pixel_formats=_EIGHT_TEN[: 1 if codec == "h264" else 2],
            containers=("mp4", "mkv") if codec == "av1" else ("mp4", "mov", "mkv"),
            tags=_HVC1 if codec == "hevc" else (),
            device=device,
            most_b_frames=b_frames.get(codec, 0),
            tunes=tunes.get(codec, ()),
            tune_arguments=(tune_option, "{tune}"),
            profiles=DEVICE_PROFILES.get((device, codec), ()),
        )
        for codec, title in titles
    ]


ENCODERS: dict[str, Encoder] = {
    e.name: e
    for e in (
        Encoder(
            "libx264",
            "x264",
            "h264",
            "H.264",
            NINE_PRESETS,
            "-preset",
            "preset",
            "medium",
            QualityScale(0, 51, 23, step=0.1),
            _vbv(("-pass", "{pass}", "-passlogfile", "{stats}"), ("-x264-params", "nal-hrd=cbr")),
            ("yuv420p", "yuv422p", "yuv444p", "yuv420p10le", "yuv422p10le", "yuv444p10le"),
            ("mp4", "mov", "mkv"),
            tunes=("film", "animation", "grain", "stillimage", "fastdecode", "zerolatency"),
            profiles=("baseline", "main", "high", "high10", "high422", "high444"),
            most_b_frames=16,
        ),
        Encoder(
            "libx265",
            "x265",
            "hevc",
            "HEVC",
            NINE_PRESETS,
            "-preset",
            "preset",
            "medium",
            QualityScale(0, 51, 28, step=0.1),
            _vbv(("-x265-params", "pass={pass}:stats={stats}"), ("-x265-params", "strict-cbr=1")),
            ("yuv420p", "yuv420p10le", "yuv422p", "yuv422p10le", "yuv444p", "yuv444p10le", "yuv420p12le"),
            ("mp4", "mov", "mkv"),
            tags=_HVC1,
            tunes=("grain", "animation", "fastdecode", "zerolatency"),
            profiles=("main", "main10", "main12", "main422-10", "main444-8", "main444-10"),
            most_b_frames=16,
        ),
        Encoder(
            "libsvtav1",
            "SVT-AV1",
            "av1",
            "AV1",
            tuple(str(n) for n in range(13, -1, -1)),
            "-preset",
            "preset",
            "8",
            QualityScale(0, 63, 35),
            (
                (QUALITY, ("-crf", "{quality}")),
                (AVERAGE, ("-b:v", "{rate}")),
                (CONSTANT, ("-b:v", "{rate}", "-svtav1-params", "rc=2:pred-struct=1")),
                (CAPPED, ("-crf", "{quality}", *_BUFFER)),
            ),
            ("yuv420p10le", "yuv420p"),
            ("mp4", "mkv", "webm"),
            tunes=("vq", "psnr"),
            tune_arguments=("-svtav1-params", "tune={tune}"),
            tune_values=(("vq", "0"), ("psnr", "1")),
        ),
        Encoder(
            "prores_ks",
            "ProRes",
            "prores",
            "ProRes",
            ("proxy", "lt", "standard", "hq", "4444", "4444xq"),
            "-profile:v",
            "profile",
            "standard",
            QualityScale(1, 64, None, name="quantiser"),
            ((QUALITY, ("-q:v", "{quality}")), (AVERAGE, ("-bits_per_mb", "{rate}")), (PROFILES_OWN, ())),
            ("yuv422p10le", "yuv444p10le", "yuva444p10le"),
            ("mov", "mkv"),
            sound="pcm_s16le",
            rate_per_block=True,
            takes_gop=False,
        ),
        Encoder(
            "dnxhd",
            "DNxHR",
            "dnxhd",
            "DNxHR",
            ("dnxhr_lb", "dnxhr_sq", "dnxhr_hq", "dnxhr_hqx", "dnxhr_444"),
            "-profile:v",
            "profile",
            "dnxhr_sq",
            QualityScale(0, 0, None),
            ((PROFILES_OWN, ()),),
            ("yuv422p", "yuv422p10le", "yuv444p10le"),
            ("mov", "mkv"),
            sound="pcm_s16le",
            takes_gop=False,
        ),
        Encoder(
            "ffv1",
            "FFV1",
            "ffv1",
            "FFV1",
            ("3",),
            "-level",
            "version",
            "3",
            QualityScale(0, 0, None),
            ((PROFILES_OWN, ()),),
            (
                "yuv420p",
                "yuv422p",
                "yuv444p",
                "yuv420p10le",
                "yuv422p10le",
                "yuv444p10le",
                "yuva420p",
                "yuva444p",
                "yuva444p10le",
            ),
            ("mkv",),
            sound="pcm_s16le",
        ),
        *_device_encoders(
            "nvenc",
            "NVENC",
            tuple(f"p{n}" for n in range(1, 8)),
            "-preset",
            "preset",
            "p4",
            QualityScale(1, 51, 23, name="CQ"),
            _on_device("-rc", "vbr", "-cq", "{quality}", "-b:v", "0", constant=("-rc", "cbr")),
            b_frames=dict.fromkeys(("h264", "hevc", "av1"), 4),
            tunes={
                "h264": ("hq", "ll", "ull", "lossless"),
                **dict.fromkeys(("hevc", "av1"), ("hq", "uhq", "ll", "ull", "lossless")),
            },
        ),
        *_device_encoders(
            "qsv",
            "QSV",
            NINE_PRESETS[2:],
            "-preset",
            "preset",
            "medium",
            QualityScale(1, 51, 23, name="global quality"),
            _on_device("-global_quality", "{quality}"),
            b_frames=dict.fromkeys(("h264", "hevc", "av1"), 8),
        ),
        *_device_encoders(
            "vaapi",
            "VAAPI",
            ("default",),
            "",
            "preset",
            "default",
            QualityScale(1, 52, 23, name="QP"),
            _on_device("-rc_mode", "CQP", "-qp", "{quality}", constant=("-rc_mode", "CBR")),
            b_frames=dict.fromkeys(("h264", "hevc"), 7),
        ),
        *_device_encoders(
            "amf",
            "AMF",
            ("speed", "balanced", "quality"),
            "-quality",
            "preset",
            "balanced",
            QualityScale(0, 51, 23, name="QP"),
            _on_device("-rc", "cqp", "-qp_i", "{quality}", "-qp_p", "{quality}", constant=("-rc", "cbr")),
            b_frames=dict.fromkeys(("h264", "av1"), 3),
            tunes=dict.fromkeys(
                ("h264", "hevc", "av1"), ("transcoding", "high_quality", "lowlatency", "ultralowlatency")
            ),
            tune_option="-usage",
        ),
        *_device_encoders(
            "vulkan",
            "Vulkan",
            ("default",),
            "",
            "preset",
            "default",
            QualityScale(0, 51, 23, name="QP"),
            _on_device("-rc_mode", "cqp", "-qp", "{quality}", constant=("-rc_mode", "cbr")),
            b_frames=dict.fromkeys(("h264", "hevc", "av1"), 4),
            tunes=dict.fromkeys(("h264", "hevc", "av1"), ("hq", "ll", "ull", "lossless")),
        ),
        *_device_encoders(
            "v4l2m2m",
            "V4L2",
            ("default",),
            "",
            "preset",
            "default",
            QualityScale(0, 0, None),
            ((AVERAGE, ("-b:v", "{rate}")),),
            titles=_TITLES[:2],
        ),
        *(
            Encoder(
                f"{codec}_standin",
                f"stand-in {title}",
                codec,
                title,
                ("fast", "balanced", "fine"),
                "-preset",
                "preset",
                "balanced",
                QualityScale(0, 51, 23),
                _PLAIN,
                _EIGHT_TEN,
                ("mp4", "mkv"),
                simulated=True,
                takes_gop=False,
            )
            for codec, title in _TITLES
        ),
        *(
            Encoder(
                f"{DESCRIBED}{codec}",
                f"described {title}",
                codec,
                title,
                ("as described",),
                "",
                "preset",
                "as described",
                QualityScale(0, 0, None),
                ((PROFILES_OWN, ()),),
                ("yuv420p", "yuv422p", "yuv420p10le", "yuv422p10le", "yuv444p10le"),
                ("mp4", "mov", "mkv", "webm"),
                takes_gop=False,
            )
            for codec, title in (*_TITLES, ("prores", "ProRes"))
        ),
        Encoder(
            OUTSIDE,
            "outside export",
            "",
            "any",
            ("as set there",),
            "",
            "preset",
            "as set there",
            QualityScale(0, 0, None),
            ((PROFILES_OWN, ()),),
            ("yuv420p", "yuv422p", "yuv420p10le", "yuv422p10le", "yuv444p10le"),
            ("mp4", "mov", "mkv", "webm"),
            takes_gop=False,
        ),
    )
}
