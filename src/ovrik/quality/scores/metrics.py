"""Every metric of every frame, measured by the bundled build."""

import os
import tempfile
from collections.abc import Callable, Mapping, Sequence
from contextlib import ExitStack
from dataclasses import dataclass
from pathlib import Path
from types import MappingProxyType

import numpy as np

from ovrik.errors import Ask, OvrikError, PassingTrouble, Stopped
from ovrik.export.run.process import measure
from ovrik.export.run.progress import ProgressReader
from ovrik.machine.builds.build import find_build
from ovrik.quality.checks.alignment import Match
from ovrik.quality.checks.conformity import same_rate
from ovrik.quality.scores.feed import BESIDE, Feed
from ovrik.quality.scores.metric_table import PICKED, Metric, measured_of
from ovrik.store.records.score import MetricScores
from ovrik.study.clip.address import CONTAINERS, PROTOCOLS, address
from ovrik.study.clip.footage import ColourTags, Footage
from ovrik.study.contender.delivery import Delivery
from ovrik.study.files.scratch import scratch_folder


@dataclass(frozen=True)
class BesideFilters:
    """Filters that leave of output and of reference what belongs together; each "" or ending in a comma."""

    output: str = ""
    reference: str = ""


def belonging(found: Match, output: Footage, reference: Footage, wanted: Delivery) -> BesideFilters:
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
    return BesideFilters(*sides)


@dataclass(frozen=True)
class ToScore:
    """An output to be scored. Fields: `output`, its file; `wanted`, what it is to be; `colour`, its own tags;
    `beside`, which frames and which parts of output and reference belong together.

    Where tags of the output's or the programme's are missing, the other's stand for both, so that samples are
    compared as they are coded; only tags that are there and differ are converted. Levels are what each file says of
    itself, limited where it says nothing, as a player takes them.
    """

    output: Path
    wanted: Delivery
    colour: ColourTags | None = None
    beside: BesideFilters = BesideFilters()

    @property
    def chains(self) -> tuple[str, str]:
        """What is done to the output's frames and to the reference's before they are compared."""
        w, tick = self.wanted, 1 / self.wanted.rate
        ours, theirs = (_labels(one, other) for one, other in _both(self.colour or ColourTags(), w.colour))
        same = (
            f"scale={w.width}:{w.height}:flags=bicubic:out_range=tv,format={w.pixel_format},"
            f"settb={tick.numerator}/{tick.denominator},setpts=N"
        )
        return f"{self.beside.output}{ours}{same}", f"{self.beside.reference}{theirs}{same}"

    def as_it_is(self, clip: Footage) -> bool:
        """Whether the samples of the output, read as `clip`, are compared as they are coded."""
        w = self.wanted
        same = (clip.width, clip.height, clip.pixel_format) == (w.width, w.height, w.pixel_format)
        return same and self.beside == BesideFilters() and not clip.rgb


def frame_scores(
    output: Path,
    reference: Path,
    wanted: Delivery,
    colour: ColourTags | None = None,
    beside: BesideFilters = BesideFilters(),
) -> dict[str, MetricScores]:
    """Score one output against the reference, frame by frame in order. Raises OvrikError."""
    return scores_of([ToScore(output, wanted, colour, beside)], reference)[0]


def scores_of(
    outputs: Sequence[ToScore],
    reference: Path,
    every: int = 1,
    on_share: Callable[[float], None] = lambda _s: None,
    should_stop: Ask = lambda: False,
    feeds: Mapping[Path, Feed] = MappingProxyType({}),
) -> list[dict[str, MetricScores]]:
    """Score outputs against one reference, frame by frame in order, in one pass over it.

    Frames are paired by number, not by time stamp, so that the stamps of different containers can't shift them.
    `every` n-th frame alone is measured where that is more than 1; the others are NaN. Of files that somebody else
    decodes meanwhile, `feeds` bring the frames. Raises OvrikError when the build can't score one of them, Stopped on
    request.
    """
    build = find_build("bundled")
    # Of a sample that is handed on the program gets little more than that.
    within = BESIDE if any(f.every > BESIDE for f in feeds.values()) else every
    graphs = [_graph(job, n, len(outputs), within) for n, job in enumerate(outputs)]
    inputs = [*(o.output for o in outputs), reference]
    bounded = ("-protocol_whitelist", PROTOCOLS, "-format_whitelist", CONTAINERS)
    arguments = [
        *(build.path, "-nostdin", "-hide_banner", "-nostats", "-progress", "pipe:1"),
        *(
            word
            for p in inputs
            for word in (feeds[p].arguments if p in feeds else (*bounded, "-i", address(p)))
        ),
        *(word for graph, _ends in graphs for word in ("-filter_complex", graph)),
        *(word for _graph, ends in graphs for end in ends for word in ("-map", end, "-f", "null", "-")),
    ]
    reader, frames = ProgressReader(), max(o.wanted.frames for o in outputs)
    coming = max((feed.fed(frames) for feed in feeds.values()), default=frames)

    def took(piece: bytes, at_s: float) -> bool:
        reports = reader.feed(piece, at_s)
        for report in reports:
            on_share(min(report.frame / coming, 1.0))
        return bool(reports)

    def inherited(_group: int = 0) -> None:
        for feed in feeds.values():
            feed.inherited()

    with ExitStack() as stack:
        folder = _scratch(stack)
        usage = measure(
            arguments,
            took,
            should_stop,
            cwd=folder,
            on_start=inherited,
            inherits=[f.read_end for f in feeds.values()],
            grace_s=0,
        )
        if usage.stopped:
            raise Stopped
        if usage.exit_code or usage.stalled:
            last = usage.log[-1] if usage.log else "no message"
            named = outputs[0].output.name if len(outputs) == 1 else f"{len(outputs)} outputs together"
            raise OvrikError(f"{named} could not be scored ({last})", "Check that it plays")
        if any(feed.given() < coming for feed in feeds.values()):
            raise OvrikError("Not all frames were handed on", "Score the files themselves")
        return [
            read_scores(
                Path(folder),
                measured_of(o.wanted.width, o.wanted.pixel_format, every),
                build.version,
                f"{n}-",
                every,
            )
            for n, o in enumerate(outputs)
        ]


