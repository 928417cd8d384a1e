"""What kind of loss an output has: one value for each kind and frame, and where in the picture it lies.

All of it works on planes in 8-bit levels, whatever the depth of the file, and compares with the reference's frame.
docs/method.md gives the formulas.
"""

from dataclasses import dataclass
from functools import cached_property

import cv2
import numpy as np

from ovrik.analysis.signals.block_means import BLOCK, CODED, Samples, blocks
from ovrik.analysis.signals.coded_steps import borders, steps
from ovrik.analysis.signals.mean_colours import lab, mean_lab

cv2.setNumThreads(1)  # outputs are measured side by side: threads of its own would only wait for one another
FINE, BROAD = 1.5, 2.0
"""Standard deviations of the Gaussians that part fine from coarse, pixels."""
STRUCTURED, EVEN = 4.0, 1.0
"""Slope of the smoothed reference, levels a pixel: its root mean square in a block that holds structure is at least
the first; in an even block, at a smooth pixel, less than the second."""
PULSE = 32
"""Side of the areas whose brightness flickers, pixels."""
LEAST_GRAIN = 0.5
"""Standard deviation from which there is grain to lose, levels."""
CALMEST, GRAIN_SLOPE = 0.1, 0.016
"""The quantile of blocks whose detail is taken for grain, and what a unit of its variance adds to the squared slope
of the smoothed luma, three times what white noise does: (1/(8π·2⁴) · 2) / 0.93."""
HIDES, LEAST_SHOWING = 2.0, 0.5
"""Detail of so many levels halves what shows of a step; the picture counts as if so much of it showed it at least."""
LEAST_AWAY = 0.05
"""Share of the picture that must lie far from hard edges for ripples beside them to be told."""
MORE = 1.2
"""By so many times ripples beside hard edges must exceed what coding leaves far from them."""
LEVEL = 0.5
"""Where the fine detail of a pixel is less, levels, it is level ground: coding leaves another error there than in
texture."""
LEAST_EVEN = 0.05
"""Of the picture must be even and hold grain for its loss to be named."""
HARD_EDGE = 18.0
"""Slope of a hard edge, levels a pixel."""
BESIDE, AWAY = 3, 10
"""Ripples are sought further than the first and no further than the second from a hard edge, pixels."""


@dataclass(frozen=True, eq=False)
class Planes:
    """A frame as coded, in 8-bit levels. Fields: `luma`, shape (height, width), `cb` and `cr`, of their own size, all
    float32; `bits` of its samples."""

    luma: np.ndarray
    cb: np.ndarray
    cr: np.ndarray
    bits: int = 8


class Where:
    """Pixels of a frame. Attributes: `pixels`, 1 there and 0 elsewhere, float32, shape (height, width); `count` of
    them; `share` of each block."""

    def __init__(self, mask: np.ndarray) -> None:
        """From a mask of 255 and 0."""
        self.pixels = (mask & 1).astype(np.float32)
        self.count = cv2.countNonZero(mask)
        self.share = blocks(self.pixels)

    def mean(self, plane: np.ndarray) -> float:
        """Of a plane of float32, over these pixels."""
        return float(np.vdot(plane, self.pixels)) / self.count


