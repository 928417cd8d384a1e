"""Forty and more kinds of everyday footage, each with its reason, written losslessly."""

import subprocess
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from bench.zoo import scenes as s
from ovrik.machine.builds.build import find_build

MOVING, STILL, FLAT = "moving", "still", "flat"
"""Whether its frames can be told apart by what they show."""
PAN = s.pan(3.0)


@dataclass(frozen=True)
class Kind:
    """Fields: `name`; `why` it is here; `scene`; `frames`; `rate`; `coded`, its pixel format; `full`, whether of full
    range; `transfer`, as it is tagged; `crop`, how many columns and rows are left out, for odd sizes; `moves`, one of
    the three above; `turned`, by how many degrees it is to be turned to be upright."""

    name: str
    why: str
    scene: s.Scene
    frames: int = 36
    rate: str = "25"
    coded: str = "yuv422p10le"
    full: bool = False
    transfer: str = "bt709"
    crop: tuple[int, int] = (0, 0)
    moves: str = MOVING
    turned: int = 0


FOOTAGE = (
    Kind("slow pan", "neighbours differ by half a pixel", s.pan(0.5)),
    Kind("pan", "the plain case", PAN),
    Kind("whip pan", "neighbours have little in common", s.pan(30, blur=24)),
    Kind("hand-held", "motion to and fro", s.shake),
    Kind("grain 1", "noise under a level", s.grain(PAN, 0.004)),
    Kind("grain 2", "fine film", s.grain(PAN, 0.012)),
    Kind("grain 3", "fast film", s.grain(PAN, 0.03)),
    Kind("grain 4", "night at high gain", s.grain(PAN, 0.08)),
    Kind(
        "grain on a still", "only noise tells frames apart", s.grain(s.frozen(PAN, 0, 99), 0.02), moves=STILL
    ),
    Kind("grain on flat colours", "drawn, then filmed", s.grain(s.cel, 0.012)),
    Kind("grain on a gradient", "a sky on fast film", s.grain(lambda k: s.gradient(k), 0.03), moves=STILL),
    Kind("grain in fog", "little else than grain", s.grain(s.toned(PAN, 0.55, 0.6), 0.02), moves=STILL),
    Kind("still", "all frames are one", s.frozen(PAN, 0, 99), moves=STILL),
    Kind("freeze frame", "a third of it stands", s.frozen(PAN, 12, 24)),
    Kind("fade from black", "its first frames are flat", s.mixed(PAN, 0.0, s.ramp(3, 22))),
    Kind("fade to black", "its last frames are flat", s.mixed(PAN, 0.0, s.falling(12, 33))),
    Kind("fade from white", "likewise, bright", s.mixed(PAN, 1.0, s.ramp(3, 22))),
    Kind("fade to white", "likewise, bright", s.mixed(PAN, 1.0, s.falling(12, 33))),
    Kind("dip to black", "flat in the middle", s.mixed(PAN, 0.0, lambda k: abs(k - 18) / 18)),
    Kind("cut to black", "half of it is black", s.mixed(PAN, 0.0, lambda k: float(k < 20))),
    Kind("gap at the start", "black, then the shot", s.mixed(PAN, 0.0, lambda k: float(k >= 10))),
    Kind(
        "gap in the middle",
        "black between two shots",
        s.mixed(s.cuts(18), 0.0, lambda k: float(not 14 <= k < 22)),
    ),
    Kind("all black", "nothing can be told", s.mixed(PAN, 0.0, lambda k: 0.0), moves=FLAT),
    Kind("all grey", "nothing can be told", s.mixed(PAN, 0.5, lambda k: 0.0), moves=FLAT),
    Kind("white flashes", "single frames unlike all others", s.flashes(PAN, 12)),
    Kind("strobe", "every other frame is dark", s.mixed(PAN, 0.02, lambda k: 1.0 if k % 2 else 0.15)),
    Kind(
        "held title over black",
        "little light, and still",
        s.title(s.mixed(PAN, 0.0, lambda k: 0.0)),
        moves=STILL,
    ),
    Kind(
        "title card, then a shot",
        "still, then moving",
        lambda k: s.title(s.toned(PAN, 0.1, 0.1))(k) if k < 15 else PAN(k),
    ),
    Kind("title over a pan", "half still, half moving", s.title(PAN, 6, 28)),
    Kind("on twos", "every frame stands twice", s.held(s.cel, 2)),
    Kind("on threes", "every frame stands three times", s.held(PAN, 3)),
    Kind("cel animation", "flat colours", s.cel),
    Kind("one moving pixel", "hardly anything moves", s.dot, moves=STILL),
    Kind("talking head", "little of it moves", s.talking),
    Kind("scrolling credits", "the same again, further up", s.scrolling),
    Kind("gradient", "banding where none is", lambda k: s.gradient(k), moves=STILL),
    Kind("moving gradient", "slow and smooth", lambda k: s.gradient(k, 1.0), moves=STILL),
    Kind("letterbox", "bars of its own", s.boxed(PAN, rows=13)),
    Kind("pillarbox", "bars of its own", s.boxed(PAN, columns=24)),
    Kind("interlaced, as film", "combed frames", s.combed(6)),
    Kind("cuts", "a shot of eight frames each", s.cuts(8)),
    Kind("dissolve", "two pictures in one", s.dissolve(8, 28)),
    Kind("fog", "low contrast", s.toned(PAN, 0.55, 0.72)),
    Kind("night", "dark, with noise", s.grain(s.toned(PAN, 0.0, 0.15), 0.01)),
    Kind("bright", "near white", s.toned(PAN, 0.75, 1.0)),
    Kind("water", "no frame is like another", s.boiling),
    Kind("12 bits 4:4:4", "finer than any export", PAN, coded="yuv444p12le"),
    Kind(
        "12 bits, gradient",
        "finer than any export, and smooth",
        lambda k: s.gradient(k, 1.0),
        coded="yuv422p12le",
        moves=STILL,
    ),
    Kind("12 bits, fade", "flat frames of 12 bits", s.mixed(PAN, 0.0, s.ramp(3, 22)), coded="yuv444p12le"),
    Kind("10 bits 4:2:0", "as phones film", PAN, coded="yuv420p10le"),
    Kind(
        "10 bits, grain in black",
        "noise that coding flattens",
        s.grain(s.mixed(PAN, 0.03, lambda k: 0.05), 0.006),
        moves=FLAT,
    ),
    Kind("8 bits 4:2:0", "as most cameras film", PAN, coded="yuv420p"),
    Kind("8 bits 4:2:2", "tape", PAN, coded="yuv422p"),
    Kind("8 bits 4:4:4", "a screen", PAN, coded="yuv444p"),
    Kind("full range", "levels 0 to 255", PAN, coded="yuv420p", full=True),
    Kind("odd size", "no multiple of sixteen, nor of eight", PAN, coded="yuv444p", crop=(6, 6)),
    Kind("23.976", "film rate", PAN, rate="24000/1001"),
    Kind("29.97", "NTSC", PAN, rate="30000/1001"),
    Kind("50", "twice as many", s.pan(1.0), rate="50"),
    Kind("59.94", "twice as many", s.pan(1.0), rate="60000/1001"),
    Kind("turned", "a telephone held upright", PAN, coded="yuv420p", turned=90),
    Kind("turned by half", "a camera upside down", PAN, coded="yuv420p", turned=180),
    Kind("8 frames", "an excerpt hardly there", PAN, frames=8),
    Kind("PQ", "high dynamic range", PAN, transfer="smpte2084"),
    Kind("HLG", "high dynamic range", PAN, transfer="arib-std-b67"),
)


