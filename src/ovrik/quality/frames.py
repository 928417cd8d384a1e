"""Pictures of a clip by frame number, for looking at and for independent checks."""

from collections.abc import Iterator
from pathlib import Path

import av
import numpy as np

from ovrik.errors import OvrikError

NEAR = 24
"""Frames that are decoded through rather than sought over."""


class FrameReader:
    """Random access to the pictures of one file. Not for use by two threads at once."""

    def __init__(self, path: Path, size: tuple[int, int] | None = None) -> None:
        """`size` (width, height) scales every picture; None keeps its own."""
        try:
            self._container = av.open(str(path))
        except (av.error.FFmpegError, OSError) as exc:
            raise OvrikError(f"{path} can't be opened ({exc})", "Check the file") from None
        self._path = path
        self._size = size
        self._stream = self._container.streams.video[0]
        self._stream.thread_type = "AUTO"
        stamps = {p.pts for p in self._container.demux(self._stream) if p.pts is not None}
        self._stamps = sorted(stamps)
        self._index = {pts: n for n, pts in enumerate(self._stamps)}
        self._decoded: Iterator[av.VideoFrame] = iter(())
        self._next: int | None = None

    @property
    def count(self) -> int:
        """How many pictures there are."""
        return len(self._stamps)

    def rgb(self, number: int) -> np.ndarray:
        """One picture as 8-bit RGB, shape (height, width, 3). Raises OvrikError."""
        return self._rgb(self.picture(number))

    def luma(self, number: int) -> np.ndarray:
        """The luma plane as stored, shape (height, width), in its own bit depth."""
        frame = self.picture(number)
        plane = frame.planes[0]
        wide = np.frombuffer(bytes(plane), "u1" if frame.format.components[0].bits == 8 else "<u2")
        return wide.reshape(plane.height, -1)[:, : plane.width].copy()

    def _rgb(self, frame: av.VideoFrame) -> np.ndarray:
        width, height = self._size or (frame.width, frame.height)
        return frame.reformat(width=width, height=height, format="rgb24").to_ndarray()

    def picture(self, number: int) -> av.VideoFrame:
        """One decoded picture. Raises OvrikError when there is no such picture."""
        if not 0 <= number < len(self._stamps):
            raise OvrikError(f"{self._path.name} has no frame {number}", "")
        if self._next is None or not self._next <= number <= self._next + NEAR:
            self._container.seek(self._stamps[number], stream=self._stream, backward=True)
            self._decoded = self._container.decode(self._stream)
        for frame in self._decoded:
            at = self._index.get(frame.pts or 0, -1)
            self._next = at + 1
            if at >= number:
                return frame
        self._next = None
        raise OvrikError(f"{self._path.name} ends before frame {number}", "It may be cut off")

    def close(self) -> None:
        """Close the file."""
        self._container.close()
