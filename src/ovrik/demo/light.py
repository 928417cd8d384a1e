"""Noise, glow and the way from linear light to 10-bit video."""

from functools import cache

import numpy as np
from scipy import ndimage

WIDTH, HEIGHT = 1280, 720

Light = np.ndarray
"""Linear RGB, shape (3, 720, 1280), float32."""

KR, KB = 0.2126, 0.0722
"""Luma weights of ITU-R BT.709."""


CURVE_STEP = 6000


def _curve() -> np.ndarray:
    """Video signal by square root of light: a shoulder, then the camera curve of BT.709."""
    light = (np.arange(4 * CURVE_STEP) / CURVE_STEP) ** 2
    exposed = 1 - np.exp(-light * 1.35)
    return np.where(exposed < 0.018, 4.5 * exposed, 1.099 * exposed**0.45 - 0.099).astype(np.float32)


CURVE = _curve()


def grid() -> tuple[np.ndarray, np.ndarray]:
    """Pixel coordinates y and x, each of shape (720, 1280), float32."""
    y, x = np.mgrid[0:HEIGHT, 0:WIDTH].astype(np.float32)
    return y, x


def fractal(
    random: np.random.Generator,
    shape: tuple[int, int],
    coarsest: int,
    octaves: int = 5,
    stretch: tuple[float, float] = (1.0, 1.0),
    fall: float = 0.55,
) -> np.ndarray:
    """Smooth noise with detail at several scales, 0 to 1, that tiles in both directions.

    `coarsest` is the size in pixels of its largest features.
    """
    total = np.zeros(shape, np.float32)
    weight = 1.0
    for octave in range(octaves):
        cells = [max(2, round(n * s / coarsest * 2**octave)) for n, s in zip(shape, stretch, strict=True)]
        coarse = random.random(cells, dtype=np.float32)
        total += weight * _enlarged(coarse, shape)
        weight *= fall
    total -= total.min()
    return total / total.max()


def _enlarged(coarse: np.ndarray, shape: tuple[int, int]) -> np.ndarray:
    axes = [np.arange(n, dtype=np.float32) * c / n for n, c in zip(shape, coarse.shape, strict=True)]
    out = coarse
    for axis, at in enumerate(axes):
        low = np.floor(at).astype(int)
        t = at - low
        t = (t * t * (3 - 2 * t)).reshape([-1 if a == axis else 1 for a in range(2)])
        n = out.shape[axis]
        out = np.take(out, low % n, axis) * (1 - t) + np.take(out, (low + 1) % n, axis) * t
    return out


def slid(texture: np.ndarray, down: float, right: float) -> np.ndarray:
    """A tiling texture moved by whole pixels plus a blended fraction, at video size."""
    y, x = int(np.floor(down)), int(np.floor(right))
    fy, fx = np.float32(down - y), np.float32(right - x)

    def cut(dy: int, dx: int) -> np.ndarray:
        rows = (np.arange(HEIGHT) - y - dy) % texture.shape[0]
        columns = (np.arange(WIDTH) - x - dx) % texture.shape[1]
        return texture[rows][:, columns]

    def row(dy: int) -> np.ndarray:
        return cut(dy, 0) * (1 - fx) + cut(dy, 1) * fx if fx else cut(dy, 0)

    return row(0) * (1 - fy) + row(1) * fy if fy else row(0)


def bloom(light: np.ndarray, radius: float, amount: float) -> np.ndarray:
    """Light that spills around bright places; worked out at a quarter of the size."""
    small = np.ascontiguousarray(light[:, ::4, ::4])
    soft = ndimage.gaussian_filter(small, (0, radius / 4, radius / 4), truncate=3)
    half = np.repeat(np.repeat(amount * soft, 2, axis=1), 2, axis=2)
    for axis in (1, 2):
        half = ndimage.uniform_filter1d(half, 3, axis=axis)
    return light + np.repeat(np.repeat(half, 2, axis=1), 2, axis=2)


def smooth(low: float, high: float, value: np.ndarray) -> np.ndarray:
    """0 below `low`, 1 above `high`, a smooth step between."""
    t = np.clip((value - low) / (high - low), 0, 1)
    return t * t * (3 - 2 * t)


@cache
def _grain_sheet(size: float) -> np.ndarray:
    noise = np.random.default_rng(3).standard_normal((HEIGHT + 211, WIDTH + 307), dtype=np.float32)
    soft = ndimage.gaussian_filter(noise, size, mode="wrap")
    return soft / float(soft.std())


def grain(random: np.random.Generator, size: float) -> np.ndarray:
    """Film grain of unit spread, shape (720, 1280): a sheet laid down anew for every frame."""
    sheet = _grain_sheet(size)
    rows, columns = (random.integers(n) for n in sheet.shape)
    turned = np.roll(sheet, (rows, columns), (0, 1))[:HEIGHT, :WIDTH]
    return turned[::-1] if random.random() < 0.5 else turned


def to_video(light: np.ndarray, grains: np.ndarray | float = 0.0) -> tuple[np.ndarray, ...]:
    """Linear RGB, shape (3, 720, 1280), to Y', Cb and Cr of BT.709, 10 bit 4:2:2, limited range.

    A shoulder keeps highlights; grain is added in the signal domain. Formulas: ITU-R BT.709-6.
    """
    index = np.clip(np.sqrt(np.maximum(light, 0)) * CURVE_STEP, 0, len(CURVE) - 1).astype(np.intp)
    signal = CURVE.take(index, mode="clip")
    r, g, b = signal
    luma = KR * r + (1 - KR - KB) * g + KB * b
    cb = (b - luma) / (2 * (1 - KB))
    cr = (r - luma) / (2 * (1 - KR))
    luma = luma + grains
    return (
        np.clip(np.rint(876 * luma + 64), 64, 940).astype(np.uint16),
        *(
            np.clip(np.rint(896 * (c[:, ::2] + c[:, 1::2]) / 2 + 512), 64, 960).astype(np.uint16)
            for c in (cb, cr)
        ),
    )


def light_colour(r: float, g: float, b: float) -> np.ndarray:
    """A colour in linear light, ready to multiply a plane with."""
    return np.array([r, g, b], np.float32).reshape(3, 1, 1)


def power(value: np.ndarray, doublings: int) -> np.ndarray:
    """value to the power 2^doublings; far quicker than a general power."""
    for _ in range(doublings):
        value = value * value
    return value


def splat(light: np.ndarray, x: np.ndarray, y: np.ndarray, strength: np.ndarray) -> None:
    """Add points of light, each shared among its four pixels."""
    x0, y0 = np.floor(x).astype(int), np.floor(y).astype(int)
    fx, fy = x - x0, y - y0
    for dy, dx, share in (
        (0, 0, (1 - fx) * (1 - fy)),
        (0, 1, fx * (1 - fy)),
        (1, 0, (1 - fx) * fy),
        (1, 1, fx * fy),
    ):
        inside = (x0 + dx >= 0) & (x0 + dx < WIDTH) & (y0 + dy >= 0) & (y0 + dy < HEIGHT)
        np.add.at(light, (y0[inside] + dy, x0[inside] + dx), (share * strength)[inside])
