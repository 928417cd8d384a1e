"""Of which frames each kind of loss is measured, and what is said of those between."""

import numpy as np

EVERY = 12
"""Frames from one that is measured to the next, where nothing happens."""
HAPPENS, UNUSUAL = 2.0, 3.0
"""Points by which a frame's VMAF differs from what its measured neighbours let one expect, and how many times what is
usual in this output: then it is measured too. Frames of different coded types differ by themselves."""
CUT = 12.0
"""Mean change of the coded blocks' brightness from one frame to the next that begins another shot, levels."""


def picks(frames: int, vmaf: np.ndarray | None = None) -> np.ndarray:
    """Which of so many frames to measure, shape (frames,), bool: every twelfth, the last, and those whose
    VMAF is further from the line between the measured ones than is usual here."""
    out = np.zeros(frames, bool)
    out[::EVERY] = True
    out[-1:] = True
    if vmaf is None or len(vmaf) < 3:
        return out
    known = np.flatnonzero(out[: len(vmaf)] & np.isfinite(vmaf))
    places = np.arange(min(frames, len(vmaf)))
    if not len(known):
        return np.ones(frames, bool)
    expected = np.interp(places, known, vmaf[known])
    off = np.abs(vmaf[places] - expected)
    usual = float(np.nanmedian(off[~out[places]])) if not out[places].all() else 0.0
    out[places[off > max(HAPPENS, UNUSUAL * usual)]] = True
    return out


def between(values: np.ndarray, cuts: np.ndarray) -> np.ndarray:
    """A value for every frame: of those that were not measured (NaN) on the line between their neighbours, those of
    the same shot alone. `cuts`, bool of the same shape (frames,), is true of a shot's first frame."""
    shot = np.cumsum(cuts)
    known = np.flatnonzero(np.isfinite(values))
    if not len(known):
        return values
    out = np.interp(np.arange(len(values)), known, values[known])
    for k in np.flatnonzero(~np.isfinite(values)):
        place = int(np.searchsorted(known, k))
        before, after = (known[p] if 0 <= p < len(known) else -1 for p in (place - 1, place))
        same = [n for n in (before, after) if n >= 0 and shot[n] == shot[k]]
        if len(same) == 1:
            out[k] = values[same[0]]
    return out
