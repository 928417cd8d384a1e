"""The metrics that outputs are scored by, in one table: a new one is one entry."""

import json
import re
from collections.abc import Callable
from dataclasses import dataclass


@dataclass(frozen=True)
class Metric:
    """One measure of every frame against the reference's.

    Fields: `key` in the study file and in exports; `title`; `unit`, "" for none; `digits` shown after the
    point; `about`, what it is of, in words; `needs`, the filter that the build must have; `graph`, that filter
    with its arguments, in which {threads} is filled in, comparing the output, its first input, with the
    reference; metrics with the same graph are measured together; `log`, the file that the graph writes;
    `read`, which takes the log's text and gives one value per frame, raising ValueError or KeyError; `version`,
    which takes the log's text and names the model, or "" where the build's version says all.
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

    @property
    def axis(self) -> str:
        """Title and unit."""
        return f"{self.title}, {self.unit}" if self.unit else self.title


MODEL = "vmaf_v0.6.1"
_VMAF_GRAPH = (
    f"libvmaf=log_path=vmaf.json:log_fmt=json:n_threads={{threads}}:model=version={MODEL}"
    ":feature=name=psnr:shortest=1"
)
_SSIM_LINE = re.compile(r"^n:\d+ Y:([0-9.naif]+)", re.MULTILINE)


def _from_vmaf(name: str) -> Callable[[str], list[float]]:
    return lambda log: [float(frame["metrics"][name]) for frame in json.loads(log)["frames"]]


def _vmaf_version(log: str) -> str:
    return f"libvmaf {json.loads(log).get('version', '?')}, {MODEL}"


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
    ),
    Metric("psnr", "PSNR", "dB", 2, "luma", "libvmaf", _VMAF_GRAPH, "vmaf.json", _from_vmaf("psnr_y")),
    Metric(
        "ssim",
        "SSIM",
        "",
        4,
        "luma",
        "ssim",
        "ssim=stats_file=ssim.log:shortest=1",
        "ssim.log",
        lambda log: [float(value) for value in _SSIM_LINE.findall(log)],
    ),
]
