"""What kind of loss an output has: one value for each kind and frame, and where in the picture it lies.

All of it works on planes in 8-bit levels, whatever the depth of the file, and compares with the reference's frame.
docs/method.md gives the formulas.
"""

from dataclasses import dataclass
from functools import cached_property

import numpy as np
from scipy import ndimage

BLOCK = 16
"""Side of a block of a map, pixels."""
CODED = 8
"""Side of the smallest block that encoders transform whole, pixels."""
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
LEAST_AWAY = 0.01
"""Share of the picture that must lie far from hard edges for ripples beside them to be told."""
LEAST_EVEN = 0.05
"""Of the picture must be even and hold grain for its loss to be named."""
HARD_EDGE = 18.0
"""Slope of a hard edge, levels a pixel."""
BESIDE, AWAY = 3, 10
"""Ripples are sought further than the first and no further than the second from a hard edge, pixels."""
STEP, FLAT = 0.9, 0.3
"""A step across a smooth area is at least the first high, and what it parts changes by less than the second over two
pixels, levels."""


@dataclass(frozen=True, eq=False)
class Planes:
    """A frame as coded, in 8-bit levels. Fields: `luma`, shape (height, width), `cb` and `cr`, of their own size, all
    float32; `bits` of its samples."""

    luma: np.ndarray
    cb: np.ndarray
    cr: np.ndarray
    bits: int = 8


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
        return _slope(ndimage.gaussian_filter(self.planes.luma, BROAD, truncate=2.5))

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
        return blocks(self.fine**2)

    @cached_property
    def beside_edges(self) -> tuple[np.ndarray, np.ndarray]:
        """Pixels near hard edges but not on them, and pixels far from any; both without structure of their own."""
        hard = (_slope(self.planes.luma) >= HARD_EDGE).astype(np.uint8)
        near, around = (ndimage.maximum_filter(hard, 2 * r + 1).astype(bool) for r in (BESIDE, AWAY))
        calm = self.slope < STRUCTURED
        return around & ~near & calm, ~around & calm

    @cached_property
    def smooth(self) -> np.ndarray:
        """Pixels of smooth areas."""
        return self.slope < EVEN

    @cached_property
    def own_steps(self) -> np.ndarray:
        """Energy of steps across the smooth areas, by block."""
        return steps(self.planes.luma, self.smooth, self.planes.bits)

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
        return mean_lab(self.planes, self.matrix)


@dataclass(frozen=True, eq=False)
class Losses:
    """Fields: `values` of the frame and `maps` over its blocks, shape (rows, columns), by the key of the kind;
    `drift`, how far each coded block's mean is from the reference's, for the next frame's flicker."""

    values: dict[str, float]
    maps: dict[str, np.ndarray]
    drift: np.ndarray


def losses(ground: Ground, output: Planes, before: np.ndarray | None = None) -> Losses:
    """All kinds of loss of one frame; `before` is the drift of the frame before it, None for the first."""
    fine = high_pass(output.luma)
    drift = blocks(output.luma - ground.planes.luma, CODED)
    found = {
        "loss_detail": _detail(ground, fine),
        "loss_grain": _grain(ground, fine),
        "loss_blocking": _blocking(ground, output.luma),
        "loss_banding": _banding(ground, output),
        "loss_ringing": _ringing(ground, fine),
        "loss_colour": _colour(ground, output),
        "loss_flicker": _flicker(ground, output, drift, before),
    }
    values = {key: value for key, (value, _map) in found.items()}
    return Losses(values, {key: found_map for key, (_value, found_map) in found.items()}, drift)


Found = tuple[float, np.ndarray]


def _detail(ground: Ground, fine: np.ndarray) -> Found:
    """How much less of the reference's fine detail the output has, by projection: what is only added does not make up
    for it. Grain, as it is in even blocks, is taken off both sides first."""
    shared, own = blocks(ground.fine * fine), ground.energy
    if ground.even.any():
        shared, own = shared - shared[ground.even].mean(), own - own[ground.even].mean()
    counted = ground.structured & (own > 1)
    lost = np.where(counted, np.clip(1 - shared / np.maximum(own, 1), 0, 1), 0)
    weight = np.where(counted, own, 0)
    return 100 * float((lost * weight).sum() / max(weight.sum(), 1e-9)), 100 * lost