def write(kind: Kind, path: Path, picture: s.Scene | None = None) -> Path:
    """The clip as it is filmed, or with other pictures in the same coding; gives where it is. Raises RuntimeError."""
    wide, high = s.WIDE - kind.crop[0], s.HIGH - kind.crop[1]
    shown = picture or kind.scene
    frames = (np.ascontiguousarray(shown(k)[:high, :wide]) for k in range(kind.frames))
    raw = b"".join((np.clip(f, 0, 1) * 65535 + 0.5).astype("<u2").tobytes() for f in frames)
    matrix = "bt2020nc" if kind.transfer != "bt709" else "bt709"
    primaries = "bt2020" if kind.transfer != "bt709" else "bt709"
    range_ = "pc" if kind.full else "tv"
    tagged = f"scale=out_color_matrix={matrix}:out_range={range_}:flags=accurate_rnd+full_chroma_int+bicubic,"
    tagged += f"format={kind.coded},setparams=range={range_}:colorspace={matrix}:color_primaries={primaries}:"
    tagged += f"color_trc={kind.transfer}"
    given = ["-f", "rawvideo", "-pix_fmt", "rgb48le", "-s", f"{wide}x{high}", "-r", kind.rate, "-i", "pipe:"]
    command = [
        find_build("bundled").path,
        "-v",
        "error",
        "-y",
        *given,
        "-vf",
        tagged,
        *(("-c:v", "libx264", "-qp", "0") if kind.turned else ("-c:v", "ffv1")),
        str(path),
    ]
    done = subprocess.run(command, input=raw, capture_output=True, check=False)
    if done.returncode:
        raise RuntimeError(done.stderr.decode()[-400:])
    return _turned(path, kind.turned) if kind.turned else path


def _turned(path: Path, degrees: int) -> Path:
    """The same frames, with a flag by which players turn them."""
    made = path.with_suffix(".mp4")
    said = [
        find_build("bundled").path,
        "-v",
        "error",
        "-y",
        "-display_rotation",
        str(degrees),
        "-i",
        str(path),
    ]
    subprocess.run([*said, "-c", "copy", str(made)], check=True, capture_output=True)
    return made
