"""What people saw: notes pinned to a frame, and answers of a blind comparison."""

from dataclasses import dataclass

from ovrik.errors import OvrikError

Area = tuple[float, float, float, float]
"""Left, top, width and height, as shares of the picture."""
WHOLE: Area = (0.0, 0.0, 1.0, 1.0)
REFERENCE = "reference"
"""Stands for the reference where an output's checksum would stand."""
MOST_WORDS = 2000


@dataclass(frozen=True)
class Pin:
    """A note pinned to an output, a frame and a region.

    Fields: `contender_id`; `output_sha256` of the output that was looked at; `frame` of the excerpt; `area`; `words`;
    `made_utc`, ISO 8601, and `id`, "" and 0 until it is kept.
    """

    contender_id: int
    output_sha256: str
    frame: int
    area: Area
    words: str
    made_utc: str = ""
    id: int = 0


@dataclass(frozen=True)
class Spot:
    """Where to look. Fields: `frame` of the excerpt; `area`."""

    frame: int
    area: Area = WHOLE


@dataclass(frozen=True)
class BlindChoice:
    """One answer. Fields: `spot`, its place among the spots; `one_left`, whether "one" was on the left; `chose_one`,
    whether it was taken for the nearer to the reference; `seconds` it took."""

    spot: int
    one_left: bool
    chose_one: bool
    seconds: float


@dataclass(frozen=True)
class Blind:
    """A blind comparison of two outputs by one person.

    Fields: `one`, `other`, checksums of the outputs, or `REFERENCE` for the reference itself; `reference`, the key of
    what they were judged against; `viewer`, who looked; `watching`, at what size, in words; `spots` that were shown;
    `most`, trials at the most; `choices`, in order; `ended`, "" while it goes on, else "decided" or "stopped";
    `made_utc`, ISO 8601, and `id`, "" and 0 until it is kept.
    """

    one: str
    other: str
    reference: str
    viewer: str
    watching: str
    spots: tuple[Spot, ...]
    most: int
    choices: tuple[BlindChoice, ...] = ()
    ended: str = ""
    made_utc: str = ""
    id: int = 0


def area_from(values: object) -> Area:
    """An area as it is read from a file. Raises ValueError on one that can't be."""
    if not isinstance(values, list | tuple) or len(values) != 4:
        raise ValueError("an area is not four numbers")
    left, top, wide, high = (float(v) for v in values)
    if not (0 <= left <= 1 and 0 <= top <= 1 and 0 <= wide <= 1 and 0 <= high <= 1):
        raise ValueError("an area lies outside the picture")
    return left, top, wide, high


def checked_words(words: str) -> str:
    """What a note says. Raises OvrikError where it says nothing, or too much."""
    said = words.strip()
    if not said:
        raise OvrikError("The note says nothing", "Write what you see")
    if len(said) > MOST_WORDS:
        raise OvrikError(f"The note has {len(said)} letters", f"Keep it under {MOST_WORDS}")
    return said