def _grain(ground: Ground, fine: np.ndarray) -> Found:
    """How much weaker the noise of even blocks is, by its standard deviation."""
    held, own = blocks(fine**2), ground.energy
    counted = ground.even & (own >= LEAST_GRAIN**2)
    lost = np.where(counted, np.clip(1 - np.sqrt(held / np.maximum(own, 1e-9)), 0, 1), 0)
    if not counted.any():
        return 0.0, 100 * lost
    if counted.mean() < LEAST_EVEN:
        return 0.0, 100 * lost
    whole = 1 - np.sqrt(held[counted].sum() / own[counted].sum())
    return 100 * max(0.0, float(whole)), 100 * lost


def borders(luma: np.ndarray) -> np.ndarray:
    """How much larger the steps between coded blocks are than those beside them, levels, by block; signed, so that
    noise has no part in it."""
    out = np.zeros(1)
    for plane in (luma, luma.T):
        jump = np.abs(np.diff(plane, axis=1))
        extra = np.zeros_like(plane)
        at = np.arange(CODED - 1, jump.shape[1] - 1, CODED)
        extra[:, at] = jump[:, at] - (jump[:, at - 1] + jump[:, at + 1]) / 2
        found = blocks(extra) * CODED
        out = out + (found if plane is luma else found.T) / 2
    return out


def _blocking(ground: Ground, luma: np.ndarray) -> Found:
    more, shows = borders(luma) - ground.own_borders, ground.unmasked
    mean = float((more * shows).sum() / max(shows.sum(), LEAST_SHOWING * shows.size))
    return max(0.0, mean), np.clip(more, 0, None)


def _apart(one: np.ndarray, other: np.ndarray) -> np.ndarray:
    return np.abs(np.subtract(one, other))


def steps(luma: np.ndarray, smooth: np.ndarray, bits: int = 8) -> np.ndarray:
    """Squared height of steps with flat ground on both sides, beyond the least step that so many bits have, as a mean
    over a block's smooth pixels, by block. Steps at the borders of coded blocks are blocking, and don't count."""
    out, least = np.zeros(1), np.float32(2.0 ** (8 - bits))
    for plane, mask in ((luma, smooth), (luma.T, smooth.T)):
        jump = _apart(plane[:, 3:-2], plane[:, 2:-3])
        flat = _apart(plane[:, 2:-3], plane[:, :-5]) < FLAT
        flat &= _apart(plane[:, 5:], plane[:, 3:-2]) < FLAT
        found = np.zeros_like(plane)
        found[:, 2:-3] = np.where(flat & (jump >= STEP) & mask[:, 2:-3], jump**2 - least**2, 0)
        found[:, CODED - 1 :: CODED] = 0
        energy = blocks(found) / np.maximum(blocks(mask.astype(np.float32)), 0.25)
        out = out + (energy if plane is luma else energy.T)
    return out


def _banding(ground: Ground, output: Planes) -> Found:
    more = steps(output.luma, ground.smooth, output.bits) - ground.own_steps
    weight = blocks(ground.smooth.astype(np.float32))
    mean = float((more * weight).sum() / max(weight.sum(), 1e-9))
    share = min(1.0, 4 * float(weight.mean()))
    return share * max(0.0, mean) ** 0.5, np.sqrt(np.clip(more, 0, None))


def _ringing(ground: Ground, fine: np.ndarray) -> Found:
    beside, away = ground.beside_edges
    if not beside.any() or away.mean() < LEAST_AWAY:
        return 0.0, np.zeros_like(ground.energy)
    more = fine**2 - ground.fine**2  # ripples are added: grain that is lost beside an edge is none
    usual = max(0.0, float(more[away].mean()))
    near = max(0.0, float(more[beside].mean()) - usual) ** 0.5
    weight = blocks(beside.astype(np.float32))
    by_block = blocks(np.where(beside, more, 0)) / np.maximum(weight, 0.05) - usual
    share = min(1.0, 20 * float(beside.mean()))
    return share * near, np.where(weight > 0, np.sqrt(np.clip(by_block, 0, None)), 0)


def _colour(ground: Ground, output: Planes) -> Found:
    far = np.hypot(*(mean_lab(output, ground.matrix) - ground.lab)[1:])  # lightness is no colour
    return float(far.mean()), far