@dataclass(frozen=True, eq=False)
class Ground:
    """A frame of the reference, and what every output is held against.

    Fields: `planes`; `matrix`, (Kr, Kb) of its colours; the rest follows from them.
    """

    planes: Planes
    matrix: tuple[float, float] = (0.2126, 0.0722)

    @cached_property
    def fine(self) -> np.ndarray:
        """Its fine detail, shape (height, width)."""
        return high_pass(self.planes.luma)

    @cached_property
    def slope(self) -> np.ndarray:
        """Slope of the smoothed luma, levels a pixel, shape (height, width)."""
        return _slope(smoothed(self.planes.luma, BROAD))

    @cached_property
    def steepness(self) -> np.ndarray:
        """Mean square of the slope of each block, less what grain alone would give it: that of the calmest blocks."""
        grain = float(np.quantile(self.energy, CALMEST))
        return np.clip(blocks(self.slope**2) - GRAIN_SLOPE * grain, 0, None)

    @cached_property
    def structured(self) -> np.ndarray:
        """Blocks that hold structure."""
        return self.steepness >= STRUCTURED**2

    @cached_property
    def even(self) -> np.ndarray:
        """Blocks without structure, neither black nor white."""
        mean = blocks(self.planes.luma)
        return (self.steepness < EVEN**2) & (mean > 20) & (mean < 232)

    @cached_property
    def energy(self) -> np.ndarray:
        """Variance of the fine detail in each block."""
        return blocks(self.power)

    @cached_property
    def power(self) -> np.ndarray:
        """The fine detail, squared."""
        return cv2.multiply(self.fine, self.fine)

    @cached_property
    def beside_edges(self) -> tuple[np.ndarray, np.ndarray]:
        """Pixels near hard edges but not on them, and pixels far from any, both without structure of their own: 255
        there, else 0."""
        hard = cv2.compare(_slope(self.planes.luma), HARD_EDGE, cv2.CMP_GE)
        near, around = (cv2.dilate(hard, np.ones((2 * r + 1, 2 * r + 1), np.uint8)) for r in (BESIDE, AWAY))
        calm = cv2.compare(self.slope, STRUCTURED, cv2.CMP_LT)
        return around & ~near & calm, ~around & calm

    @cached_property
    def grounds(self) -> tuple[tuple["Where", "Where"], ...]:
        """Both of these of level ground, and of texture, where there is enough of both."""
        level = cv2.compare(cv2.absdiff(self.fine, 0.0), LEVEL, cv2.CMP_LT)
        beside, away = self.beside_edges
        found = ((Where(beside & kind), Where(away & kind)) for kind in (level, ~level))
        return tuple(
            (near, far) for near, far in found if near.count and far.count >= LEAST_AWAY * level.size
        )

    @cached_property
    def beside_share(self) -> np.ndarray:
        """Share of each block's pixels that lie beside hard edges."""
        return blocks(self.beside_edges[0]) / 255

    @cached_property
    def smooth(self) -> np.ndarray:
        """Pixels of smooth areas, 1 or 0, float32."""
        return (self.slope < EVEN).astype(np.float32)

    @cached_property
    def smooth_share(self) -> np.ndarray:
        """Share of each block's pixels that are smooth."""
        return blocks(self.smooth)

    @cached_property
    def own_steps(self) -> np.ndarray:
        """Energy of steps across the smooth areas, by block."""
        return steps(self.planes.luma, self.smooth, self.smooth_share, self.planes.bits)

    @cached_property
    def own_borders(self) -> np.ndarray:
        """Steps at the borders of coded blocks, by block."""
        return borders(self.planes.luma)

    @cached_property
    def unmasked(self) -> np.ndarray:
        """How much of a step would show in each block, 0 to 1: fine detail hides it."""
        return np.asarray(1 / (1 + np.sqrt(self.energy) / HIDES))

    @cached_property
    def lab(self) -> np.ndarray:
        """Mean colours of the blocks."""
        return mean_lab(self.planes.luma, self.planes.cb, self.planes.cr, self.matrix)

    def ready(self) -> "Ground":
        """The same, with all of it worked out: several outputs may be held against it at once."""
        for name in (
            "structured",
            "even",
            "energy",
            "own_steps",
            "own_borders",
            "unmasked",
            "lab",
            "beside_share",
            "grounds",
        ):
            getattr(self, name)
        return self


@dataclass(frozen=True, eq=False)
class Losses:
    """Fields: `values` of the frame and `maps` over its blocks, shape (rows, columns), by the key of the kind;
    `drift`, how far each coded block's mean is from the reference's, for the next frame's flicker."""

    values: dict[str, float]
    maps: dict[str, np.ndarray]
    drift: np.ndarray


