"""A filter graph while it grows: inputs opened, chains added, labels handed out."""

from dataclasses import dataclass, field, replace
from fractions import Fraction

from ovrik.export.graph.nodes import Chain, Node, graph_text, node
from ovrik.study.programme.programme import INSIDE
from ovrik.study.programme.treatment_kinds import NVENC, OPENCL, QSV, SOFTWARE, VAAPI


@dataclass(frozen=True)
class Canvas:
    """What a picture is while it is treated. Fields: `width`, `height` in pixels; `rate` in frames
    per second; `pixel_format`; `matrix` of its colours, in words that filters take; `sample_aspect`, the shape of
    a pixel, 1 when square; `frames`, how many there are at the most, 0 where that is not known; `fit`, how clips of
    another shape come into it."""

    width: int
    height: int
    rate: Fraction
    pixel_format: str
    matrix: str = "bt709"
    sample_aspect: Fraction = Fraction(1)
    frames: int = 0
    fit: str = field(default=INSIDE, repr=False)

    def at_rate(self, rate: Fraction, frames: int) -> "Canvas":
        """The same at another rate, with another number of frames."""
        return replace(self, rate=rate, frames=frames)


@dataclass
class GraphBuilder:
    """Fields: `inputs`, argument lists that open them, in order; `chains`; `place`, where treatments
    are done if they can be."""

    place: str = SOFTWARE
    inputs: list[list[str]] = field(default_factory=list)
    chains: list[Chain] = field(default_factory=list)
    _labels: int = 0

    def open(self, arguments: list[str]) -> int:
        """Open an input; gives its number."""
        self.inputs.append(arguments)
        return len(self.inputs) - 1

    def label(self) -> str:
        """A label not used before."""
        self._labels += 1
        return f"n{self._labels}"

    def through(self, source: str, *nodes: Node) -> str:
        """The stream after these filters."""
        return self.join((source,), *nodes)

    def join(self, sources: tuple[str, ...], *nodes: Node) -> str:
        """One stream out of several, or of none, after these filters."""
        out = self.label()
        self.chains.append(Chain(sources, nodes, (out,)))
        return out

    def split(self, source: str, count: int) -> tuple[str, ...]:
        """The same stream several times."""
        outs = tuple(self.label() for _ in range(count))
        self.chains.append(Chain((source,), (node("split", outputs=count),), outs))
        return outs

    def text(self) -> str:
        """The graph so far."""
        return graph_text(self.chains)


EIGHT_BITS = {"420": "yuv420p", "422": "yuv422p", "444": "yuv444p"}


def sampling(pixel_format: str) -> str:
    """ "420", "422" or "444"; what is neither counts as the fullest."""
    return next((s for s in EIGHT_BITS if s in pixel_format), "444")


def shallow(pixel_format: str) -> str:
    """The 8-bit format nearest to a pixel format."""
    return EIGHT_BITS[sampling(pixel_format)]


def is_deep(pixel_format: str) -> bool:
    """Whether it has more than 8 bits."""
    return pixel_format.endswith(("le", "be"))


HALF_PLANAR = (VAAPI, QSV, NVENC)
HALF_PLANAR_FORMATS = {
    ("420", False): "nv12",
    ("420", True): "p010le",
    ("422", False): "yuyv422",
    ("422", True): "y210le",
    ("444", False): "vuyx",
    ("444", True): "xv36le",
}


def surface(place: str, pixel_format: str, deep: bool) -> str:
    """The format in which a device is given frames: as they are where it takes that, else the
    nearest one that loses nothing but, where the filter knows no better, depth."""
    if place in HALF_PLANAR:
        return HALF_PLANAR_FORMATS[sampling(pixel_format), deep and is_deep(pixel_format)]
    if place != OPENCL:
        return pixel_format if deep else shallow(pixel_format)
    kind = "444" if sampling(pixel_format) == "422" else sampling(pixel_format)
    return f"yuv{kind}p16le" if deep and is_deep(pixel_format) else f"yuv{kind}p"


def on_device(form: str, *nodes: Node) -> tuple[Node, ...]:
    """Filters between the way onto the device and back."""
    there = node("format", pix_fmts=form)
    return (there, node("hwupload"), *nodes, node("hwdownload"), there)
