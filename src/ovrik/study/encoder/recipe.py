"""An encoder and all its settings."""

import re
from collections.abc import Mapping
from dataclasses import dataclass, fields
from functools import lru_cache
from typing import Any, ClassVar

from ovrik.errors import OvrikError
from ovrik.study.encoder.containers import CONTAINERS, SOUND_RATES, SOUNDS
from ovrik.study.encoder.encoder_limits import (
    LARGEST,
    LOOKAHEAD,
    MOST_PIXELS,
    MOST_THREADS,
    NEEDS_WHOLE_CHROMA,
    PROFILE_CHROMA,
    PROFILE_FORMATS,
    SMALLEST,
    SMALLEST_BEFORE,
)
from ovrik.study.encoder.encoders import (
    AVERAGE,
    CAPPED,
    CONSTANT,
    DESCRIBED,
    ENCODERS,
    OUTSIDE,
    PROFILES_OWN,
    QUALITY,
    TWO_PASS,
    Encoder,
)
from ovrik.study.encoder.own_options import OWN_KEYS
from ovrik.study.encoder.pixel_formats import sampling_of
from ovrik.study.files.plain_values import CLOSED, from_plain

FOLLOWS = ""
"""A pixel format that is left open: it follows the source (see `study.follow_source`)."""
SAID_ELSEWHERE = {DESCRIBED.rstrip("_"): "as described", OUTSIDE: "as set there"}
"""What stands for rate control where the recipe does not hold it."""
BIT_RATE = re.compile(r"^(\d+(?:\.\d+)?)\s*([kKmM]?)$")
USUAL_BIT_RATE = 8_000_000
"""Where an encoder has neither a quality number nor a profile to go by."""
ANY_RATE = (0, 4_000_000_000)
UNITS = {"": 1, "k": 1_000, "m": 1_000_000}


@dataclass(frozen=True)
class Recipe:
    """Encoder and settings, complete: what is empty is left to the encoder on purpose.

    Fields: `encoder`; `preset` in the encoder's default word; `quality`, its constant-quality number,
    or None; `bit_rate` in bit/s, target or cap, or None; `pixel_format`; `container`; `sound`, a key
    of `SOUNDS`; `control`, a rate control of `encoders` ("": follows from which numbers are set); `tune`,
    `profile` in the encoder's words, or ""; `gop`, frames between key frames, 0 for its own choice;
    `b_frames`, how many in a row, −1 for its own choice; `threads`, 0 for its own choice; `width`,
    `height` in pixels, 0 for the programme's; `rate` in frames per second as "25" or "30000/1001", ""
    for the programme's; `sound_bit_rate` in bit/s, 0 for the codec's usual one; `raw`, further options
    of the encoder as pairs of name and value.
    """

    __pydantic_config__: ClassVar[Any] = CLOSED

    encoder: str
    preset: str
    quality: float | None
    bit_rate: int | None
    pixel_format: str
    container: str
    sound: str
    control: str = ""
    tune: str = ""
    profile: str = ""
    gop: int = 0
    b_frames: int = -1
    threads: int = 0
    width: int = 0
    height: int = 0
    rate: str = ""
    sound_bit_rate: int = 0
    raw: tuple[tuple[str, str], ...] = ()

    @property
    def facts(self) -> Encoder:
        """The encoder's default row of facts."""
        return ENCODERS[self.encoder]

    @property
    def rate_control(self) -> str:
        """The rate control in force."""
        if self.control:
            return self.control
        if self.quality is not None:
            return QUALITY
        return AVERAGE if self.bit_rate is not None else PROFILES_OWN

    @property
    def rate_words(self) -> str:
        """The rate control as an editor would write it: "CRF 21", "8 Mb/s, two passes"."""
        if self.rate_control == PROFILES_OWN:
            return SAID_ELSEWHERE.get(self.encoder.partition("_")[0], PROFILES_OWN)
        return f"{self.amount_words}, {self.held_to}" if self.held_to else self.amount_words

    @property
    def amount_words(self) -> str:
        """The number alone that it is held to: "CRF 21", "8 Mb/s"."""
        number = "" if self.quality is None else f"{self.facts.quality.name} {self.quality:g}"
        rate = "" if self.bit_rate is None else bit_rate_words(self.bit_rate)
        control = self.rate_control
        if control == QUALITY:
            return number
        if control == CAPPED:
            return f"{number}, at most {rate}"
        return self.rate_words if control == PROFILES_OWN else rate

    @property
    def held_to(self) -> str:
        """How a bit rate is held to: "two passes", "constant"; "" where it is so on average, or there is none."""
        return self.rate_control if self.rate_control in (TWO_PASS, CONSTANT) else ""

    @property
    def passes(self) -> int:
        """How often the whole picture is encoded."""
        return 2 if self.rate_control == TWO_PASS else 1

    def to_json(self) -> dict[str, Any]:
        """Plain values for JSON; settings left empty are not written."""
        always = ("encoder", "preset", "quality", "bit_rate", "pixel_format", "container", "sound")
        said = {
            f.name: getattr(self, f.name)
            for f in fields(self)
            if f.name in always or getattr(self, f.name) != f.default
        }
        return {**said, "raw": [list(pair) for pair in self.raw]} if self.raw else said

    @classmethod
    def from_json(cls, data: Mapping[str, Any]) -> "Recipe":
        """The inverse of `to_json`."""
        return from_plain(cls, data)


