"""What is filmed, as functions of the frame's number: R'G'B' of 0 to 1, shape (height, width, 3)."""

from collections.abc import Callable
from functools import cache

import numpy as np
from scipy import ndimage

from bench.seed import drawn

WIDE, HIGH = 256, 144
Scene = Callable[[int], np.ndarray]


@cache
def texture(seed: int = 1, high: int = 360, wide: int = 900, contrast: float = 0.16) -> np.ndarray:
    """A landscape of details of several sizes in colour, larger than a frame, shape (high, wide, 3)."""
    draw = drawn(f"landscape {seed}")
    out = np.zeros((high, wide, 3))
    for sigma, weight in ((1.0, 0.5), (3.0, 1.0), (9.0, 1.6)):
        made = np.stack(
            [ndimage.gaussian_filter(draw.normal(size=(high, wide)), sigma, mode="wrap") for _ in "rgb"], -1
        )
        common = made.mean(axis=2, keepdims=True)
        made = 0.6 * made + 1.2 * common
        out += weight * made / made.std()
    return np.clip(0.45 + contrast * out / out.std(), 0.02, 0.98)


def view(x: float, y: float = 100.0, seed: int = 1, blur: float = 0.0) -> np.ndarray:
    """The landscape from a place in it, to fractions of a pixel."""
    large = texture(seed)
    rows, columns = np.arange(HIGH) + y, np.arange(WIDE) + x
    i, j = np.floor(rows).astype(int), np.floor(columns).astype(int)
    a, b = (rows - i)[:, None, None], (columns - j)[None, :, None]
    h, w = large.shape[:2]
    at = lambda di, dj: large[np.ix_((i + di) % h, (j + dj) % w)]  # noqa: E731
    out = (1 - a) * (1 - b) * at(0, 0) + (1 - a) * b * at(0, 1) + a * (1 - b) * at(1, 0) + a * b * at(1, 1)
    return ndimage.uniform_filter1d(out, max(1, round(blur)), axis=1) if blur > 1 else out


def pan(step: float, seed: int = 1, blur: float = 0.0) -> Scene:
    """So many pixels a frame."""
    return lambda k: view(40 + step * k, seed=seed, blur=blur)


def shake(k: int) -> np.ndarray:
    """A camera held by hand."""
    return view(120 + 5 * np.sin(1.7 * k) + 3 * np.sin(0.6 * k), 100 + 4 * np.cos(2.1 * k))


def grain(scene: Scene, strength: float) -> Scene:
    """New noise in every frame."""
    return lambda k: np.clip(
        scene(k) + drawn(f"grain {k}").normal(scale=strength, size=(HIGH, WIDE, 1)), 0, 1
    )


def mixed(scene: Scene, level: float, share: Callable[[int], float]) -> Scene:
    """A share of the scene, the rest an even level: fades and cuts."""
    return lambda k: (1 - share(k)) * level + share(k) * scene(k)


def ramp(first: int, last: int) -> Callable[[int], float]:
    """From 0 at one frame to 1 at another."""
    return lambda k: float(np.clip((k - first) / (last - first), 0, 1))


def falling(first: int, last: int) -> Callable[[int], float]:
    """From 1 at one frame to 0 at another."""
    up = ramp(first, last)
    return lambda k: 1 - up(k)


def held(scene: Scene, frames: int) -> Scene:
    """Drawn anew only every so many frames."""
    return lambda k: scene(k // frames * frames)


def frozen(scene: Scene, first: int, last: int) -> Scene:
    """Standing still from one frame to another."""
    return lambda k: scene(k if k < first else max(first, first + k - last))


def cuts(every: int) -> Scene:
    """Another shot every so many frames."""
    return lambda k: view(
        40 + 37 * (k // every) + 1.5 * k, 60 + 11 * (k // every % 5), seed=1 + k // every % 3
    )


def dissolve(first: int, last: int) -> Scene:
    """One shot melts into another."""
    up = ramp(first, last)
    return lambda k: (1 - up(k)) * view(40 + 2 * k) + up(k) * view(300 - 1.5 * k, seed=2)


def flashes(scene: Scene, every: int, level: float = 1.0) -> Scene:
    """A white frame now and then."""
    return lambda k: np.full((HIGH, WIDE, 3), level) if k % every == every - 1 else scene(k)


def title(ground: Scene, first: int = 0, last: int = 10**6, x: int = 40) -> Scene:
    """Bars like the strokes of letters over it, from one frame to another."""
    letters = drawn("letters").random((HIGH, WIDE, 1)) < 0
    for n, at in enumerate(range(x, x + 110, 9)):
        letters[44 : 44 + 14 + n % 5, at : at + 2 + n % 3] = True
        letters[44 + n % 9 : 47 + n % 9, at : at + 6] = True
    return lambda k: np.where(letters, 0.9, ground(k)) if first <= k <= last else ground(k)


def scrolling(k: int) -> np.ndarray:
    """Credits that roll."""
    out = np.full((HIGH, WIDE, 3), 0.05)
    for n in range(24):
        at = 110 + 13 * n - 2 * k
        if 0 <= at < HIGH - 8:
            for m in range(4 + n % 7):
                out[at : at + 7, 50 + 12 * m : 50 + 12 * m + 3 + (n + m) % 6] = 0.85
    return out


def dot(k: int) -> np.ndarray:
    """One pixel moves."""
    out = np.full((HIGH, WIDE, 3), 0.3)
    out[50, 30 + 2 * k] = 0.9
    return out


def gradient(k: int, speed: float = 0.0, low: float = 0.25, high: float = 0.4) -> np.ndarray:
    """An even change of brightness from left to right."""
    x = (np.arange(WIDE) + speed * k) / WIDE
    return np.repeat(np.repeat((low + (high - low) * (x % 2))[None, :, None], HIGH, 0), 3, 2)


def boxed(scene: Scene, rows: int = 0, columns: int = 0) -> Scene:
    """Black bars around it."""

    def made(k: int) -> np.ndarray:
        out = scene(k).copy()
        if rows:
            out[:rows] = out[-rows:] = 0
        if columns:
            out[:, :columns] = out[:, -columns:] = 0
        return out

    return made


def combed(step: float) -> Scene:
    """Fields of two moments woven into frames."""

    def made(k: int) -> np.ndarray:
        one, other = view(40 + step * k), view(40 + step * (k + 0.5))
        out = one.copy()
        out[1::2] = other[1::2]
        return out

    return made


def cel(k: int) -> np.ndarray:
    """Flat colours, and one figure that moves across them."""
    out = np.empty((HIGH, WIDE, 3))
    out[:60], out[60:] = (0.55, 0.7, 0.85), (0.35, 0.5, 0.25)
    y, x = np.mgrid[:HIGH, :WIDE]
    out[(x - 30 - 3 * k) ** 2 + (y - 62 - 8 * np.sin(k / 3)) ** 2 < 240] = (0.8, 0.3, 0.2)
    return out


def talking(k: int) -> np.ndarray:
    """A still set in which a small part moves."""
    out = view(200.0).copy()
    out[50:62, 80:112] *= 0.6 + 0.35 * np.sin(1.3 * k)
    return out


def toned(scene: Scene, low: float, high: float) -> Scene:
    """Squeezed between two levels: fog, night."""
    return lambda k: low + (high - low) * scene(k)


def boiling(k: int) -> np.ndarray:
    """Water, leaves: nothing in its place from one frame to the next."""
    return view(40 + 97 * (k * 7 % 6), 20 + 31 * (k * 5 % 7), seed=1 + k % 3)