def _graph(job: ToScore, number: int, reference: int, every: int) -> tuple[str, list[str]]:
    """The filter graph for all metrics of one output, each filter once, and the names of its ends. Each output has a
    graph of its own, since a build runs each in a thread of its own; what they read of the reference is decoded once.
    `number` and `reference` are places among the inputs, the reference's being the last."""
    wanted = job.wanted
    measured = measured_of(wanted.width, wanted.pixel_format, every)
    filters = list(dict.fromkeys((m.graph, m.sampling) for m in measured))
    # More threads than cores would only wait for one another, each with frames of its own.
    threads, parts = max(1, (os.cpu_count() or 1) // reference), []
    for stream, side, chain in zip((number, reference), "or", job.chains, strict=True):
        names = "".join(f"[{side}{number}.{k}]" for k in range(len(filters)))
        parts.append(f"[{stream}:v:0]{chain},split={len(filters)}{names}")
    ends = []
    for k, (text, sampling) in enumerate(filters):
        pair = f"[o{number}.{k}][r{number}.{k}]"
        if every > 1 and sampling == PICKED:
            pick = f"select=not(mod(n\\,{every}))"
            parts += [f"[{side}{number}.{k}]{pick}[{side}{number}.{k}p]" for side in "or"]
            pair = f"[o{number}.{k}p][r{number}.{k}p]"
        made = text.format(threads=threads, name=f"{number}-", every=every)
        parts.append(f"{pair}{made}[s{number}.{k}]")
        ends.append(f"[s{number}.{k}]")
    return ";".join(parts), ends


def _scratch(stack: ExitStack) -> Path:
    try:
        return stack.enter_context(scratch_folder("score"))
    except OSError as exc:
        raise PassingTrouble(
            f"Nothing can be written to {tempfile.gettempdir()} ({exc.strerror})", "Free some space there"
        ) from None


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


def read_scores(
    folder: Path, measured: Sequence[Metric], build_version: str = "", name: str = "", every: int = 1
) -> dict[str, MetricScores]:
    """Read the logs that the build wrote for one output. Raises OvrikError when they hold no frame, or not the same
    ones."""
    try:
        logs = {log: (folder / f"{name}{log}").read_text() for log in {m.log for m in measured}}
        values = {m.key: found for m in measured if (found := m.read(logs[m.log]))}
        versions = {m.key: m.version(logs[m.log]) for m in measured}
    except (OSError, ValueError, KeyError, TypeError) as exc:
        raise _unreadable(str(exc)) from None
    counts = {key: len(v) for key, v in values.items()}
    count, most = min(counts.values(), default=0), max(counts.values(), default=0)
    if count == 0:
        raise OvrikError("No frame could be scored", "The output may hold no video")
    # The last frame of the longer of two may be in one log and not in another.
    if most - count > 1:
        raise _unreadable("frames: " + ", ".join(f"{n} of {key}" for key, n in counts.items()))
    return {
        key: MetricScores(
            ", ".join(filter(None, (versions[key], build_version))), _spread(found[:count], every)
        )
        for key, found in values.items()
    }


def _unreadable(why: str) -> OvrikError:
    return OvrikError(
        f"The build's scores can't be read ({why})", "The bundled build may be damaged: install Ovrik again"
    )


def _spread(found: Sequence[float], every: int) -> np.ndarray:
    """Values of every n-th frame, each in its place."""
    out = np.full((len(found) - 1) * every + 1, np.nan)
    out[::every] = found
    return out
