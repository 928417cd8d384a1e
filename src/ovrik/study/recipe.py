"""An encoder and all its settings."""

import re
from dataclasses import dataclass
from typing import Any

from ovrik.errors import OvrikError
from ovrik.study.encoders import CONTAINERS, DESCRIBED, ENCODERS, PROFILE_CHROMA, SOUNDS, Encoder

BIT_RATE = re.compile(r"^(\d+(?:\.\d+)?)\s*([kKmM]?)$")
UNITS = {"": 1, "k": 1_000, "m": 1_000_000}


@dataclass(frozen=True)
class Recipe:
    """Encoder and settings, complete: nothing is left to the encoder's own default in silence.

    Fields: `encoder`; `preset` in the encoder's own word; `quality`, its constant-quality number,
    or None; `bit_rate` target in bit/s, or None (both None: the profile's own rate);
    `pixel_format`; `container`; `sound`, a key of `SOUNDS`.
    """

    encoder: str
    preset: str
    quality: float | None
    bit_rate: int | None
    pixel_format: str
    container: str
    sound: str

    @property
    def facts(self) -> Encoder:
        """The encoder's own row of facts."""
        return ENCODERS[self.encoder]

    @property
    def rate_words(self) -> str:
        """The rate control as an editor would write it: "CRF 21", "8 Mb/s", "profile's rate"."""
        if self.quality is not None:
            return f"{self.facts.quality.name} {self.quality:g}"
        if self.bit_rate is not None:
            return bit_rate_words(self.bit_rate)
        return "as described" if self.encoder.startswith(DESCRIBED) else "profile's rate"

    def to_json(self) -> dict[str, Any]:
        """Plain values for JSON."""
        return {k: getattr(self, k) for k in self.__dataclass_fields__}


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
) -> Recipe:
    """A recipe with every gap filled by the encoder's stated default. Raises OvrikError when the
    encoder is not one that Ovrik knows."""
    facts = ENCODERS.get(encoder)
    if facts is None:
        raise OvrikError(f'The encoder "{encoder}" is not known', f"Choose one of {', '.join(ENCODERS)}")
    preset = preset or facts.default_preset
    if quality is None and bit_rate is None:
        quality = facts.quality.default
    tied = PROFILE_CHROMA.get((encoder, preset), facts.pixel_formats)
    container = container or facts.containers[0]
    holds = CONTAINERS[container].sounds if container in CONTAINERS else ()
    usual = facts.sound if facts.sound in holds else (holds[0] if holds else "none")
    return Recipe(encoder, preset, quality, bit_rate, pixel_format or tied[0], container,
                  sound or usual)  # fmt: skip


def faults(made: Recipe) -> list[str]:
    """Why a recipe can't work whatever the build, each in a clause; empty when it can."""
    facts = made.facts
    scale = facts.quality
    found = []
    if made.preset not in facts.presets:
        found.append(
            f'{facts.short} has no {facts.preset_name} "{made.preset}"; it has {", ".join(facts.presets)}'
        )
    if made.encoder.startswith(DESCRIBED) and (made.quality is not None or made.bit_rate is not None):
        found.append("a described program's settings stand in its description")
        return found
    if made.quality is not None and made.bit_rate is not None:
        found.append("quality and bit rate are both set; keep one of them")
    if made.quality is not None and not scale.low <= made.quality <= scale.high:
        found.append(f"quality {made.quality:g} is out of {facts.short}'s range {scale.low} to {scale.high}")
    allowed = PROFILE_CHROMA.get((made.encoder, made.preset), facts.pixel_formats)
    if made.pixel_format not in allowed:
        found.append(f"{facts.short} {made.preset} takes {', '.join(allowed)}, not {made.pixel_format}")
    box = CONTAINERS.get(made.container)
    if box is None:
        found.append(f'the container "{made.container}" is not known; '
                     f"choose one of {', '.join(CONTAINERS)}")  # fmt: skip
        return found
    if made.container not in facts.containers:
        found.append(
            f"{box.title} (.{box.name}) can't hold {facts.codec_title}; "
            f"use {' or '.join('.' + c for c in facts.containers)}"
        )
    if made.sound not in SOUNDS:
        found.append(f'the sound codec "{made.sound}" is not known; '
                     f"choose one of {', '.join(SOUNDS)}")  # fmt: skip
    elif made.sound != "none" and made.sound not in box.sounds:
        found.append(f"{box.title} (.{box.name}) can't hold {made.sound} sound; "
                     f"use {' or '.join(box.sounds)}")  # fmt: skip
    return found
