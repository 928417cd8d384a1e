"""Frames in another size or format, one after another, by a converter that is kept: to set one up for each frame
takes many times as long as a small frame itself."""

import threading

import av
from av.video.reformatter import Interpolation, VideoReformatter

MOST = 8
"""Converters that a thread keeps."""
_kept = threading.local()


def converted(
    frame: av.VideoFrame,
    width: int,
    height: int,
    pixel_format: str,
    how: Interpolation = Interpolation.BILINEAR,
) -> av.VideoFrame:
    """The frame in this size, pixels, and format. The same as `frame.reformat`, in one thread: what wants frames one
    after another has others to do meanwhile."""
    by: dict[tuple[object, ...], VideoReformatter] = _kept.__dict__.setdefault("by", {})
    use = (width, height, pixel_format, how)
    if use not in by:
        if len(by) >= MOST:
            by.clear()
        by[use] = VideoReformatter()
    return by[use].reformat(frame, width, height, pixel_format, interpolation=how, threads=1)
