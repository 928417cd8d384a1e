"""Decoded frames of a file, handed on to the program that scores them, so that nothing is decoded twice."""

import contextlib
import fcntl
import os
import threading
from collections.abc import Sequence
from dataclasses import dataclass
from fractions import Fraction
from queue import Empty, Full, Queue

import av
import numpy as np

from ovrik.quality.scores.planes import BARE
from ovrik.study.clip.footage import Footage

WAITING_BYTES, FEWEST, MOST = 192_000_000, 3, 24
"""Of all frames that wait for the program together, and how many of one file do at the least and at the most."""
ASKED_EVERY_S = 0.1
PIPE_BYTES = 1 << 20
EXACT = frozenset({"h264", "hevc", "av1", "vp9", "ffv1", "utvideo", "huffyuv", "ffvhuff"})
"""Codecs whose standard says every bit of a decoded frame, so that it is no matter who decodes it."""


@dataclass(frozen=True)
class Shape:
    """What all frames are like. Fields: `width` and `height`; `pixel_format`; `rate`."""

    width: int
    height: int
    pixel_format: str
    rate: Fraction

    @property
    def samples(self) -> int:
        """Bytes of one sample."""
        return 2 if self.pixel_format.endswith("le") else 1

    @property
    def bytes(self) -> int:
        """Of one frame, at the most."""
        return 3 * self.width * self.height * self.samples


def shape_of(clip: Footage) -> Shape | None:
    """What a clip's frames are like; None where they can't be handed on as they are decoded."""
    able = clip.codec in EXACT and BARE.fullmatch(clip.pixel_format) and not clip.rotation
    return Shape(clip.width, clip.height, clip.pixel_format, clip.rate) if able else None


BESIDE = 3
"""Of a sample, frames that are handed on for each that is measured: it, and those before and after it."""


class Feed:
    """The frames of one file on their way to a program. `give` hands one on, `end` says that it was the last; both
    wait where the program is behind, until it is gone.

    Attributes: `read_end`, the pipe that the program inherits; `every` n-th frame is to be measured: of a sample the
    others stay here, but for the neighbours of those, which motion is told from. So the program has every `BESIDE`-th
    to measure, from the first on."""

    def __init__(self, shape: Shape, files: int, every: int = 1) -> None:
        self.shape, self.every = shape, every
        self._count = 0
        most = min(max(WAITING_BYTES // (shape.bytes * max(files, 1)), FEWEST), MOST)
        self._waiting: Queue[av.VideoFrame | None] = Queue(most)
        self._over = threading.Event()
        self._given = 0
        self.read_end, self._write_end = os.pipe()
        with contextlib.suppress(OSError):  # in larger pieces both sides wake up less often
            fcntl.fcntl(self._write_end, fcntl.F_SETPIPE_SZ, PIPE_BYTES)
        self._readable = True
        self._thread = threading.Thread(target=self._pass_on, name="feed", daemon=True)
        self._thread.start()

    @property
    def arguments(self) -> list[str]:
        """What says to the program how to read it."""
        s = self.shape
        what = ("-f", "rawvideo", "-pixel_format", s.pixel_format, "-video_size", f"{s.width}x{s.height}")
        soon = ("-framerate", str(s.rate), "-probesize", "32", "-analyzeduration", "0")
        return [*what, *soon, "-protocol_whitelist", "pipe", "-i", f"pipe:{self.read_end}"]

    def give(self, frame: av.VideoFrame) -> None:
        """Hand on the next one. One of another shape ends it all: the program is to be given whole files or none."""
        s = self.shape
        if (frame.width, frame.height, frame.format.name) != (s.width, s.height, s.pixel_format):
            self.drop()
        if self.wants(self._count):
            self._put(frame)
        self._count += 1

    def wants(self, number: int) -> bool:
        """Whether the program gets this one, counted from 0."""
        return self.every <= BESIDE or (number + 1) % self.every < BESIDE

    def pass_over(self) -> None:
        """The next one is not wanted, and was not decoded."""
        self._count += 1

    def end(self) -> None:
        """There are no more."""
        self._put(None)

    def drop(self) -> None:
        """Hand on nothing any more."""
        self._over.set()

    def close(self) -> None:
        """The same, and for good."""
        self.drop()
        self.inherited()

    def inherited(self) -> None:
        """The program has its end, or will have none: when it goes, nobody reads."""
        if self._readable:
            self._readable = False
            os.close(self.read_end)

    def fed(self, frames: int) -> int:
        """How many of so many frames are handed on."""
        return sum(self.wants(number) for number in range(frames))

    def given(self) -> int:
        """How many frames went to the program, whole. Asked when it has ended: no more will."""
        self.drop()
        self._thread.join()
        return self._given

    def _put(self, frame: av.VideoFrame | None) -> None:
        while not self._over.is_set():
            with contextlib.suppress(Full):
                self._waiting.put(frame, timeout=ASKED_EVERY_S)
                return

    def _pass_on(self) -> None:
        try:
            while (frame := self._next()) is not None:
                for plane in _rows(frame, self.shape.samples):
                    _written(self._write_end, plane)
                self._given += 1
        except OSError:
            self.drop()  # nobody reads
        finally:
            os.close(self._write_end)
            self._over.set()

    def _next(self) -> av.VideoFrame | None:
        while not self._over.is_set():
            with contextlib.suppress(Empty):
                return self._waiting.get(timeout=ASKED_EVERY_S)
        return None


def _rows(frame: av.VideoFrame, sample: int) -> Sequence[np.ndarray]:
    """The planes, row after row without padding."""
    return [
        np.ascontiguousarray(
            np.frombuffer(memoryview(plane), "u1").reshape(plane.height, -1)[:, : plane.width * sample]
        )
        for plane in frame.planes
    ]


def _written(where: int, plane: np.ndarray) -> None:
    left = plane.reshape(-1).data
    while left:
        left = left[os.write(where, left) :]
