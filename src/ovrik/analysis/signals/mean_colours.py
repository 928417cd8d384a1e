"""Mean colours of the blocks of a frame, as an eye tells them apart."""

import numpy as np

from ovrik.analysis.signals.block_means import BLOCK, blocks

_TO_XYZ = np.array(
    [[0.4123908, 0.3575843, 0.1804808], [0.2126390, 0.7151687, 0.0721923], [0.0193308, 0.1191948, 0.9505322]]
)
"""Linear BT.709 R, G, B to CIE XYZ (Rec. ITU-R BT.709, white D65)."""


def mean_lab(luma: np.ndarray, cb: np.ndarray, cr: np.ndarray, matrix: tuple[float, float]) -> np.ndarray:
    """CIE 1976 L*, a*, b* of the blocks' mean colours, shape (3, rows, columns), of planes of limited range, chroma's
    of its own size."""
    y = blocks(luma)
    blue, red = (_means_at(plane, luma.shape, y.shape) for plane in (cb, cr))
    return lab(y, blue, red, matrix)


def lab(y: np.ndarray, cb: np.ndarray, cr: np.ndarray, matrix: tuple[float, float]) -> np.ndarray:
    """CIE 1976 L*, a*, b*, shape (3, rows, columns), of colours in 8-bit levels of limited range."""
    kr, kb = matrix
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
    if down == across and down in (1, 2) and min(luma) >= BLOCK:
        return blocks(plane, BLOCK // int(down))
    rows = np.minimum(np.rint(np.arange(grid[0]) * BLOCK / down).astype(int), plane.shape[0] - 1)
    columns = np.minimum(np.rint(np.arange(grid[1]) * BLOCK / across).astype(int), plane.shape[1] - 1)
    high, wide = max(1, round(BLOCK / down)), max(1, round(BLOCK / across))
    inside = plane[: rows[-1] + high, : columns[-1] + wide]
    total = np.add.reduceat(np.add.reduceat(inside, rows, axis=0), columns, axis=1)
    heights = np.diff(np.append(rows, inside.shape[0]))[:, None]
    return total / (heights * np.diff(np.append(columns, inside.shape[1]))[None])