def bit_rate_words(bit_rate: int) -> str:
    """A bit rate in Mb/s or kb/s."""
    if bit_rate >= 1_000_000:
        return f"{bit_rate / 1e6:g} Mb/s"
    return f"{bit_rate / 1e3:g} kb/s"


def parse_bit_rate(text: str) -> int:
    """ "8M", "800k" or a plain number, in bit/s. Raises OvrikError."""
    found = BIT_RATE.match(text.strip())
    value = round(float(found[1]) * UNITS[found[2].lower()]) if found else 0
    if not 1_000 <= value <= 4_000_000_000:
        raise OvrikError(f'"{text}" is not a bit rate', 'Write it like "8M" or "800k"')
    return value


def recipe(
    encoder: str,
    preset: str | None = None,
    quality: float | None = None,
    bit_rate: int | None = None,
    pixel_format: str | None = None,
    container: str | None = None,
    sound: str | None = None,
    **more: Any,
) -> Recipe:
    """A recipe with every gap filled by the encoder's stated default; `more` are further fields.

    Raises OvrikError when the encoder is not one that Ovrik knows.
    """
    facts = ENCODERS.get(encoder)
    if facts is None:
        raise OvrikError(f'The encoder "{encoder}" is not known', f"Choose one of {', '.join(ENCODERS)}")
    preset = preset or facts.default_preset
    if quality is None and (bit_rate is None or more.get("control") == CAPPED):
        quality = facts.quality.default
    if quality is not None and more.get("control") in (AVERAGE, TWO_PASS, CONSTANT) and bit_rate is None:
        quality = None
    if quality is None and bit_rate is None and PROFILES_OWN not in dict(facts.controls):
        bit_rate = USUAL_BIT_RATE
    tied = PROFILE_CHROMA.get((encoder, preset), facts.pixel_formats)
    container = container or facts.containers[0]
    holds = CONTAINERS[container].sounds if container in CONTAINERS else ()
    usual = facts.sound if facts.sound in holds else (holds[0] if holds else "none")
    shape = tied[0] if pixel_format is None else pixel_format
    return Recipe(
        encoder=encoder,
        preset=preset,
        quality=quality,
        bit_rate=bit_rate,
        pixel_format=shape,
        container=container,
        sound=sound or usual,
        **more,
    )


