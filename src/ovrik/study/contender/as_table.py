"""A contender as it is written down: the keys of `[[contender]]`, and of `[[grid]]` with levels."""

from collections.abc import Callable, Mapping
from dataclasses import replace
from fractions import Fraction
from pathlib import Path
from typing import Any

from pydantic import BaseModel, ConfigDict, Field

from ovrik.errors import OvrikError
from ovrik.study.contender.contender import Contender
from ovrik.study.encoder.encoders import OUTSIDE
from ovrik.study.encoder.intermediate import Intermediate, intermediate
from ovrik.study.encoder.recipe import FOLLOWS, parse_bit_rate, recipe
from ovrik.study.programme.methods import PREFIX, choices, methods
from ovrik.study.programme.treatment_kinds import PLACES, SOFTWARE

NAMED_BUILDS = ("bundled", "system", OUTSIDE)
KEPT_BUILDS = ("wheel-", "standin-", "described-")


class ContenderTable(BaseModel):
    """One `[[contender]]`."""

    model_config = ConfigDict(extra="forbid", defer_build=True, strict=False)

    label: str = ""
    build: str = "bundled"
    decode: str = SOFTWARE
    treatments: str = SOFTWARE
    prerendered: str | dict[str, Any] | None = None
    encoder: str
    preset: str | int | None = None
    rate_control: str = ""
    quality: float | None = None
    bit_rate: str | int | None = None
    tune: str = ""
    profile: str = ""
    pixel_format: str | None = None
    gop: int = Field(0, ge=0)
    b_frames: int = Field(-1, ge=-1)
    threads: int = Field(0, ge=0)
    size: str = ""
    rate: str | float = ""
    container: str | None = None
    sound: str | None = None
    sound_bit_rate: str | int = 0
    raw: dict[str, str | int | float] = Field(default_factory=dict)
    methods: dict[str, str] = Field(default_factory=dict)


SETTING = "settings."
"""Begins the key of a setting of another program in a grid: `settings.acceleration`."""
LEVEL_KEYS = (
    *(k for k in ContenderTable.model_fields if k not in ("label", "methods")),
    *(f"{PREFIX}{kind}" for kind in choices()),
)


SETTINGS: dict[str, tuple[str, Callable[[Any], Any]]] = {
    "rate_control": ("control", str),
    "tune": ("tune", str),
    "profile": ("profile", str),
    "gop": ("gop", int),
    "b_frames": ("b_frames", int),
    "threads": ("threads", int),
    "rate": ("rate", lambda v: parse_rate(v) if v else ""),
    "sound_bit_rate": ("sound_bit_rate", lambda v: parse_bit_rate(str(v)) if v else 0),
    "raw": ("raw", lambda v: tuple((str(k).lstrip("-"), str(x)) for k, x in v.items())),
}
"""Keys that become fields of a recipe as they are: the field, and what makes the value."""


def contender_of(said: Mapping[str, Any], folder: Path) -> Contender:
    """The contender that the keys of a `ContenderTable` describe; a program's path is taken from `folder`.

    `said` holds values that the table has checked. Raises OvrikError.
    """
    free = {k.removeprefix(SETTING): v for k, v in said.items() if k.startswith(SETTING)}
    if free:
        said = {
            **{k: v for k, v in said.items() if not k.startswith(SETTING)},
            "raw": said.get("raw", {}) | free,
        }
    ways = {k.removeprefix(PREFIX): v for k, v in said.items() if k.startswith(PREFIX)}
    get = said.get
    bit_rate, preset = get("bit_rate"), get("preset")
    more = {SETTINGS[key][0]: SETTINGS[key][1](said[key]) for key in said if key in SETTINGS}
    if get("size"):
        more["width"], more["height"] = parse_size(said["size"])
    made = recipe(
        said["encoder"],
        None if preset is None else str(preset),
        get("quality"),
        None if bit_rate is None else parse_bit_rate(str(bit_rate)),
        get("pixel_format"),
        get("container"),
        get("sound"),
        **more,
    )
    if not get("pixel_format"):
        made = replace(made, pixel_format=FOLLOWS)
    treat, label = get("treatments", SOFTWARE), get("label", "")
    if treat not in PLACES:
        raise OvrikError(f'treatments can\'t be done by "{treat}"', f"Choose one of {', '.join(PLACES)}")
    return Contender(
        _build(get("build", "bundled"), folder),
        made,
        label,
        bool(label),
        decode=get("decode", SOFTWARE),
        treat=treat,
        prerendered=parse_intermediate(get("prerendered")),
        methods=methods({**get("methods", {}), **ways}),
    )


