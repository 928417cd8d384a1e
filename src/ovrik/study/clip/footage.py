"""What was read from a clip."""

from dataclasses import dataclass, fields, replace
from fractions import Fraction
from typing import Any, ClassVar

from ovrik.study.files.plain_values import CLOSED, from_plain


@dataclass(frozen=True)
class ColourTags:
    """Colour description as tagged in the stream; "" where the tag is missing.

    Fields: `primaries`, `transfer`, `matrix` by the names of ITU-T H.273 as libav writes them;
    `range`, "tv" (limited) or "pc" (full).
    """

    primaries: str = ""
    transfer: str = ""
    matrix: str = ""
    range: str = ""

    def __str__(self) -> str:
        named = [v for v in (self.primaries, self.transfer, self.matrix, self.range) if v]
        return " / ".join(named) or "not tagged"


HDR = {"smpte2084": "PQ", "arib-std-b67": "HLG"}


def has_alpha(pixel_format: str) -> bool:
    """Whether a pixel format holds transparency."""
    return pixel_format.startswith(("yuva", "rgba", "bgra", "argb", "abgr", "gbrap", "ya8", "ya16", "pal8"))


@dataclass(frozen=True)
class Sound:
    """A sound stream.

    Fields: `codec`; `sample_rate` in Hz; `channels`; `layout`; `bit_rate` in bit/s, 0 if unknown.
    """

    codec: str
    sample_rate: int
    channels: int
    layout: str = ""
    bit_rate: int = 0


@dataclass(frozen=True)
class Footage:
    """A source clip, with what was read from it.

    Fields: `path` as a string; `size_bytes`; `container` by libav's format name; `codec`,
    `profile`; `width`, `height` in pixels; `sample_aspect` (pixel shape, 1 when square);
    `rate` in frames per second, of a clip with a variable rate the one at which it is made constant;
    `constant_rate`; `rate_evidence`, how the last was established; `frames` that a player shows (on the even
    grid at `rate`, where the clip's same rate is variable); `frames_counted`, False when their number is the header's
    word; `duration_s`, true time from the first frame to the end of the last; `container_s`, the duration that the
    container states, 0 if it does not; `start_s`, time stamp of the first frame; `pixel_format`; `bit_depth` per
    component; `chroma` such as "4:2:2"; `bit_rate` in bit/s of the video stream (of the file where
    the stream does not say); `colour` as the container and the stream tag it together; `sounds`; `checksum` (see
    `study.checksum`).

    Further, with what an ordinary clip has as defaults: `container_start_s`, the time stamp with which the container
    begins; `jitter_s`, the largest distance of a stamp from the even grid; `longest_s`, the longest that a frame
    stands; `longest_gop_s`, the longest way from one key frame to the next; `untimed`, True when the file holds no
    presentation times; `stored_frames`, the clip's own frames where its rate is variable, else 0; `rotation`,
    degrees clockwise by which a player turns the picture; `field_order`, "" for progressive, else "upper field
    first" or "lower field first"; `stream_colour`, the tags in the coded stream alone.
    """

    __pydantic_config__: ClassVar[Any] = CLOSED

    path: str
    size_bytes: int
    container: str
    codec: str
    profile: str
    width: int
    height: int
    sample_aspect: Fraction
    rate: Fraction
    constant_rate: bool
    rate_evidence: str
    frames: int
    frames_counted: bool
    duration_s: float
    container_s: float
    start_s: float
    pixel_format: str
    bit_depth: int
    chroma: str
    bit_rate: int
    colour: ColourTags
    sounds: tuple[Sound, ...]
    checksum: str
    container_start_s: float = 0.0
    jitter_s: float = 0.0
    longest_s: float = 0.0
    longest_gop_s: float = 0.0
    untimed: bool = False
    stored_frames: int = 0
    rotation: int = 0
    field_order: str = ""
    stream_colour: ColourTags = ColourTags()

    @property
    def shown_width(self) -> int:
        """Width in pixels as a player shows it, turned upright."""
        return self.height if self.rotation in (90, 270) else self.width

    @property
    def shown_height(self) -> int:
        """Height in pixels as a player shows it, turned upright."""
        return self.width if self.rotation in (90, 270) else self.height

    @property
    def shown_aspect(self) -> Fraction:
        """Shape of a pixel as a player shows it, turned upright."""
        return 1 / self.sample_aspect if self.rotation in (90, 270) else self.sample_aspect

    @property
    def alpha(self) -> bool:
        """Whether its pixel format holds transparency."""
        return has_alpha(self.pixel_format)

    @property
    def full_range(self) -> bool:
        """Whether its samples use the full range of levels."""
        return self.colour.range == "pc" or self.pixel_format.startswith("yuvj")

    @property
    def rgb(self) -> bool:
        """Whether its samples are R'G'B'."""
        return self.chroma == "RGB"

    @property
    def delivered_colour(self) -> ColourTags:
        """Its colour tags once it is delivered: always Y'CbCr in limited range."""
        made = replace(self.colour, range="tv") if self.full_range or self.rgb else self.colour
        if not self.rgb:
            return made
        return replace(made, matrix="bt2020nc" if self.colour.primaries == "bt2020" else "bt709")

    @property
    def hdr(self) -> str:
        """The trade's name of its high dynamic range transfer, "" when it has none."""
        return HDR.get(self.colour.transfer, "")

    def time_of(self, frame: int) -> float:
        """Time in seconds of a frame, from the first one, by index over rate."""
        return float(frame / self.rate)

    def to_json(self) -> dict[str, Any]:
        """Plain values for JSON; rates are written as "25/1"."""
        out = {f.name: getattr(self, f.name) for f in fields(self)}
        out["rate"] = f"{self.rate.numerator}/{self.rate.denominator}"
        out["sample_aspect"] = f"{self.sample_aspect.numerator}/{self.sample_aspect.denominator}"
        out["colour"] = vars(self.colour).copy()
        out["stream_colour"] = vars(self.stream_colour).copy()
        out["sounds"] = [vars(s).copy() for s in self.sounds]
        return out

    @classmethod
    def from_json(cls, data: dict[str, Any]) -> "Footage":
        """The inverse of `to_json`."""
        # Facts read before this was asked for: an ordinary clip begins with its container.
        made = from_plain(cls, {"container_start_s": data["start_s"], **data, "path": ""})
        return replace(made, path=str(data["path"]))  # its bytes need not be UTF-8
