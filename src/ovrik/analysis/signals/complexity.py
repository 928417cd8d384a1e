"""How much there is in a picture, and how much changes: spatial and temporal information."""

from dataclasses import dataclass

import numpy as np

BAND = 64
"""Rows worked on at once, so that what is in hand stays in the processor's own memory."""


def spatial_information(luma: np.ndarray) -> float:
    """SI of one frame: the standard deviation of its Sobel gradient's length, edges left out.

    `luma` of shape (height, width), floats or integers of up to 12 bits; the result is in its own units: for
    more than 8 bits, scale it to 0…255. Source: ITU-T P.910, 7.2.
    """
    total = squares = 0.0
    count = (luma.shape[0] - 2) * (luma.shape[1] - 2)
    for top in range(0, luma.shape[0] - 2, BAND):
        p = _signed(luma[top : top + BAND + 2])
        # The Sobel kernels taken apart: a difference across, a weighted sum along, and the reverse.
        across = p[:, 2:] - p[:, :-2]
        gx = across[:-2] + across[2:] + across[1:-1] + across[1:-1]
        along = p[2:] - p[:-2]
        gy = along[:, :-2] + along[:, 2:] + along[:, 1:-1] + along[:, 1:-1]
        x, y = gx.astype(np.float32), gy.astype(np.float32)
        x *= x
        y *= y
        x += y
        squares += float(x.sum(dtype=np.float64))
        total += float(np.sqrt(x, out=x).sum())
    return float(np.sqrt(max(squares / count - (total / count) ** 2, 0.0)))


def temporal_information(before: np.ndarray, now: np.ndarray) -> float:
    """TI of two frames in a row: the standard deviation of their difference, in their own units.

    Source: ITU-T P.910, 7.3.
    """
    total = squares = 0.0
    for top in range(0, now.shape[0], BAND):
        d = (_signed(now[top : top + BAND]) - _signed(before[top : top + BAND])).astype(np.float32).ravel()
        total += float(d.sum())
        squares += float(np.dot(d, d))
    return float(np.sqrt(max(squares / now.size - (total / now.size) ** 2, 0.0)))


def _signed(values: np.ndarray) -> np.ndarray:
    """Numbers that can be subtracted, as narrow as they may be."""
    return values.astype(np.int16 if values.dtype.kind in "ui" else np.float32)


@dataclass(frozen=True, eq=False)
class ComplexityCurve:
    """Complexity along a programme, at some of its frames.

    Fields, arrays of one length: `at`, frames of the programme, rising; `si`, `ti`.
    """

    at: np.ndarray
    si: np.ndarray
    ti: np.ndarray

    @property
    def load(self) -> np.ndarray:
        """One number at each place: the mean of SI and TI, each divided by its own mean."""
        parts = [v / v.mean() if v.mean() > 0 else np.ones_like(v) for v in (self.si, self.ti)]
        return np.asarray((parts[0] + parts[1]) / 2)

    def within(self, start: int, frames: int) -> "ComplexityCurve":
        """The part that lies in a segment; the nearest place if none does."""
        inside = (self.at >= start) & (self.at < start + frames)
        if not inside.any() and len(self.at):
            inside[np.argmin(np.abs(self.at - (start + frames / 2)))] = True
        return ComplexityCurve(self.at[inside], self.si[inside], self.ti[inside])


@dataclass(frozen=True)
class Likeness:
    """How a segment compares with the whole. Fields: `si`, `ti`, its means over those of the whole."""

    si: float
    ti: float

    @property
    def words(self) -> str:
        """As a sentence's part: "SI ×1.10 and TI ×0.92 of the whole"."""
        return f"SI ×{self.si:.2f} and TI ×{self.ti:.2f} of the whole"


def likeness(curve: ComplexityCurve, start: int, frames: int) -> Likeness:
    """A segment against the whole."""
    part = curve.within(start, frames)
    return Likeness(_over(part.si, curve.si), _over(part.ti, curve.ti))


def _over(part: np.ndarray, whole: np.ndarray) -> float:
    return float(part.mean() / whole.mean()) if whole.mean() > 0 else 1.0


@dataclass(frozen=True)
class Proposal:
    """A segment worth timing. Fields: `name`; `start`, `frames` in frames; `why`, in words."""

    name: str
    start: int
    frames: int
    why: str


def proposals(curve: ComplexityCurve, total: int, frames: int) -> list[Proposal]:
    """The calmest, the busiest and the most usual segment of so many frames.

    Segments begin at the places of the curve. Most usual is the one whose SI and TI, in logs, lie nearest
    to those of the whole. Fewer come back when they would be the same segment.
    """
    frames = min(frames, total)
    starts = sorted({min(int(a), total - frames) for a in curve.at} | {0})
    load = ComplexityCurve(curve.at, curve.load, curve.load)
    heavy = [float(load.within(s, frames).si.mean()) for s in starts]
    like = [likeness(curve, s, frames) for s in starts]
    off = [abs(np.log(max(x.si, 1e-6))) + abs(np.log(max(x.ti, 1e-6))) for x in like]
    chosen = (
        ("calm", int(np.argmin(heavy))),
        ("busy", int(np.argmax(heavy))),
        ("usual", int(np.argmin(off))),
    )
    out: list[Proposal] = []
    for name, at in chosen:
        if all(p.start != starts[at] for p in out):
            out.append(Proposal(name, starts[at], frames, like[at].words))
    return out
