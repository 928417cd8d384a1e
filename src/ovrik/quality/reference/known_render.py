"""A treatment alone, done to the known picture by a build."""

from fractions import Fraction

from ovrik.export.command.export import device_arguments
from ovrik.export.graph.builder import Canvas, GraphBuilder, is_deep, sampling
from ovrik.export.graph.nodes import Node, node
from ovrik.export.graph.treat import apply
from ovrik.machine.builds.build import Build
from ovrik.machine.devices.known_picture import HEIGHT, WIDTH, input_arguments
from ovrik.machine.devices.known_trials import device_numbers
from ovrik.machine.devices.opening import run_trial
from ovrik.machine.processes.asking import Replied
from ovrik.study.programme.programme import Programme
from ovrik.study.programme.treatment import Treatment


def format_of(programme: Programme) -> str:
    """What the known picture is to be in, to be like a programme."""
    return f"yuv{sampling(programme.pixel_format)}p{'10le' if is_deep(programme.pixel_format) else ''}"


def rendered(build: Build, t: Treatment | None, place: str, pixel_format: str) -> Replied:
    """The known frames as a build treats them, raw; untreated without a treatment."""
    return run_trial(_command(build, t, place, pixel_format))


def _command(build: Build, t: Treatment | None, place: str, pixel_format: str) -> list[str]:
    c = Canvas(WIDTH, HEIGHT, Fraction(25), pixel_format)
    w = GraphBuilder(place)
    w.open(input_arguments(pixel_format))
    shown = w.through("0:V:0", *_untouched(t), node("format", pix_fmts=pixel_format))
    made = apply(w, shown, t, c) if t else shown
    devices = device_arguments((place,), device_numbers(build))
    chosen = ["-filter_hw_device", place] if devices else []
    inputs = [a for given in w.inputs for a in given]
    return [
        build.path,
        "-nostdin",
        "-hide_banner",
        "-v",
        "verbose" if devices else "error",  # why a device can't be opened is said at length only
        *devices,
        *chosen,
        *inputs,
        "-filter_complex",
        w.text(),
        "-map",
        f"[{made}]",
        "-f",
        "rawvideo",
        "-pix_fmt",
        pixel_format,
        "pipe:1",
    ]


STEPS = (0, 8, 20, 40, 80)


def _untouched(t: Treatment | None) -> list[Node]:
    """What the known frames must hold for a treatment to have something to do: a key gets its colour, and colours
    ever further from it."""
    if t is None or t.kind != "key":
        return []
    rgb = [int(t["colour"][n : n + 2], 16) for n in (1, 3, 5)]
    out = []
    for n, step in enumerate(STEPS):
        shade = "0x" + "".join(f"{min(255, v + step) if v < 128 else max(0, v - step):02x}" for v in rgb)
        out.append(node("drawbox", x=10 + 48 * n, y=30, w=40, h=80, color=shade, t="fill"))
    return out
