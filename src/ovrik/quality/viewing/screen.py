"""From a file's own colours to those of the screen, and back to the file's own numbers."""

import re
from dataclasses import dataclass
from functools import cache

import av
import numpy as np

PQ, HLG, BT2020, UNSPECIFIED, BT709 = 16, 18, 9, (0, 2, 3), 1
"""Numbers of ITU-T H.273: transfer of SMPTE ST 2084 and of ARIB STD-B67, primaries of BT.2020, none given."""
WHITE_NITS = 203.0
"""Luminance of graphics white in HDR, which becomes the screen's white (ITU-R BT.2408)."""
KNEE = 0.75
"""Share of white up to which an HDR picture keeps its brightness; above it rolls off."""
HLG_PEAK_NITS, HLG_GAMMA = 1000.0, 1.2
TO_709 = np.array(
    [[1.6605, -0.5876, -0.0728], [-0.1246, 1.1329, -0.0083], [-0.0182, -0.1006, 1.1187]], np.float32
)
"""Linear BT.2020 to linear BT.709 (ITU-R BT.2087)."""
PLANAR = re.compile(r"(yuva?\d{3}p|yuvj\d{3}p|gbrap?|gray)(\d+le)?")
"""Formats with a plane for each component, in the low bits."""
SAME_PLANAR = {"nv12": "yuv420p", "nv21": "yuv420p", "nv16": "yuv422p", "p010le": "yuv420p10le"}
"""What packed formats hold, by planes."""


@dataclass(frozen=True, eq=False)
class Seen:
    """A frame as the screen shows it. Fields: `pixels`, 8-bit B, G, R and filler, shape (height, width, 4); `frame`,
    the decoded frame; `aspect`, the shape of its stored pixels; `said`, what was done to its colours beyond matrix
    and levels, "" for nothing."""

    pixels: np.ndarray
    frame: av.VideoFrame
    aspect: float
    said: str = ""

    @property
    def bytes(self) -> int:
        """What it takes in memory."""
        return int(self.pixels.nbytes + sum(p.buffer_size for p in self.frame.planes))


def seen(frame: av.VideoFrame, aspect: float = 1.0, size: tuple[int, int] | None = None) -> Seen:
    """A frame turned upright, with square pixels, in the screen's colours. Missing tags are taken as BT.709 limited,
    as everywhere in Ovrik."""
    if frame.colorspace in UNSPECIFIED and not frame.format.name.startswith(("gbr", "rgb", "bgr")):
        frame.colorspace = BT709
    width, height = size or (round(frame.width * aspect), frame.height)
    if not wide_gamut(frame):
        pixels = frame.reformat(width=width, height=height, format="bgra").to_ndarray()
        return Seen(_upright(pixels, frame), frame, aspect)
    signal = frame.reformat(width=width, height=height, format="rgb48le").to_ndarray()
    shown = (to_sdr(signal, frame.color_trc) * 255 + 0.5).astype(np.uint8)
    pixels = np.full((*shown.shape[:2], 4), 255, np.uint8)
    pixels[..., :3] = shown[..., ::-1]
    said = {PQ: "HDR (PQ), tone-mapped", HLG: "HDR (HLG), tone-mapped"}
    return Seen(
        _upright(pixels, frame), frame, aspect, said.get(frame.color_trc, "BT.2020, brought to BT.709")
    )


def wide_gamut(frame: av.VideoFrame) -> bool:
    """Whether its colours are not those of an SDR screen."""
    return frame.color_trc in (PQ, HLG) or frame.color_primaries == BT2020


