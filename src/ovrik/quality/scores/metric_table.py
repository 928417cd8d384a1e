"""The metrics that outputs are scored by, in one table: a new one is one entry."""

import json
import re
from collections.abc import Callable
from dataclasses import dataclass

ITSELF, PICKED, NEVER = "itself", "picked", "never"
"""How a filter measures a sample: it leaves frames out itself, and still looks at all of them for what it needs of
their neighbours; it gets only the frames of the sample; or it can't, since every frame's value rests on the one
before."""
LEAST_SIDE = 20
"""Pixels: of smaller frames the build's VMAF makes nothing at all."""


@dataclass(frozen=True)
class Metric:
    """One measure of every frame against the reference's.

    Fields: `key` in the study file and in exports; `title`; `unit`, "" for none; `digits` shown after the
    point; `about`, what it is of, in words; `needs`, the filter that the build must have; `graph`, that filter
    with its arguments, in which {threads} is filled in, comparing the output, its first input, with the
    reference; metrics with the same graph are measured together; `log`, the file that the graph writes;
    `read`, which takes the log's text and gives one value per frame, none where frames have no such thing, raising
    ValueError or KeyError; `version`, which takes the log's text and names the model, or "" where the build's version
    says all; `sampling`, how every n-th frame alone can be measured (see below); `able`, which takes width and pixel
    format of frames and says whether the filter gives of them what it should.
    """

    key: str
    title: str
    unit: str
    digits: int
    about: str
    needs: str
    graph: str
    log: str
    read: Callable[[str], list[float]]
    version: Callable[[str], str] = lambda _log: ""
    sampling: str = PICKED
    able: Callable[[int, str], bool] = lambda _width, _pixel_format: True

    @property
    def axis(self) -> str:
        """Title and unit."""
        return f"{self.title}, {self.unit}" if self.unit else self.title


MODEL = "vmaf_v0.6.1"
_VMAF_GRAPH = (
    f"libvmaf=log_path={{name}}vmaf.json:log_fmt=json:n_threads={{threads}}:n_subsample={{every}}"
    f":model=version={MODEL}:feature=name=psnr:shortest=1"
)
_SSIM_LINE = re.compile(r"^n:\d+ Y:(-?[0-9.naif]+)", re.MULTILINE)
_XPSNR_LINE = re.compile(r"^n: *\d+ +XPSNR y: *(-?[0-9.]+|-?inf|-?nan)", re.MULTILINE)


_ROW_BYTES = 128
"""What a build's frames of more than 8 bits are padded to."""


def _unpadded(width: int, pixel_format: str) -> bool:
    """The build's filter takes rows of more than 8 bits as if there was no padding: of frames 854 wide it gives
    10 dB instead of 44."""
    return not pixel_format.endswith("le") or 2 * width % _ROW_BYTES == 0


def _from_vmaf(name: str) -> Callable[[str], list[float]]:
    return lambda log: [float(frame["metrics"][name]) for frame in json.loads(log)["frames"]]


def _of_colour(name: str) -> Callable[[str], list[float]]:
    """The same of what grey frames lack."""
    return lambda log: [
        float(m[name]) for frame in json.loads(log)["frames"] if name in (m := frame["metrics"])
    ]


def _vmaf_version(log: str) -> str:
    return f"libvmaf {json.loads(log).get('version', '?')}, {MODEL}"


def _psnr(key: str, plane: str, about: str, read: Callable[[str], list[float]]) -> Metric:
    title = f"PSNR {plane}".strip()
    return Metric(
        key=key,
        title=title,
        unit="dB",
        digits=2,
        about=about,
        needs="libvmaf",
        graph=_VMAF_GRAPH,
        log="vmaf.json",
        read=read,
        sampling=ITSELF,
    )


METRICS: list[Metric] = [
    Metric(
        "vmaf",
        "VMAF",
        "",
        1,
        "0 to 100",
        "libvmaf",
        _VMAF_GRAPH,
        "vmaf.json",
        _from_vmaf("vmaf"),
        _vmaf_version,
        ITSELF,
    ),
    _psnr("psnr", "", "luma", _from_vmaf("psnr_y")),
    _psnr("psnr_cb", "Cb", "blue-difference chroma", _of_colour("psnr_cb")),
    _psnr("psnr_cr", "Cr", "red-difference chroma", _of_colour("psnr_cr")),
    Metric(
        "ssim",
        "SSIM",
        "",
        4,
        "luma",
        "ssim",
        "ssim=stats_file={name}ssim.log:shortest=1",
        "ssim.log",
        lambda log: [float(value) for value in _SSIM_LINE.findall(log)],
    ),
    Metric(
        "xpsnr",
        "XPSNR",
        "dB",
        2,
        "luma, weighted by what the eye is sensitive to",
        "xpsnr",
        "xpsnr=stats_file={name}xpsnr.log:shortest=1",
        "xpsnr.log",
        lambda log: [float(value) for value in _XPSNR_LINE.findall(log)],
        sampling=NEVER,
        able=_unpadded,
    ),
]


def measured_of(width: int, pixel_format: str, every: int = 1) -> list[Metric]:
    """Those that are measured of every n-th of such frames."""
    return [m for m in METRICS if m.able(width, pixel_format) and (every == 1 or m.sampling != NEVER)]