def faults(made: Recipe) -> list[str]:
    """Why a recipe can't work whatever the build, each in a clause; empty when it can."""
    if made.encoder.startswith(DESCRIBED) and (made.quality is not None or made.bit_rate is not None):
        return ["a described program's settings stand in its description"]
    r = made
    return [
        *_preset_faults(r.encoder, r.preset, r.tune, r.profile),
        *_rate_faults(r.encoder, r.rate_control, r.quality, r.bit_rate),
        *_group_faults(r.encoder, r.preset, r.gop, r.b_frames, r.threads),
        *_picture_faults(r.encoder, r.preset, r.profile, r.pixel_format, r.width, r.height),
        *_box_faults(r.encoder, r.container, r.sound, r.sound_bit_rate),
        *raw_faults(r.encoder, r.raw),
    ]


# A grid asks the same of thousands of recipes: the answers are kept.


def size_faults(r: Recipe, width: int, height: int, version: int | None = None) -> list[str]:
    """Why an encoder can't take frames of the size that an output will have, each in a clause; `version`, the major
    one of the build, None where that is not known."""
    found = []
    across, down = (
        (2 if sampling_of(r.pixel_format) != "4:4:4" else 1),
        (2 if sampling_of(r.pixel_format) == "4:2:0" else 1),
    )
    if (r.encoder in NEEDS_WHOLE_CHROMA or r.facts.device) and (width % across or height % down):
        odd = (
            "width and height"
            if width % across and height % down
            else "width"
            if width % across
            else "height"
        )
        even = f"{width - width % across}x{height - height % down}"
        found.append(
            f"{width}×{height} has an odd {odd}, which {r.facts.short} can't code in "
            f'{sampling_of(r.pixel_format)}; set size = "{even}"'
        )
    least = SMALLEST.get(r.encoder, (16, 16))
    before, then = SMALLEST_BEFORE.get(r.encoder, (0, least))
    if version is not None and version < before:
        least = then
    most = LARGEST.get(r.encoder)
    if (most and (width > most[0] or height > most[1])) or width * height > MOST_PIXELS:
        takes = f"{most[0]}×{most[1]}" if most else f"{MOST_PIXELS // 1_000_000} megapixels"
        found.append(f"{width}×{height} is too large: {r.facts.short} takes up to {takes}")
    if width < least[0] or height < least[1]:
        found.append(f"{width}×{height} is too small: {r.facts.short} takes {least[0]}×{least[1]} and more")
    return found


def raw_faults(encoder: str, raw: tuple[tuple[str, str], ...]) -> list[str]:
    """Raw options that have a key of their own: set twice, a label would not say what the file holds."""
    if encoder == OUTSIDE:
        return []  # another program's settings, in its own words
    facts, found = ENCODERS[encoder], []
    # A key that this encoder does not know can only be set raw.
    absent = {
        key
        for key, there in (
            ("tune", facts.tunes and not facts.tune_values),
            ("profile", facts.profiles),
            ("gop", facts.takes_gop),
            ("b_frames", facts.most_b_frames),
        )
        if not there
    }
    for name, value in raw:
        bare = name.lstrip("-").split(":")[0]
        if bare in OWN_KEYS and OWN_KEYS[bare] not in absent:
            found.append(f"the raw option {name} has its own key: set {OWN_KEYS[bare]}")
        if bare.endswith("-params"):
            inner = [part.partition("=")[0].strip() for part in value.split(":")]
            found += [
                f"{name} sets {key}, which has its own key: set {OWN_KEYS[key]}"
                for key in inner
                if key in OWN_KEYS and OWN_KEYS[key] not in absent
            ]
    return found


@lru_cache(4096)
def _preset_faults(encoder: str, preset: str, tune: str, profile: str) -> tuple[str, ...]:
    facts, found = ENCODERS[encoder], []
    for name, value, known in (
        (facts.preset_name, preset, facts.presets),
        ("tune", tune, facts.tunes),
        ("profile", profile, facts.profiles),
    ):
        if value and value not in known:
            has = f"it has {', '.join(known)}" if known else "it takes none"
            found.append(f'{facts.short} has no {name} "{value}"; {has}')
    return tuple(found)


