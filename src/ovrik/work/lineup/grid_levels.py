"""What levels are known for each factor of a grid, on this machine."""

from collections.abc import Mapping, Sequence

from ovrik.machine.builds.build import Build
from ovrik.machine.devices.paths import DECODING
from ovrik.study.contender.as_table import intermediate_text, table_of
from ovrik.study.contender.contender import Contender
from ovrik.study.encoder.containers import CONTAINERS, SOUNDS
from ovrik.study.encoder.encoders import ENCODERS
from ovrik.study.encoder.intermediate import INTERMEDIATES
from ovrik.study.programme.methods import PREFIX, choices
from ovrik.study.programme.treatment_kinds import PLACES, SOFTWARE

KEYS = {
    "build": "Build",
    "encoder": "Encoder",
    "preset": "Preset",
    "rate_control": "Rate control",
    "quality": "Quality",
    "bit_rate": "Bit rate",
    "pixel_format": "Pixel format",
    "container": "Container",
    "sound": "Audio",
    "sound_bit_rate": "Audio bit rate",
    "decode": "Decoding",
    "treatments": "Treatments",
    "prerendered": "Pre-rendered",
    "size": "Size",
    "rate": "Frame rate",
    "tune": "Tune",
    "profile": "Profile",
    "gop": "GOP",
    "b_frames": "B-frames",
    "threads": "Threads",
    "raw": "Raw options",
    **{f"{PREFIX}{kind}": f"{kind.capitalize()} by" for kind in choices()},
}
"""Factors of a grid in the order in which they are offered, with their titles."""

DEEPER = tuple(f"{key} {form}" for key, f in INTERMEDIATES.items() for form in f.pixel_formats[1:])
"""Intermediates at another depth or chroma than their usual one; a size is written behind: "prores-lt 960x540"."""
FIXED: dict[str, tuple[str, ...]] = {
    "bit_rate": ("2M", "4M", "8M", "16M", "50M"),
    "container": tuple(CONTAINERS),
    "sound": tuple(SOUNDS),
    "sound_bit_rate": ("96k", "128k", "192k", "320k"),
    "decode": (SOFTWARE, *DECODING),
    "treatments": PLACES,
    "prerendered": ("source", *INTERMEDIATES, *DEEPER),
    "size": ("programme's", "3840x2160", "1920x1080", "1280x720", "960x540", "640x360"),
    "rate": ("programme's", "24", "25", "30", "50", "60"),
    "gop": ("0", "25", "50", "100", "250"),
    "b_frames": ("-1", "0", "2", "3"),
    "threads": ("0", "1", "2", "4", "8", "16"),
    "raw": ("none",),
    **{f"{PREFIX}{kind}": found for kind, found in choices().items()},
}


def for_key(key: str, encoders: Sequence[str], builds: Mapping[str, Build]) -> list[str]:
    """Known levels of a factor, for the encoders that are chosen."""
    if key in FIXED:
        return list(FIXED[key])
    if key == "build":
        return list(builds)
    if key == "encoder":
        known = {e for b in builds.values() for e in b.encoders}
        return [e for e in ENCODERS if e in known]
    facts = [ENCODERS[e] for e in encoders if e in ENCODERS]
    by_key = {
        "preset": [p for e in facts for p in e.presets],
        "rate_control": [name for e in facts for name, _a in e.controls],
        "quality": [
            str(n)
            for e in facts
            if e.quality.default is not None
            for n in range(e.quality.default - 9, e.quality.default + 10, 3)
        ],
        "pixel_format": [p for e in facts for p in e.pixel_formats],
        "tune": ["none", *(t for e in facts for t in e.tunes)],
        "profile": ["own", *(p for e in facts for p in e.profiles)],
    }
    return list(dict.fromkeys(by_key.get(key, [])))


def of_contender(c: Contender | None) -> dict[str, str]:
    """A contender's own levels as they are written, "" for what it leaves open."""
    if c is None:
        return {**dict.fromkeys(KEYS, ""), "build": "bundled", "encoder": "libx264"}
    said = table_of(c)
    written = {k: v for k, v in said.items() if k in KEYS}
    written["raw"] = " ".join(f"{k}={v}" for k, v in dict(said.get("raw", {})).items())
    written |= {f"{PREFIX}{kind}": method for kind, method in c.methods}
    written["prerendered"] = intermediate_text(c.prerendered) if c.prerendered else ""
    if isinstance(written.get("quality"), float):
        written["quality"] = f"{written['quality']:g}"
    return {k: str(written.get(k, "") or "") for k in KEYS}
