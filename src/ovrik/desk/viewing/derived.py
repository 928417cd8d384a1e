"""Pictures that are worked out from two frames, off the interface thread: what differs, and where losses lie."""

import threading
from collections.abc import Callable
from typing import TYPE_CHECKING, Any

import numpy as np
from PyQt6.QtCore import QObject, pyqtSignal

from ovrik.desk.viewing.pictures import image_of
from ovrik.log import note

if TYPE_CHECKING:
    from ovrik.quality.viewing.screen import Seen


class Derived(QObject):
    """Works on the newest request only. Signal: `ready` with the request's key and what came of it, an image or a
    map."""

    ready = pyqtSignal(object, object)

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._wake = threading.Condition()
        self._request: tuple[object, Callable[[], Any]] | None = None
        self._over = False
        self._thread: threading.Thread | None = None
        self._kept: tuple[object, object] = (None, None)

    def kept(self, key: object) -> object:
        """What came of the last request, if it was this one."""
        return self._kept[1] if self._kept[0] == key else None

    def difference(self, key: object, one: "Seen", other: "Seen", gain: int) -> None:
        """Ask for what differs; sizes that differ can't be taken from one another."""
        if one.pixels.shape == other.pixels.shape:
            from ovrik.quality.viewing.screen import difference

            self._ask(key, lambda: image_of(difference(one.pixels, other.pixels, gain)))

    def loss(self, key: object, make: Callable[[], np.ndarray]) -> None:
        """Ask for a map of strength, 0 to 1."""
        self._ask(key, make)

    def _ask(self, key: object, make: Callable[[], Any]) -> None:
        with self._wake:
            self._request = (key, make)
            if self._thread is None:
                self._thread = threading.Thread(target=self._work, name="derived", daemon=True)
                self._thread.start()
            self._wake.notify()

    def _work(self) -> None:
        while True:
            with self._wake:
                while self._request is None and not self._over:
                    self._wake.wait()
                if self._over or self._request is None:
                    return
                (key, make), self._request = self._request, None
            try:
                made = make()
            except Exception as exc:  # no map is no reason to end the viewer
                note(exc)
                continue
            self._kept = (key, made)
            try:
                self.ready.emit(key, made)
            except RuntimeError:
                return  # the page that asked is gone

    def close(self) -> None:
        """End the thread."""
        with self._wake:
            self._over = True
            self._wake.notify()
        if self._thread:
            self._thread.join(5)
