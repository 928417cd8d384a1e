"""What was read from a clip."""

from dataclasses import dataclass
from fractions import Fraction
from typing import Any


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
    `rate` in frames per second; `constant_rate`; `rate_evidence`, how the last was established;
    `frames`, the count of pictures; `frames_counted`, False when the count is the header's word;
    `duration_s`, frames over rate; `container_s`, the duration that the container states, 0 if it
    does not; `start_s`, time stamp of the first picture; `pixel_format`; `bit_depth` per
    component; `chroma` such as "4:2:2"; `bit_rate` in bit/s of the video stream (of the file where
    the stream does not say); `colour`; `sounds`; `checksum` (see `study.checksum`).
    """

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

    def time_of(self, frame: int) -> float:
        """Time in seconds of a picture, from the first one, by index over rate."""
        return float(frame / self.rate)

    def to_json(self) -> dict[str, Any]:
        """Plain values for JSON; rates are written as "25/1"."""
        out = {k: getattr(self, k) for k in self.__dataclass_fields__}
        out["rate"] = f"{self.rate.numerator}/{self.rate.denominator}"
        out["sample_aspect"] = f"{self.sample_aspect.numerator}/{self.sample_aspect.denominator}"
        out["colour"] = vars(self.colour).copy()
        out["sounds"] = [vars(s).copy() for s in self.sounds]
        return out

    @classmethod
    def from_json(cls, data: dict[str, Any]) -> "Footage":
        """The inverse of `to_json`."""
        values = dict(data)
        values["rate"] = Fraction(data["rate"])
        values["sample_aspect"] = Fraction(data["sample_aspect"])
        values["colour"] = ColourTags(**data["colour"])
        values["sounds"] = tuple(Sound(**s) for s in data["sounds"])
        return cls(**values)
