"""Every metric of every frame, measured by the bundled build."""

import tempfile
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from ovrik.errors import OvrikError, PassingTrouble, Stopped
from ovrik.export.process import measure
from ovrik.export.progress import ProgressReader
from ovrik.machine.builds import find_build
from ovrik.quality.alignment import Match
from ovrik.quality.conformity import same_rate
from ovrik.quality.metric_table import METRICS
from ovrik.store.records import MetricScores
from ovrik.study.clip_file import CONTAINERS, PROTOCOLS, address
from ovrik.study.delivery import Delivery
from ovrik.study.footage import ColourTags, Footage


@dataclass(frozen=True)
class Beside:
    """Filters that leave of output and of reference what belongs together; each "" or ending in a comma."""

    output: str = ""
    reference: str = ""


def belonging(found: Match, output: Footage, reference: Footage, wanted: Delivery) -> Beside:
    """Those that a match asks for: rates made the same, bars cut off, and only frames that both have."""
    sides = []
    for clip, edges, first in (
        (output, found.own_edges, max(found.lag, 0)),
        (reference, found.edges, max(-found.lag, 0)),
    ):
        text = ""
        if not same_rate(clip.rate, wanted.rate):
            # Rounded up, and the last of what falls together: of each moment the frame that stands then.
            text += f"settb={1 / clip.rate},setpts=N,fps={wanted.rate}:round=up,"
        if found.lag:
            text += f"trim=start_frame={first}:end_frame={first + found.overlap},"
        if any(edges):
            top, bottom, left, right = edges
            w, h = clip.shown_width, clip.shown_height
            size = f"{round(w * (1 - left - right))}:{round(h * (1 - top - bottom))}"
            text += f"crop={size}:{round(w * left)}:{round(h * top)},"
        sides.append(text)
    return Beside(*sides)


def frame_scores(
    output: Path,
    reference: Path,
    wanted: Delivery,
    colour: ColourTags | None = None,
    threads: int = 2,
    beside: Beside = Beside(),
    on_share: Callable[[float], None] = lambda _s: None,
    should_stop: Callable[[], bool] = lambda: False,
) -> dict[str, MetricScores]:
    """Score an output against the reference, frame by frame in order.

    Frames are paired by number, not by time stamp, so that the stamps of different containers
    can't shift them. `colour`, the output's own tags: where they or the programme's are missing, the
    other's stand for both, so that samples are compared as they are coded; only tags that are there
    and differ are converted. Levels are what each file says of itself, limited where it says nothing, as a player
    takes them. `beside` says which frames and which parts of them belong together. Raises OvrikError when the build
    can't score it, Stopped on request.
    """
    build, tick = find_build("bundled"), 1 / wanted.rate
    ours, theirs = (_labels(one, other) for one, other in _both(colour or ColourTags(), wanted.colour))
    same = (
        f"scale={wanted.width}:{wanted.height}:flags=bicubic:out_range=tv,format={wanted.pixel_format},"
        f"settb={tick.numerator}/{tick.denominator},setpts=N"
    )
    graph, ends = _graph(
        f"[0:v:0]{beside.output}{ours}{same}", f"[1:v:0]{beside.reference}{theirs}{same}", threads
    )
    arguments = [
        build.path,
        "-nostdin",
        "-hide_banner",
        "-nostats",
        "-progress",
        "pipe:1",
        "-protocol_whitelist",
        PROTOCOLS,
        "-format_whitelist",
        CONTAINERS,
        "-i",
        address(output),
        "-protocol_whitelist",
        PROTOCOLS,
        "-i",
        address(reference),
        "-filter_complex",
        graph,
        *(word for end in ends for word in ("-map", end, "-f", "null", "-")),
    ]
    reader = ProgressReader()

    def took(piece: bytes, at_s: float) -> bool:
        reports = reader.feed(piece, at_s)
        for report in reports:
            on_share(min(report.frame / wanted.frames, 1.0))
        return bool(reports)

    with _scratch() as folder:
        usage = measure(arguments, took, should_stop, cwd=Path(folder))
        if usage.stopped:
            raise Stopped
        if usage.exit_code or usage.stalled:
            last = usage.log[-1] if usage.log else "no message"
            raise OvrikError(f"{output.name} could not be scored ({last})", "Check that it plays")
        return read_scores(Path(folder), build.version)


def _graph(ours: str, theirs: str, threads: int) -> tuple[str, list[str]]:
    """One filter graph for all metrics, each filter once, and the names of its ends."""
    filters = list(dict.fromkeys(m.graph for m in METRICS))
    count = len(filters)
    split = [
        f"{stream},split={count}{''.join(f'[{side}{n}]' for n in range(count))}"
        for stream, side in ((ours, "o"), (theirs, "r"))
    ]
    compared = [f"[o{n}][r{n}]{f.format(threads=threads)}[s{n}]" for n, f in enumerate(filters)]
    return ";".join((*split, *compared)), [f"[s{n}]" for n in range(count)]


def _scratch() -> "tempfile.TemporaryDirectory[str]":
    try:
        return tempfile.TemporaryDirectory(prefix="ovrik-score-", ignore_cleanup_errors=True)
    except OSError as exc:
        raise PassingTrouble(
            f"Nothing can be written to {tempfile.gettempdir()} ({exc.strerror})", "Free some space there"
        ) from None


LEAST_SIDE = 20
"""Pixels: of smaller frames the build's VMAF makes nothing at all."""
LABELS = (
    ("primaries", "color_primaries", "bt709"),
    ("transfer", "color_trc", "bt709"),
    ("matrix", "colorspace", "bt709"),
)


def _both(output: ColourTags, programme: ColourTags) -> tuple[tuple[ColourTags, ColourTags], ...]:
    return (output, programme), (programme, output)


def _labels(own: ColourTags, other: ColourTags) -> str:
    """A filter that writes complete tags on a stream and touches no sample.

    Without it a build takes a missing tag for another than the one it meets, and converts.
    """
    if "gbr" in (own.matrix, other.matrix):
        return ""
    values = [
        f"{option}={getattr(own, name) or getattr(other, name) or usual}" for name, option, usual in LABELS
    ]
    values.append(f"range={own.range or 'tv'}")
    return f"setparams={':'.join(values)},"


def read_scores(folder: Path, build_version: str = "") -> dict[str, MetricScores]:
    """Read the logs that the build wrote. Raises OvrikError when they hold no frame."""
    try:
        logs = {name: (folder / name).read_text() for name in {m.log for m in METRICS}}
        values = {m.key: m.read(logs[m.log]) for m in METRICS}
        versions = {m.key: m.version(logs[m.log]) for m in METRICS}
    except (OSError, ValueError, KeyError, TypeError) as exc:
        raise OvrikError(
            f"The build's scores can't be read ({exc})",
            "The bundled build may be damaged: install Ovrik again",
        ) from None
    count = min(map(len, values.values()))
    if count == 0:
        raise OvrikError("No frame could be scored", "The output may hold no video")
    return {
        key: MetricScores(
            ", ".join(filter(None, (versions[key], build_version))), np.array(found[:count], float)
        )
        for key, found in values.items()
    }