@dataclass(frozen=True, eq=False)
class BriefGround:
    """A frame of the reference, for what every frame is measured for. Fields: `samples` of it; `matrix`, (Kr, Kb) of
    its colours."""

    samples: Samples
    matrix: tuple[float, float]

    @cached_property
    def means(self) -> np.ndarray:
        """Of luma over its coded blocks."""
        high, wide = self.samples.planes[0].shape
        return self.samples.means(0, (min(CODED, high), min(CODED, wide)))

    @cached_property
    def lab(self) -> np.ndarray:
        """Mean colours of the blocks."""
        return _lab_of(self.samples, self.means, self.matrix)


def brief_losses(ground: BriefGround, output: Samples, before: np.ndarray | None = None) -> Losses | None:
    """Of one frame those kinds alone that every frame is measured for, what rests on the one before and colours, from
    its samples as they are; None where those of the two are of different kinds or sizes."""
    reference = ground.samples
    square = output.square_apart(reference)
    grid = [length // BLOCK for length in reference.planes[0].shape]
    if square is None or not all(grid) or not reference.chroma_block or not output.chroma_block:
        return None
    luma = output.means(0, (CODED, CODED))
    drift = luma - ground.means
    found = {
        "loss_colour": _apart(ground.lab, _lab_of(output, luma, ground.matrix)),
        "loss_flicker": _flicker(square, (grid[0], grid[1]), drift, before),
    }
    return _losses(found, drift)


def _lab_of(frame: Samples, luma: np.ndarray, matrix: tuple[float, float]) -> np.ndarray:
    """Mean colours of its blocks, from the luma's means over coded ones."""
    y = blocks(luma, BLOCK // CODED)
    cb, cr = (frame.means(number, frame.chroma_block or (CODED, CODED)) for number in (1, 2))
    return lab(y, cb, cr, matrix)


def losses(ground: Ground, output: Planes, before: np.ndarray | None = None) -> Losses:
    """All kinds of loss of one frame; `before` is the drift of the frame before it, None for the first."""
    fine = high_pass(output.luma)
    power = cv2.multiply(fine, fine)
    off = cv2.subtract(output.luma, ground.planes.luma)
    drift = blocks(off, CODED)
    square = cv2.norm(off, cv2.NORM_L2SQR) / off.size
    found = {
        "loss_detail": _detail(ground, fine),
        "loss_grain": _grain(ground, power),
        "loss_blocking": _blocking(ground, output.luma),
        "loss_banding": _banding(ground, output),
        "loss_ringing": _ringing(ground, power),
        "loss_colour": _colour(ground, output),
        "loss_flicker": _flicker(square, ground.energy.shape, drift, before),
    }
    return _losses(found, drift)


Found = tuple[float, np.ndarray]


def _losses(found: dict[str, Found], drift: np.ndarray) -> Losses:
    values = {key: value for key, (value, _map) in found.items()}
    return Losses(values, {key: found_map for key, (_value, found_map) in found.items()}, drift)


def _detail(ground: Ground, fine: np.ndarray) -> Found:
    """How much less of the reference's fine detail the output has, by projection: what is only added does not make up
    for it. Grain, as it is in even blocks, is taken off both sides first."""
    shared, own = blocks(cv2.multiply(ground.fine, fine)), ground.energy
    if ground.even.any():
        shared, own = shared - shared[ground.even].mean(), own - own[ground.even].mean()
    counted = ground.structured & (own > 1)
    lost = np.where(counted, np.clip(1 - shared / np.maximum(own, 1), 0, 1), 0)
    weight = np.where(counted, own, 0)
    return 100 * float((lost * weight).sum() / max(weight.sum(), 1e-9)), 100 * lost


def _grain(ground: Ground, power: np.ndarray) -> Found:
    """How much weaker the noise of even blocks is, by its standard deviation."""
    held, own = blocks(power), ground.energy
    counted = ground.even & (own >= LEAST_GRAIN**2)
    lost = np.where(counted, np.clip(1 - np.sqrt(held / np.maximum(own, 1e-9)), 0, 1), 0)
    if not counted.any():
        return 0.0, 100 * lost
    if counted.mean() < LEAST_EVEN:
        return 0.0, 100 * lost
    whole = 1 - np.sqrt(held[counted].sum() / own[counted].sum())
    return 100 * max(0.0, float(whole)), 100 * lost


def _blocking(ground: Ground, luma: np.ndarray) -> Found:
    more, shows = borders(luma) - ground.own_borders, ground.unmasked
    mean = float((more * shows).sum() / max(shows.sum(), LEAST_SHOWING * shows.size))
    return max(0.0, mean), np.clip(more, 0, None)


def _banding(ground: Ground, output: Planes) -> Found:
    weight = ground.smooth_share
    more = steps(output.luma, ground.smooth, weight, output.bits) - ground.own_steps
    mean = float((more * weight).sum() / max(weight.sum(), 1e-9))
    share = min(1.0, 4 * float(weight.mean()))
    return share * max(0.0, mean) ** 0.5, np.sqrt(np.clip(more, 0, None))


def _ringing(ground: Ground, power: np.ndarray) -> Found:
    told, excess, by_block = 0, 0.0, np.zeros_like(ground.energy)
    if not ground.grounds:
        return 0.0, by_block
    more = cv2.subtract(power, ground.power)  # ripples are added: grain that is lost beside an edge is none
    for near, far in ground.grounds:
        usual = MORE * max(0.0, far.mean(more))
        told += near.count
        excess += near.count * (near.mean(more) - usual)
        by_block += blocks(cv2.multiply(more, near.pixels)) - usual * near.share
    weight = ground.beside_share
    strength = np.where(weight > 0, np.sqrt(np.clip(by_block / np.maximum(weight, 0.05), 0, None)), 0)
    return min(1.0, 20 * told / more.size) * max(0.0, excess / told) ** 0.5, strength


def _colour(ground: Ground, output: Planes) -> Found:
    return _apart(ground.lab, mean_lab(output.luma, output.cb, output.cr, ground.matrix))


def _apart(own: np.ndarray, ours: np.ndarray) -> Found:
    far = np.hypot(*(ours - own)[1:])  # lightness is no colour
    return float(far.mean()), far


def _flicker(square: float, grid: tuple[int, ...], drift: np.ndarray, before: np.ndarray | None) -> Found:
    """`square`, the mean square of what luma is off by; `grid`, rows and columns of blocks."""
    rows, columns = grid
    if before is None or before.shape != drift.shape:
        return 0.0, np.zeros((rows, columns))
    change = drift - before
    per = BLOCK // CODED
    inside = change[: rows * per, : columns * per].reshape(rows, per, columns, per)
    # Detail that is lost moves small areas up and down as the picture moves: brightness flickers over larger ones.
    broad = blocks(change, PULSE // CODED)
    # The mean of an area varies by itself where what was lost is noise: twice its variance over so many pixels.
    by_chance = 2 * max(0.0, square - float(drift.mean()) ** 2) / PULSE**2
    return float(np.sqrt(max(0.0, (broad**2).mean() - by_chance))), np.abs(inside.mean(axis=(1, 3)))


def smoothed(plane: np.ndarray, deviation: float) -> np.ndarray:
    """Through a Gaussian of that standard deviation, pixels, cut off at two and a half of them; mirrored edges."""
    side = 2 * int(2.5 * deviation + 0.5) + 1
    return cv2.GaussianBlur(plane, (side, side), deviation, borderType=cv2.BORDER_REFLECT)


def high_pass(plane: np.ndarray) -> np.ndarray:
    """What is finer than a Gaussian of `FINE` pixels, shape as the plane."""
    return cv2.subtract(plane, smoothed(plane, FINE))


def _slope(plane: np.ndarray) -> np.ndarray:
    """Of central differences, 0 across the edges, float32."""
    # Mirrored about its edge, a plane does not change across it.
    across, down = (cv2.Sobel(plane, cv2.CV_32F, *way, ksize=1, scale=0.5) for way in ((1, 0), (0, 1)))
    return cv2.magnitude(across, down)