def _upright(pixels: np.ndarray, frame: av.VideoFrame) -> np.ndarray:
    return np.ascontiguousarray(np.rot90(pixels, int(frame.rotation) // 90 % 4)) if frame.rotation else pixels


def to_sdr(signal: np.ndarray, transfer: int) -> np.ndarray:
    """16-bit R′G′B′ of BT.2020, shape (…, 3), as R′G′B′ of an SDR screen, 0 to 1: to light, to BT.709, rolled off
    above the knee where it is HDR, and to sRGB (IEC 61966-2-1)."""
    light = _light(transfer)[signal]
    if transfer == HLG:
        luma = light @ np.array([0.2627, 0.6780, 0.0593], np.float32)
        light = light * (np.maximum(luma, 1e-6) ** (HLG_GAMMA - 1))[..., None] * (HLG_PEAK_NITS / WHITE_NITS)
    light = np.clip(light @ TO_709.T, 0, None)
    if transfer in (PQ, HLG):
        peak = np.maximum(light.max(axis=-1, keepdims=True), 1e-6)
        # By the largest of the three, so that a bright colour keeps its hue.
        light *= np.where(peak > KNEE, (KNEE + (1 - KNEE) * -np.expm1(-(peak - KNEE) / (1 - KNEE))) / peak, 1)
    return _encoded()[np.minimum(light * 4095 + 0.5, 4095).astype(np.uint16)]


@cache
def _light(transfer: int) -> np.ndarray:
    """Light for each 16-bit value: 1 is the screen's white; of HLG, the scene's own scale."""
    v = np.linspace(0, 1, 65536)
    if transfer == PQ:  # SMPTE ST 2084
        m1, m2, c1, c2, c3 = 2610 / 16384, 2523 / 32, 3424 / 4096, 2413 / 128, 2392 / 128
        p = v ** (1 / m2)
        found = 10000 / WHITE_NITS * (np.maximum(p - c1, 0) / (c2 - c3 * p)) ** (1 / m1)
    elif transfer == HLG:  # ARIB STD-B67
        a, b, c = 0.17883277, 0.28466892, 0.55991073
        found = np.where(v <= 0.5, v**2 / 3, (np.exp((v - c) / a) + b) / 12)
    else:
        found = np.where(v <= 0.04045, v / 12.92, ((v + 0.055) / 1.055) ** 2.4)
    return found.astype(np.float32)


@cache
def _encoded() -> np.ndarray:
    v = np.linspace(0, 1, 4096)
    return np.where(v <= 0.0031308, v * 12.92, 1.055 * v ** (1 / 2.4) - 0.055).astype(np.float32)


def stored_place(found: Seen, x: int, y: int) -> tuple[int, int]:
    """Where the pixel shown at (x, y) is stored in the frame."""
    high, wide = found.pixels.shape[:2]
    turns = int(found.frame.rotation) // 90 % 4
    for _ in range(turns):  # each turn of the picture against the clock is undone
        x, y, high, wide = high - 1 - y, x, wide, high
    return min(x * found.frame.width // wide, found.frame.width - 1), min(
        y * found.frame.height // high, found.frame.height - 1
    )


def numbers_at(found: Seen, x: int, y: int) -> tuple[tuple[str, int], ...]:
    """The file's own numbers of the pixel shown at (x, y), by component."""
    frame = found.frame
    name = frame.format.name
    if not PLANAR.fullmatch(name):
        frame = frame.reformat(
            format=SAME_PLANAR.get(name, "gbrp" if "rgb" in name or "bgr" in name else "yuv444p")
        )
    across, down = stored_place(found, x, y)
    names = "GBRA" if frame.format.name.startswith("gbr") else ("Y′", "Cb", "Cr", "A")
    out = []
    for number, plane in enumerate(frame.planes):
        bits = frame.format.components[number].bits
        rows = np.frombuffer(memoryview(plane), np.uint8 if bits == 8 else "<u2").reshape(plane.height, -1)
        at = rows[down * plane.height // frame.height, across * plane.width // frame.width]
        out.append((names[number], int(at)))
    return tuple(out)


MID = 128


def difference(one: np.ndarray, other: np.ndarray, gain: int) -> np.ndarray:
    """Two pictures of B, G, R and filler, shape (height, width, 4): the second minus the first, times the gain,
    around mid-grey."""
    apart = other.astype(np.int16) - one
    out = np.clip(MID + apart * gain, 0, 255).astype(np.uint8)
    out[..., 3] = 255
    return out