@lru_cache(4096)
def _rate_faults(encoder: str, control: str, quality: float | None, bit_rate: int | None) -> tuple[str, ...]:
    facts, found = ENCODERS[encoder], []
    scale, known = facts.quality, [name for name, _a in facts.controls]
    if control not in known:
        found.append(f'{facts.short} has no rate control "{control}"; it has {", ".join(known)}')
    if control == QUALITY and quality is None:
        found.append("constant quality needs a quality")
    if control == CAPPED and (quality is None or bit_rate is None):
        found.append("capped rate control needs a quality and a bit rate")
    elif control in (AVERAGE, TWO_PASS, CONSTANT) and bit_rate is None:
        found.append(f"{control} rate control needs a bit rate")
    if control != CAPPED and quality is not None and bit_rate is not None:
        found.append(f'quality and bit rate are both set; keep one of them, or choose "{CAPPED}"')
    if quality is not None and not scale.low <= quality <= scale.high:
        found.append(f"quality {quality:g} is out of {facts.short}'s range {scale.low} to {scale.high}")
    return tuple(found)


@lru_cache(4096)
def _group_faults(encoder: str, preset: str, gop: int, b_frames: int, threads: int) -> tuple[str, ...]:
    facts, found = ENCODERS[encoder], []
    if b_frames >= 0 and not facts.most_b_frames:
        found.append(f"{facts.short} takes no number of B-frames")
    elif b_frames > facts.most_b_frames:
        found.append(f"{facts.short} takes up to {facts.most_b_frames} B-frames, not {b_frames}")
    elif b_frames >= (ahead := LOOKAHEAD.get((encoder, preset), 1000)):
        found.append(
            f"{facts.short} {preset} looks {ahead} frames ahead: fewer B-frames than that, not {b_frames}"
        )
    if threads > (most := MOST_THREADS.get(encoder, 1000)):
        found.append(f"{facts.short} takes up to {most} threads, not {threads}")
    if gop and not facts.takes_gop:
        found.append(f"{facts.short} takes no GOP length")
    return tuple(found)


@lru_cache(4096)
def _picture_faults(
    encoder: str, preset: str, profile: str, pixel_format: str, width: int, height: int
) -> tuple[str, ...]:
    facts, found = ENCODERS[encoder], []
    allowed = PROFILE_CHROMA.get((encoder, preset), facts.pixel_formats)
    open_ = pixel_format == FOLLOWS
    if pixel_format not in allowed and not open_:
        named = f" {preset}" if (encoder, preset) in PROFILE_CHROMA else ""
        found.append(f"{facts.short}{named} takes {', '.join(allowed)}, not {pixel_format}")
    held = PROFILE_FORMATS.get((encoder, profile))
    if held and pixel_format not in held and not open_:
        found.append(f"profile {profile} holds {', '.join(held)}, not {pixel_format}")
    if bool(width) != bool(height) or width % 2 or height % 2:
        found.append(f"the size {width}×{height} is not an even width and height")
    return tuple(found)


@lru_cache(4096)
def _box_faults(encoder: str, container: str, sound: str, sound_bit_rate: int) -> tuple[str, ...]:
    facts, box = ENCODERS[encoder], CONTAINERS.get(container)
    if box is None:
        return (f'the container "{container}" is not known; choose one of {", ".join(CONTAINERS)}',)
    found = []
    if container not in facts.containers:
        found.append(
            f"{box.title} (.{box.name}) can't hold {facts.codec_title}; "
            f"use {' or '.join('.' + c for c in facts.containers)}"
        )
    if sound not in SOUNDS:
        found.append(f'the audio codec "{sound}" is not known; choose one of {", ".join(SOUNDS)}')
    elif sound != "none" and sound not in box.sounds:
        found.append(f"{box.title} (.{box.name}) can't hold {sound} audio; use {' or '.join(box.sounds)}")
    elif sound_bit_rate and not SOUNDS[sound]:
        found.append(f"{sound} audio has no bit rate to set")
    elif sound_bit_rate and not (rates := SOUND_RATES.get(sound, ANY_RATE))[0] <= sound_bit_rate <= rates[1]:
        low, high = map(bit_rate_words, rates)
        found.append(f"{sound} audio takes {low} to {high}, not {bit_rate_words(sound_bit_rate)}")
    return tuple(found)
