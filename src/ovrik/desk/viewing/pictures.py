"""Frames decoded off the interface thread: the newest wishes first, then those that come next."""

import contextlib
import threading
from collections import OrderedDict
from collections.abc import Iterable
from pathlib import Path
from typing import TYPE_CHECKING, Any

import numpy as np
from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtGui import QImage

from ovrik.errors import Ask, OvrikError, Stopped
from ovrik.log import note

if TYPE_CHECKING:
    from ovrik.quality.viewing.looked_at import LookedAt
    from ovrik.quality.viewing.screen import Seen

MOST_BYTES = 400_000_000
"""Memory for decoded frames."""
READERS, WORKERS = 6, 2
RETRY_S = 0.5

PicturePlace = tuple[str, int]


def image_of(pixels: np.ndarray) -> QImage:
    """8-bit RGB of shape (height, width, 3), or B, G, R and filler of shape (height, width, 4), as a picture with
    memory of its own."""
    height, width, depth = pixels.shape
    kind = QImage.Format.Format_RGB888 if depth == 3 else QImage.Format.Format_RGB32
    whole: Any = np.ascontiguousarray(pixels).data
    return QImage(whole, width, height, depth * width, kind).copy()  # the array may be gone after this line


class Pictures(QObject):
    """Gives `ready(path, frame, image)` for what was wished, or `failed(path, words)`."""

    ready = pyqtSignal(str, int, QImage)
    failed = pyqtSignal(str, str)

    def __init__(self, parent: QObject | None = None, busy: Ask = lambda: False) -> None:
        """`busy` says whether something is being timed or scored, so that nothing but what is wished may be done."""
        super().__init__(parent)
        self._busy = busy
        self._kept: OrderedDict[PicturePlace, tuple[QImage, Seen]] = OrderedDict()
        self._bytes = 0
        self._readers: OrderedDict[str, LookedAt] = OrderedDict()
        self._wishes: OrderedDict[str, int] = OrderedDict()
        self._ahead: list[PicturePlace] = []
        self._at_work: set[str] = set()
        self._copies: list[str] = []
        self._copied: set[str] = set()
        self._wake = threading.Condition()
        self._edition = 0
        self._over = False
        self._threads: list[threading.Thread] = []

    # What is asked for, in the interface thread

    def kept(self, path: Path, frame: int) -> QImage | None:
        """The picture if it is at hand; else None, and it is wished for."""
        found = self._kept.get((str(path), frame))
        if found is None:
            self._wish(str(path), frame)
            return None
        return found[0]

    def at_hand(self, path: Path, frame: int) -> "tuple[QImage, Seen] | None":
        """The picture and what it was made from, if it is there; it is not wished for."""
        return self._kept.get((str(path), frame))

    def room(self, files: int) -> int:
        """How many frames of each of so many files fit into the memory there is, by the one that came last."""
        with self._wake:
            last = next(reversed(self._kept.values()), None)
        return int(MOST_BYTES / max(1, files) / _size(last)) if last else 1

    def ahead(self, places: Iterable[tuple[Path, int]]) -> None:
        """What will be wanted next, the soonest first; in place of what was said before. Nothing while something is
        timed: what nobody has asked for must not disturb it."""
        with self._wake:
            self._ahead = (
                []
                if self._busy()
                else [p for p in ((str(path), n) for path, n in places) if p not in self._kept]
            )
            self._start()
            self._wake.notify_all()

    def copy_soon(self, path: Path) -> None:
        """Have a copy made of what is looked at, in which each frame stands alone, while nothing is timed."""
        if str(path) in self._copied:
            return
        with self._wake:
            self._copied.add(str(path))
            self._copies.append(str(path))
            self._start()
            self._wake.notify_all()

    def _wish(self, path: str, frame: int) -> None:
        with self._wake:
            self._wishes[path] = frame
            self._wishes.move_to_end(path)
            self._start()
            self._wake.notify_all()

    def _start(self) -> None:
        if self._threads or self._over:
            return
        targets = [self._work] * WORKERS + [self._copy]
        self._threads = [threading.Thread(target=t, name="pictures", daemon=True) for t in targets]
        for thread in self._threads:
            thread.start()

    def let_go(self) -> None:
        """Keep no decoded frame any longer; the files are the same."""
        with self._wake:
            self._kept.clear()
            self._bytes = 0

    def forget(self) -> None:
        """Files may have changed: read them anew."""
        with self._wake:
            self._kept.clear()
            self._bytes = 0
            self._ahead.clear()
            self._copies.clear()
            self._copied.clear()
            self._edition += 1
            self._wake.notify_all()

    def close(self) -> None:
        """End the threads."""
        with self._wake:
            self._over = True
            self._wake.notify_all()
        for thread in self._threads:
            thread.join(5)
        for reader in self._readers.values():
            reader.close()
        self._readers.clear()

    # The work, in threads of its own

    def _work(self) -> None:
        while True:
            with self._wake:
                while not self._over and (task := self._next()) is None:
                    self._wake.wait()
                if self._over or task is None:
                    return
                (path, frame), wished = task
                self._at_work.add(path)
                edition = self._edition
            try:
                made = self._decoded(path, frame, edition)
            except OvrikError as exc:
                made, trouble = None, str(exc)
            except Exception as exc:  # a file from elsewhere must not end the viewer
                made, trouble = None, note(exc)
            with self._wake:
                self._at_work.discard(path)
                if made and edition == self._edition:
                    self._keep((path, frame), made)
                self._wake.notify_all()
            with contextlib.suppress(RuntimeError):  # the window is gone, and this object with it
                if made:
                    self.ready.emit(path, frame, made[0])
                elif wished:
                    self.failed.emit(path, trouble)

    def _next(self) -> tuple[PicturePlace, bool] | None:
        """The newest wish, else what comes next, of a file that no thread is at; and whether it was a wish."""
        for path in reversed(self._wishes):
            if path not in self._at_work:
                return (path, self._wishes.pop(path)), True
        for at, place in enumerate(self._ahead):
            if place[0] not in self._at_work:
                del self._ahead[at]
                if place not in self._kept:
                    return place, False
                return self._next()
        return None

    def _decoded(self, path: str, frame: int, edition: int) -> "tuple[QImage, Seen]":
        from ovrik.quality.viewing.looked_at import LookedAt

        with self._wake:
            key = f"{edition}|{path}"
            reader = self._readers.pop(key, None)
            stale = [k for k in self._readers if not k.startswith(f"{edition}|")]
            gone = [self._readers.pop(k) for k in stale if k.split("|", 1)[1] not in self._at_work]
        for old in gone:
            old.close()
        reader = reader or LookedAt(Path(path))
        try:
            found = reader.seen(frame)
        finally:
            with self._wake:
                self._readers[key] = reader
                while len(self._readers) > READERS:
                    self._readers.popitem(last=False)[1].close()
        return image_of(found.pixels), found

    def _keep(self, place: PicturePlace, made: "tuple[QImage, Seen]") -> None:
        self._kept[place] = made
        self._bytes += _size(made)
        while self._bytes > MOST_BYTES and len(self._kept) > 2:
            self._bytes -= _size(self._kept.popitem(last=False)[1])

    def _copy(self) -> None:
        """Copies of what is looked at, while nothing is timed."""
        while True:
            with self._wake:
                while not self._over and not self._copies:
                    self._wake.wait()
                if self._over:
                    return
                if self._busy():
                    self._wake.wait(RETRY_S)
                    continue
                path = self._copies.pop(0)
            try:
                self._copy_of(Path(path))
            except Stopped:
                with self._wake:
                    self._copies.append(path)
            except Exception as exc:  # the file itself is looked at then
                note(exc)

    def _copy_of(self, path: Path) -> None:
        from ovrik.quality.viewing.intra_copy import make_copy, worth_it

        if worth_it(path):
            make_copy(path, lambda: self._over or self._busy())


def _size(made: "tuple[QImage, Seen]") -> int:
    return made[0].sizeInBytes() + made[1].bytes