def _build(name: str, folder: Path) -> str:
    if name in NAMED_BUILDS or name.startswith(KEPT_BUILDS):
        return name
    place = Path(name).expanduser()
    return str(place if place.is_absolute() else (folder / place).resolve())


def parse_size(text: str) -> tuple[int, int]:
    """ "1280x720" as width and height in pixels. Raises OvrikError."""
    width, cross, height = text.lower().replace("×", "x").partition("x")
    if not cross or not _digits(width) or not _digits(height):
        raise OvrikError(f'"{text}" is not a size', 'Write it like "1280x720"')
    return int(width), int(height)


def _digits(text: str) -> bool:
    return text.strip().isascii() and text.strip().isdigit() and len(text.strip()) <= 6


def parse_rate(value: str | float) -> str:
    """A frame rate as it is kept: "25", "30000/1001". Raises OvrikError."""
    from ovrik.study.timeline.media_finder import exact_rate

    try:
        rate = Fraction(str(value)) if "/" in str(value) else exact_rate(float(value))
    except (ValueError, ZeroDivisionError, OverflowError):
        raise OvrikError(f'"{value}" is not a frame rate', 'Write it like 25 or "30000/1001"') from None
    if not 1 <= rate <= 1000:
        raise OvrikError(f'"{value}" is not a frame rate', "Between 1 and 1000 frames per second")
    return str(rate)


PASSED = "passed"


def parse_intermediate(said: str | dict[str, Any] | None) -> Intermediate | None:
    """ "prores-hq", "prores-hq passed", "ffv1 960x540 yuv420p", or a table of codec, size, pixel_format and passed.
    Raises OvrikError."""
    if not said:
        return None
    if isinstance(said, str):
        codec, *more = said.split()
        passed = PASSED in more
        more = [w for w in more if w != PASSED]
        sizes = [w for w in more if w[:1].isdigit()]
        formats = [w for w in more if w not in sizes]
        if len(sizes) > 1 or len(formats) > 1:
            raise OvrikError(f'"{said}" is not a codec, a size and a pixel format', "Give each once")
        said = {"codec": codec, "size": "".join(sizes), "pixel_format": "".join(formats), PASSED: passed}
    unknown = set(said) - {"codec", "size", "pixel_format", PASSED}
    if unknown or "codec" not in said:
        raise OvrikError("prerendered takes codec, size, pixel_format and passed", "Give at least the codec")
    width, height = parse_size(str(said["size"])) if said.get("size") else (0, 0)
    wanted = str(said.get("pixel_format", ""))
    return intermediate(str(said["codec"]), width, height, wanted, bool(said.get(PASSED)))


def intermediate_text(into: Intermediate) -> str:
    """An intermediate as a level is written: "ffv1 960x540 yuv420p"; `parse_intermediate` gives it back."""
    size = f" {into.width}x{into.height}" if into.width else ""
    usual = into.pixel_format == into.facts.pixel_formats[0]
    passed = f" {PASSED}" if into.passed else ""
    return f"{into.codec}{size}{'' if usual else f' {into.pixel_format}'}{passed}"


def table_of(c: Contender) -> dict[str, Any]:
    """The keys that describe a contender; `contender_of` gives the same contender back."""
    r, into = c.recipe, c.prerendered
    said: dict[str, Any] = {
        "label": c.label,
        "build": c.build,
        "encoder": r.encoder,
        "preset": r.preset,
        "quality": r.quality,
        "bit_rate": r.bit_rate,
        "pixel_format": r.pixel_format or None,
        "container": r.container,
        "sound": r.sound,
    }
    further: dict[str, Any] = {
        "rate_control": r.control,
        "tune": r.tune,
        "profile": r.profile,
        "gop": r.gop or None,
        "b_frames": r.b_frames if r.b_frames >= 0 else None,
        "threads": r.threads or None,
        "size": f"{r.width}x{r.height}" if r.width else "",
        "rate": r.rate,
        "sound_bit_rate": r.sound_bit_rate or None,
        "raw": dict(r.raw),
        "decode": "" if c.decode == SOFTWARE else c.decode,
        "treatments": "" if c.treat == SOFTWARE else c.treat,
        "prerendered": {
            "codec": into.codec,
            "pixel_format": into.pixel_format,
            **({"size": f"{into.width}x{into.height}"} if into.width else {}),
            **({PASSED: True} if into.passed else {}),
        }
        if into
        else None,
        "methods": dict(c.methods),
    }
    return {k: v for k, v in said.items() if v is not None} | {
        k: v for k, v in further.items() if v not in (None, "", {})
    }