def _flicker(ground: Ground, output: Planes, drift: np.ndarray, before: np.ndarray | None) -> Found:
    rows, columns = ground.energy.shape
    if before is None or before.shape != drift.shape:
        return 0.0, np.zeros((rows, columns))
    change = drift - before
    per = BLOCK // CODED
    inside = change[: rows * per, : columns * per].reshape(rows, per, columns, per)
    # Detail that is lost moves small areas up and down as the picture moves: brightness flickers over larger ones.
    broad = blocks(change, PULSE // CODED)
    # The mean of an area varies by itself where what was lost is noise: twice its variance over so many pixels.
    by_chance = 2 * float((output.luma - ground.planes.luma).var()) / PULSE**2
    return float(np.sqrt(max(0.0, (broad**2).mean() - by_chance))), np.abs(inside.mean(axis=(1, 3)))


def blocks(plane: np.ndarray, side: int = BLOCK) -> np.ndarray:
    """Means over whole blocks, shape (height // side, width // side); a picture smaller than one block is one."""
    rows, columns = plane.shape[0] // side, plane.shape[1] // side
    if not rows or not columns:
        return np.full((max(rows, 1), max(columns, 1)), plane.mean() if plane.size else 0.0)
    whole = np.ascontiguousarray(plane[: rows * side, : columns * side])
    # Sums over rows first: contiguous, and so several times faster than over both at once.
    down = whole.reshape(rows, side, columns * side).sum(axis=1)
    return np.asarray(down.reshape(rows, columns, side).sum(axis=2) / side**2)


def high_pass(plane: np.ndarray) -> np.ndarray:
    """What is finer than a Gaussian of `FINE` pixels, shape as the plane."""
    return plane - ndimage.gaussian_filter(plane, FINE, truncate=2.5)


def _slope(plane: np.ndarray) -> np.ndarray:
    out = np.zeros_like(plane)
    out[:, 1:-1] = np.square(np.subtract(plane[:, 2:], plane[:, :-2]) / 2)
    out[1:-1] += np.square(np.subtract(plane[2:], plane[:-2]) / 2)
    return np.sqrt(out)


_TO_XYZ = np.array(
    [[0.4123908, 0.3575843, 0.1804808], [0.2126390, 0.7151687, 0.0721923], [0.0193308, 0.1191948, 0.9505322]]
)
"""Linear BT.709 R, G, B to CIE XYZ (Rec. ITU-R BT.709, white D65)."""


def mean_lab(planes: Planes, matrix: tuple[float, float]) -> np.ndarray:
    """CIE 1976 L*, a*, b* of the blocks' mean colours, shape (3, rows, columns), of limited-range planes."""
    kr, kb = matrix
    y = blocks(planes.luma)
    cb, cr = (_means_at(plane, planes.luma.shape, y.shape) for plane in (planes.cb, planes.cr))
    y, cb, cr = (y - 16) / 219, (cb - 128) / 224, (cr - 128) / 224
    red, blue = y + 2 * (1 - kr) * cr, y + 2 * (1 - kb) * cb
    green = (y - kr * red - kb * blue) / (1 - kr - kb)
    signal = np.clip(np.stack([red, green, blue]), 0, 1)
    linear = np.where(signal < 0.081, signal / 4.5, ((signal + 0.099) / 1.099) ** (1 / 0.45))
    xyz = np.tensordot(_TO_XYZ, linear, 1) / _TO_XYZ.sum(axis=1)[:, None, None]
    f = np.where(xyz > (6 / 29) ** 3, np.cbrt(xyz), xyz / (3 * (6 / 29) ** 2) + 4 / 29)
    return np.stack([116 * f[1] - 16, 500 * (f[0] - f[1]), 200 * (f[1] - f[2])])


def _means_at(plane: np.ndarray, luma: tuple[int, ...], grid: tuple[int, ...]) -> np.ndarray:
    """Block means of a chroma plane, on luma's grid."""
    down, across = luma[0] / plane.shape[0], luma[1] / plane.shape[1]
    rows = np.minimum(np.rint(np.arange(grid[0]) * BLOCK / down).astype(int), plane.shape[0] - 1)
    columns = np.minimum(np.rint(np.arange(grid[1]) * BLOCK / across).astype(int), plane.shape[1] - 1)
    high, wide = max(1, round(BLOCK / down)), max(1, round(BLOCK / across))
    inside = plane[: rows[-1] + high, : columns[-1] + wide]
    total = np.add.reduceat(np.add.reduceat(inside, rows, axis=0), columns, axis=1)
    heights = np.diff(np.append(rows, inside.shape[0]))[:, None]
    return total / (heights * np.diff(np.append(columns, inside.shape[1]))[None])
