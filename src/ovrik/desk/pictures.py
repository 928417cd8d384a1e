"""Pictures decoded off the interface thread; only the newest wishes are worked on."""

import threading
from collections import OrderedDict
from pathlib import Path
from typing import TYPE_CHECKING

import numpy as np
from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtGui import QImage

from ovrik.errors import OvrikError
from ovrik.log import note

if TYPE_CHECKING:
    from ovrik.quality.frames import FrameReader

KEPT = 48
READERS = 4


def image_of(pixels: np.ndarray) -> QImage:
    """8-bit RGB of shape (height, width, 3) as a picture with memory of its own."""
    height, width, _ = pixels.shape
    image = QImage(pixels.tobytes(), width, height, 3 * width, QImage.Format.Format_RGB888)
    return image.copy()  # the bytes above are gone after this line


class Pictures(QObject):
    """Gives `ready(path, frame, image)` for what was wished, or `failed(path, words)`."""

    ready = pyqtSignal(str, int, QImage)
    failed = pyqtSignal(str, str)

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._kept: OrderedDict[tuple[str, int], QImage] = OrderedDict()
        self._readers: OrderedDict[str, FrameReader] = OrderedDict()
        self._requests: OrderedDict[str, int] = OrderedDict()
        self._wake = threading.Condition()
        self._over = False
        self._thread: threading.Thread | None = None

    def kept(self, path: Path, frame: int) -> QImage | None:
        """The picture if it is at hand; else None, and it is wished for."""
        found = self._kept.get((str(path), frame))
        if found is None:
            self._request(str(path), frame)
        return found

    def _request(self, path: str, frame: int) -> None:
        with self._wake:
            self._requests[path] = frame
            self._requests.move_to_end(path)
            if self._thread is None:
                self._thread = threading.Thread(target=self._work, name="pictures", daemon=True)
                self._thread.start()
            self._wake.notify()

    def forget(self) -> None:
        """Files may have changed: read them anew."""
        with self._wake:
            self._kept.clear()
            self._requests["\0forget"] = 0
            self._wake.notify()

    def close(self) -> None:
        """End the thread."""
        with self._wake:
            self._over = True
            self._wake.notify()
            thread = self._thread
        if thread:
            thread.join(5)

    def _work(self) -> None:
        while True:
            with self._wake:
                while not self._requests and not self._over:
                    self._wake.wait()
                if self._over:
                    break
                path, frame = self._requests.popitem()
            if path == "\0forget":
                self._let_go()
                continue
            try:
                image = self._decode(path, frame)
            except OvrikError as exc:
                self.failed.emit(path, str(exc))
                continue
            except Exception as exc:  # a file from elsewhere must not end the viewer
                self.failed.emit(path, note(exc))
                continue
            with self._wake:
                self._kept[path, frame] = image
                while len(self._kept) > KEPT:
                    self._kept.popitem(last=False)
            self.ready.emit(path, frame, image)
        self._let_go()

    def _decode(self, path: str, frame: int) -> QImage:
        from ovrik.quality.frames import FrameReader  # only when there is something to be shown

        reader = self._readers.get(path) or FrameReader(Path(path))
        self._readers[path] = reader
        self._readers.move_to_end(path)
        while len(self._readers) > READERS:
            self._readers.popitem(last=False)[1].close()
        pixels = reader.rgb(frame)
        return image_of(pixels)

    def _let_go(self) -> None:
        for reader in self._readers.values():
            reader.close()
        self._readers.clear()
