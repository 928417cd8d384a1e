"""A file into which the treated frame is rendered first, so that exports can begin from it."""

from dataclasses import dataclass, replace
from typing import Any

from ovrik.errors import OvrikError


@dataclass(frozen=True)
class IntermediateCodec:
    """Fields: `title`; `encoder`; `settings`, arguments; `codec`, `profile` as read from the file;
    `pixel_formats`, the usual one first; `container`, also its ending; `muxer`, what builds call it."""

    title: str
    encoder: str
    settings: tuple[str, ...]
    codec: str
    pixel_formats: tuple[str, ...]
    container: str
    muxer: str


def _prores(title: str, profile: str, pixel_format: str) -> IntermediateCodec:
    return IntermediateCodec(
        title=title,
        encoder="prores_ks",
        settings=("-profile:v", profile),
        codec="prores",
        pixel_formats=(pixel_format,),
        container="mov",
        muxer="mov",
    )


def _dnxhr(title: str, profile: str, pixel_format: str) -> IntermediateCodec:
    return IntermediateCodec(
        title=title,
        encoder="dnxhd",
        settings=("-profile:v", profile),
        codec="dnxhd",
        pixel_formats=(pixel_format,),
        container="mov",
        muxer="mov",
    )


INTERMEDIATES: dict[str, IntermediateCodec] = {
    "prores-proxy": _prores("ProRes Proxy", "proxy", "yuv422p10le"),
    "prores-lt": _prores("ProRes LT", "lt", "yuv422p10le"),
    "prores": _prores("ProRes 422", "standard", "yuv422p10le"),
    "prores-hq": _prores("ProRes HQ", "hq", "yuv422p10le"),
    "prores-4444": _prores("ProRes 4444", "4444", "yuv444p10le"),
    "dnxhr-lb": _dnxhr("DNxHR LB", "dnxhr_lb", "yuv422p"),
    "dnxhr-sq": _dnxhr("DNxHR SQ", "dnxhr_sq", "yuv422p"),
    "dnxhr-hq": _dnxhr("DNxHR HQ", "dnxhr_hq", "yuv422p"),
    "dnxhr-hqx": _dnxhr("DNxHR HQX", "dnxhr_hqx", "yuv422p10le"),
    "dnxhr-444": _dnxhr("DNxHR 444", "dnxhr_444", "yuv444p10le"),
    "ffv1": IntermediateCodec(
        "FFV1",
        "ffv1",
        ("-level", "3", "-g", "1", "-slices", "4"),
        "ffv1",
        ("yuv422p10le", "yuv420p", "yuv422p", "yuv444p", "yuv420p10le", "yuv444p10le"),
        "mkv",
        "matroska",
    ),
}


RAW = IntermediateCodec("raw frames", "rawvideo", (), "rawvideo", (), "nut", "nut")
"""Not to be chosen: what encoding alone is timed from."""
QUICK = IntermediateCodec(
    "lossless Huffman coding",
    "ffvhuff",
    ("-pred", "median", "-context", "1"),
    "ffvhuff",
    tuple(f"yuv{s}p{bits}" for s in ("420", "422", "444") for bits in ("", "10le", "12le", "16le")),
    "mkv",
    "matroska",
)
"""Not to be chosen: what is judged is kept in it, a tenth larger than FFV1 and decoded in a seventh of the time."""
HIDDEN = {"raw": RAW, "quick": QUICK}


@dataclass(frozen=True)
class Intermediate:
    """Fields: `codec`, a key of `INTERMEDIATES` or of those not to be chosen; `width`, `height` in pixels, 0 for the
    programme's; `pixel_format`; `passed`, whether the delivery takes its frames as they are coded, instead of coding
    them again."""

    codec: str
    width: int = 0
    height: int = 0
    pixel_format: str = "yuv422p10le"
    passed: bool = False

    @property
    def facts(self) -> IntermediateCodec:
        """The codec's own row of facts."""
        return HIDDEN.get(self.codec) or INTERMEDIATES[self.codec]

    @property
    def words(self) -> str:
        """Codec, size if it is another than the programme's, and depth where there is a choice."""
        size = f" {self.width}×{self.height}" if self.width else ""
        depth = f" {self.pixel_format}" if len(self.facts.pixel_formats) > 1 else ""
        return f"{self.facts.title}{size}{depth}{', passed through' if self.passed else ''}"

    @property
    def made(self) -> "Intermediate":
        """What is made, whatever becomes of it."""
        return replace(self, passed=False)

    @property
    def name(self) -> str:
        """What names a file of it."""
        size = f"width={self.width!r}, height={self.height!r}"
        return f"Intermediate(codec={self.codec!r}, {size}, pixel_format={self.pixel_format!r})"

    def to_json(self) -> dict[str, Any]:
        """Plain values for JSON."""
        return {k: v for k, v in vars(self).items() if k != "passed" or v}


def intermediate(
    codec: str, width: int = 0, height: int = 0, pixel_format: str = "", passed: bool = False
) -> Intermediate:
    """An intermediate that can be; else OvrikError."""
    facts = INTERMEDIATES.get(codec)
    if facts is None:
        raise OvrikError(f'There is no intermediate "{codec}"', f"Choose one of {', '.join(INTERMEDIATES)}")
    pixel_format = pixel_format or facts.pixel_formats[0]
    if pixel_format not in facts.pixel_formats:
        raise OvrikError(
            f"{facts.title} takes {', '.join(facts.pixel_formats)}, not {pixel_format}", "Choose one of these"
        )
    if bool(width) != bool(height) or width % 2 or height % 2:
        raise OvrikError(f"{width}×{height} is not an even width and height", "Give both, or neither")
    return Intermediate(codec, width, height, pixel_format, passed)
