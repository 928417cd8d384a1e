"""Frames of a clip by number, for looking at and for independent checks."""

from collections.abc import Iterator
from fractions import Fraction
from pathlib import Path

import av
import numpy as np

from ovrik.errors import OvrikError
from ovrik.quality.decode.frame_index import first_frame, kept_index
from ovrik.quality.decode.open_clip import open_clip
from ovrik.quality.decode.pace import grid_of, pace_of
from ovrik.quality.viewing.screen import seen
from ovrik.study.clip.frame_access import BY_CONTAINER, COUNT, EARLY, UNTIMED
from ovrik.study.files.checksum import footage_checksum

SLOW = ("ffv1", "prores", "jpeg2000", "libopenjpeg")
"""Decoders that take longer for a frame than a copy of it does."""
NEAR = 24
"""Frames that are decoded through rather than sought over."""
SOON = 2
"""Frames that come by decoding on faster than by any other way."""
EARLY_S = 4
"""How far ahead one seeks where a seek only lands somewhere near."""


class FrameReader:
    """Random access to the frames of one file, by their numbers on its even grid (see `study.pace`). Not for use by
    two threads at once."""

    def __init__(self, path: Path, size: tuple[int, int] | None = None) -> None:
        """`size` (width, height) scales every frame; None keeps its own."""
        try:
            self._container = open_clip(path)
            self._path, self._size = path, size
            self._stream = first_frame(self._container, path)
            name = self._container.format.name.split(",")[0]
            self._untimed, self._method = name in UNTIMED, BY_CONTAINER.get(name, COUNT)
            self._stamps = self._shown()
            self.slow = self._stream.codec_context.name in SLOW
            self.aspect = float(self._stream.sample_aspect_ratio or 1) or 1.0
        except (av.error.FFmpegError, OSError, ValueError) as exc:
            raise OvrikError(f"{path} can't be opened ({exc})", "Check the file") from None
        self._index = {pts: n for n, pts in enumerate(self._stamps)}
        self._own = self._grid()
        self._decoded: Iterator[av.VideoFrame] = iter(())
        self._next: int | None = None

    def _shown(self) -> list[int]:
        """Stamps of the frames that are shown: without what an edit list hides, or what can't be decoded; as they
        were decoded, where that is on file and the container's own are guesses."""
        if self._method == COUNT and not self._untimed:
            known = kept_index(footage_checksum(self._path))
            if known and known.complete and len(known.stamps):
                return [int(s) for s in known.stamps]
        found, first = list[int](), None
        for packet in self._container.demux(self._stream):
            if not packet.size or packet.is_discard:
                continue
            if packet.pts is None:
                self._untimed = True
            found.append(packet.pts if packet.pts is not None else len(found))
        if not self._untimed:
            self._from_the_beginning()
            first = next((f.pts for f in self._decoded), None)
        return sorted({s for s in found if first is None or s >= first}) if not self._untimed else found

    def _grid(self) -> np.ndarray | None:
        """The file's own frame at each number of the grid; None where they are the same."""
        if self._untimed or len(self._stamps) < 2:
            return None
        s = self._stream
        stated = [Fraction(r) for r in (s.average_rate, s.base_rate, s.guessed_rate) if r]
        stamps, tick = np.array(self._stamps, np.int64), Fraction(s.time_base or 1)
        pace = pace_of(stamps, tick, stated, 0.0, "")
        return None if pace.constant else grid_of((stamps - stamps[0]) * float(tick), pace.rate, pace.frames)

    @property
    def count(self) -> int:
        """How many frames there are."""
        return len(self._stamps) if self._own is None else len(self._own)

    def near(self, number: int) -> bool:
        """Whether it is one of the next few to be decoded, so that it needs no seeking."""
        if not 0 <= number < self.count or self._next is None:
            return False
        own = number if self._own is None else int(self._own[number])
        return 0 <= own - self._next <= SOON

    def rgb(self, number: int) -> np.ndarray:
        """One frame as a player shows it, upright and with square pixels: 8-bit RGB, shape (height, width, 3).
        Raises OvrikError."""
        return upright_rgb(self.picture(number), self._size, self.aspect)

    def luma(self, number: int) -> np.ndarray:
        """The luma plane as stored, shape (height, width), in its own bit depth."""
        frame = self.picture(number)
        plane = frame.planes[0]
        wide = np.frombuffer(bytes(plane), "u1" if frame.format.components[0].bits == 8 else "<u2")
        return wide.reshape(plane.height, -1)[:, : plane.width].copy()

    def picture(self, number: int) -> av.VideoFrame:
        """One decoded frame. Raises OvrikError when there is no such frame."""
        if not 0 <= number < self.count:
            raise OvrikError(f"{self._path.name} has no frame {number}", "")
        own = number if self._own is None else int(self._own[number])
        if self._next is None or not self._next <= own <= self._next + NEAR:
            self._go_to(own)
        try:
            return self._read_on(own)
        except av.error.FFmpegError as exc:
            self._next = None
            raise OvrikError(
                f"{self._path.name} can't be decoded at frame {number} ({exc})", "Check it"
            ) from None

    def _read_on(self, own: int) -> av.VideoFrame:
        sought = self._next is None
        for frame in self._decoded:
            at = (self._next or 0) if self._counted else self._index.get(frame.pts or 0, -1)
            if sought and at > own:
                break
            sought, self._next = False, at + 1
            if at >= own:
                return frame
        if sought:
            # The seek landed behind what is wanted: only the beginning is certain then.
            self._from_the_beginning()
            return self._read_on(own)
        self._next = None
        raise OvrikError(f"{self._path.name} ends before frame {own}", "It may be cut off")

    @property
    def _counted(self) -> bool:
        """Whether the n-th frame that is decoded is frame n: what times such a file gives may be wrong by some."""
        return self._untimed or self._method == COUNT

    def _go_to(self, own: int) -> None:
        if self._counted:
            if self._next is None or own < self._next:
                self._from_the_beginning()
            return
        back = round(EARLY_S / Fraction(self._stream.time_base or 1)) if self._method == EARLY else 0
        self._container.seek(max(self._stamps[own] - back, 0), stream=self._stream, backward=True)
        self._decoded, self._next = self._container.decode(self._stream), None

    def _from_the_beginning(self) -> None:
        self._container.close()
        self._container = open_clip(self._path)
        self._stream = first_frame(self._container, self._path)
        self._decoded, self._next = self._container.decode(self._stream), 0

    def close(self) -> None:
        """Close the file."""
        self._container.close()


def upright_rgb(frame: av.VideoFrame, size: tuple[int, int] | None = None, aspect: float = 1.0) -> np.ndarray:
    """A frame as 8-bit RGB, shape (height, width, 3), turned as a player turns it, in the screen's colours. `aspect`
    is the shape of a stored pixel; the frame is made as wide as it is shown."""
    return np.ascontiguousarray(seen(frame, aspect, size).pixels[..., 2::-1])
