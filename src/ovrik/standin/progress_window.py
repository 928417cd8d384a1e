"""A window whose title says how far an export has come, as the stand-in program shows one where there is an X
server."""

import os
import threading
import time
from types import TracebackType

from Xlib import X, Xatom
from Xlib.display import Display
from Xlib.error import DisplayError, XError

TITLE = "Exporting {} %"
STEP_S = 0.2


class ProgressWindow:
    """For the length of a block. The share grows as time goes by, since nobody knows better."""

    def __init__(self, about_s: float) -> None:
        self._about_s, self._over = about_s, threading.Event()
        self._thread = threading.Thread(target=self._go, daemon=True)

    def __enter__(self) -> "ProgressWindow":
        self._thread.start()
        return self

    def __exit__(
        self, kind: type[BaseException] | None, exc: BaseException | None, trace: TracebackType | None
    ) -> None:
        self._over.set()
        self._thread.join(2)

    def _go(self) -> None:
        try:
            display = Display()
        except (DisplayError, XError, OSError):
            return
        screen = display.screen()
        window = screen.root.create_window(0, 0, 320, 80, 0, screen.root_depth, X.InputOutput)
        pid = display.intern_atom("_NET_WM_PID")
        window.change_property(pid, Xatom.CARDINAL, 32, [os.getpid()])
        window.map()
        began = time.monotonic()
        while True:
            share = min((time.monotonic() - began) / self._about_s, 0.99)
            title = TITLE.format(int(100 * share)).encode()
            window.change_property(
                display.intern_atom("_NET_WM_NAME"), display.intern_atom("UTF8_STRING"), 8, title
            )
            display.flush()
            if self._over.wait(STEP_S):
                break
        window.destroy()
        display.close()
