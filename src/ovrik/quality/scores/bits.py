"""What each frame of a file takes: the sizes of its packets, in the order in which frames are shown."""

from pathlib import Path

import numpy as np

from ovrik.quality.decode.packets import packets_of


def bits_of(path: Path, frames: int) -> np.ndarray:
    """Bits of each of so many frames, shape (frames,). Where there are more packets than frames, some hold what is
    not shown by itself, and all are dealt out evenly. Raises OvrikError."""
    found = packets_of(path).packets
    if not found or frames < 1:
        return np.zeros(max(frames, 0))
    if all(p.shown is not None for p in found):
        found = tuple(sorted(found, key=lambda p: p.shown or 0))
    sizes = 8 * np.array([p.size for p in found], float)
    return np.bincount(np.arange(len(sizes)) * frames // len(sizes), sizes, frames)
