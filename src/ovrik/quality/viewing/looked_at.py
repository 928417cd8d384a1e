"""Frames of one file for looking at: as the screen shows them, any of them soon."""

from collections.abc import Iterator
from pathlib import Path

import av

from ovrik.quality.viewing.frames import FrameReader
from ovrik.quality.viewing.intra_copy import RATE, copy_path
from ovrik.quality.viewing.screen import Seen, seen


class LookedAt:
    """Random access to the frames of one file; out of its intra-only copy as soon as there is one. Not for use by two
    threads at once."""

    def __init__(self, path: Path) -> None:
        """Open it. Raises OvrikError."""
        self._own, self._path = FrameReader(path), path
        self._first: av.VideoFrame | None = None
        self._copy: av.container.InputContainer | None = None
        self._coming: Iterator[av.VideoFrame] = iter(())
        self._next = -2

    @property
    def count(self) -> int:
        """How many frames there are."""
        return self._own.count

    def seen(self, number: int) -> Seen:
        """One frame. Raises OvrikError when there is no such frame."""
        return seen(self.frame(number), self._own.aspect)

    def frame(self, number: int) -> av.VideoFrame:
        """The decoded frame itself, tagged as the file is."""
        if self._first is None:
            self._first = self._own.picture(0)
        if not self._own.slow and self._own.near(number):
            return self._own.picture(number)
        copied = self._from_copy(number)
        if copied is None:
            return self._own.picture(number)
        first = self._first
        copied.colorspace, copied.color_range = first.colorspace, first.color_range
        copied.color_trc, copied.color_primaries = first.color_trc, first.color_primaries
        return copied

    def _from_copy(self, number: int) -> av.VideoFrame | None:
        """None where there is no copy, or it can't serve: what is turned in the file is not turned in its copy."""
        if not 0 <= number < self.count or (self._first and self._first.rotation):
            return None
        try:
            if self._copy is None:
                path = copy_path(self._path)
                if not path.exists():
                    return None
                self._copy = av.open(str(path))
                self._copy.streams.video[0].thread_type = "SLICE"
            stream = self._copy.streams.video[0]
            if not self._next <= number <= self._next + 1:
                self._copy.seek(round(number / RATE / (stream.time_base or 1)), stream=stream)
                self._coming = self._copy.decode(stream)
            for frame in self._coming:
                self._next = round(float(frame.time or 0) * RATE) + 1
                if self._next == number + 1:
                    return frame
        except (av.error.FFmpegError, OSError, ValueError):
            pass  # a damaged copy is as good as none
        self._next = -2
        return None

    def close(self) -> None:
        """Close the files."""
        self._own.close()
        if self._copy is not None:
            self._copy.close()
