"""What each frame of a file takes: the sizes of its packets, in the order in which frames are shown."""

from pathlib import Path

import av
import numpy as np

from ovrik.errors import OvrikError
from ovrik.study.clip_file import open_clip
from ovrik.study.frame_index import first_frame


def bits_of(path: Path, frames: int) -> np.ndarray:
    """Bits of each of so many frames, shape (frames,). Where there are more packets than frames, some
    hold what is not shown by itself, and all are dealt out evenly.
    Raises OvrikError."""
    try:
        with open_clip(path) as box:
            stream = first_frame(box, path)
            found = [(p.pts, 8 * p.size) for p in box.demux(stream) if p.size]
    except (av.error.FFmpegError, OSError, ValueError) as exc:
        raise OvrikError(f"{path.name} can't be read ({exc})", "Check the file") from None
    if not found or frames < 1:
        return np.zeros(max(frames, 0))
    if any(stamp is None for stamp, _size in found):
        found = list(enumerate(size for _stamp, size in found))
    found.sort(key=lambda f: f[0] or 0)
    sizes = np.array([size for _stamp, size in found], float)
    places = np.arange(len(sizes)) * frames // len(sizes)
    return np.bincount(places, sizes, frames)
