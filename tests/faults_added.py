"""Pictures to which a known amount of just one fault is added: what a measure of that fault must answer to."""

from dataclasses import dataclass

import numpy as np
from scipy import ndimage

from ovrik.analysis.signals.losses import Ground, Planes, losses

SIZE = (360, 640)


def film(grain: float, seed: int = 1) -> tuple[np.ndarray, Planes, np.ndarray]:
    """A made-up frame: a slow ramp, a patch of texture and hard-edged bars, with grain of so many levels. The frame
    without grain and before rounding, its planes, and its grain."""
    high, wide = SIZE
    y, x = np.mgrid[:high, :wide]
    picture = 60 + 60 * x / wide + 30 * y / high
    texture = ndimage.gaussian_filter(np.random.default_rng(5).normal(size=(160, 240)), 1.3) * 160
    picture[20:180, 30:270] += np.clip(texture, -60, 60)
    picture[20:180, 370:610] += np.clip(texture, -60, 60)
    for k in range(5):
        picture[230:330, 60 + 110 * k : 110 + 110 * k] = 190
    added = np.random.default_rng(seed).normal(scale=grain or 1, size=SIZE) * bool(grain)
    half = (high // 2, wide // 2)
    cb = np.full(half, 120, np.float32) + np.linspace(-20, 20, half[1], dtype=np.float32)
    planes = Planes(rounded(picture + added), cb, np.full(half, 140, np.float32))
    return picture, planes, added


def rounded(values: np.ndarray) -> np.ndarray:
    """As 8 bits hold it."""
    return np.clip(np.rint(values), 0, 255).astype(np.float32)


@dataclass(frozen=True)
class Fault:
    """One fault. Called with an amount from 0 to 1, it gives what all measures say of it."""

    key: str

    def frames(self, amount: float) -> tuple[Planes, Planes]:
        """Reference, and output with so much of the fault."""
        found: tuple[Planes, Planes] = globals()[f"_{self.key}"](amount)
        return found

    def __call__(self, amount: float) -> dict[str, float]:
        ground, output = self.frames(amount)
        # The frame before is right: what changes from it to this one flickers. A fault that stays does not.
        still = self.key != "loss_flicker"
        before = losses(Ground(ground), output if still else ground).drift
        return losses(Ground(ground), output, before).values


FAULTS = {
    name: Fault(name)
    for name in (
        "loss_detail",
        "loss_grain",
        "loss_blocking",
        "loss_banding",
        "loss_ringing",
        "loss_colour",
        "loss_flicker",
    )
}


def _loss_detail(amount: float) -> tuple[Planes, Planes]:
    clean, plain, grain = film(3.0)
    soft = ndimage.gaussian_filter(clean, 1.2 * amount) if amount else clean
    return plain, Planes(rounded(soft + grain), plain.cb, plain.cr)


def _loss_grain(amount: float) -> tuple[Planes, Planes]:
    clean, plain, grain = film(3.0)
    return plain, Planes(rounded(clean + grain * (1 - 0.7 * amount)), plain.cb, plain.cr)


def _loss_blocking(amount: float) -> tuple[Planes, Planes]:
    _clean, plain, _grain = film(1.0)  # more grain would hide it
    signs = np.random.default_rng(3).choice([-1, 1], size=(SIZE[0] // 8, SIZE[1] // 8))
    off = np.kron(signs, np.ones((8, 8))) * 2 * amount
    return plain, Planes((plain.luma + off).astype(np.float32), plain.cb, plain.cr)


def _loss_banding(amount: float) -> tuple[Planes, Planes]:
    _clean, plain, _grain = film(0.0)
    height = 1 + 4 * amount
    bands = np.rint(plain.luma / height) * height if amount else plain.luma
    smooth = Ground(plain).smooth
    return plain, Planes(np.where(smooth, bands, plain.luma).astype(np.float32), plain.cb, plain.cr)


def _loss_ringing(amount: float) -> tuple[Planes, Planes]:
    clean, plain, _grain = film(3.0)
    far = ndimage.distance_transform_edt(np.abs(np.gradient(clean)[1]) <= 20)
    ripple = np.where((far > 1) & (far < 12), 8 * np.cos(np.pi * far / 2) * np.exp(-far / 6), 0)
    return plain, Planes(rounded(plain.luma + amount * ripple), plain.cb, plain.cr)


def _loss_colour(amount: float) -> tuple[Planes, Planes]:
    _clean, plain, _grain = film(3.0)
    return plain, Planes(plain.luma, plain.cb + np.float32(5 * amount), plain.cr - np.float32(3 * amount))


def _loss_flicker(amount: float) -> tuple[Planes, Planes]:
    _clean, plain, _grain = film(3.0)
    return plain, Planes(plain.luma + np.float32(1.6 * amount), plain.cb, plain.cr)
