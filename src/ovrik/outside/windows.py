"""Windows on an X11 desktop and their titles, by the properties that window managers keep (Extended Window Manager
Hints 1.5)."""

import math
import re
import select
import threading
import time
from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager
from dataclasses import dataclass

from Xlib import X
from Xlib.display import Display
from Xlib.error import ConnectionClosedError, DisplayError, XError
from Xlib.xobject.drawable import Window as Drawable

TROUBLE = (XError, DisplayError, ConnectionClosedError, OSError, ValueError)
"""What a desktop without an X server, or one that may not be asked, comes to."""
LOOK_S, REST_S = 0.05, 0.5
"""Windows are looked at no more often than the first, when something was said of them, and as often as the second
otherwise."""
MOST_KEPT = 20_000
PROGRESS = re.compile(r"(?<![\d.,])(\d{1,3})(?:[.,]\d+)?\s?%")


@dataclass(frozen=True)
class Window:
    """Fields: `number` of the window; `pid` of its program, 0 unknown; `title`."""

    number: int
    pid: int
    title: str


@dataclass(frozen=True)
class Titled:
    """A window's title from a moment on. Fields: `at` on the monotonic clock, minus infinity for what was there from
    the beginning; the `window`'s number; `pid` of its
    program; `title`, None from when it was gone."""

    at: float
    window: int
    pid: int
    title: str | None


def windows() -> list[Window]:
    """All that have a title; none where there is no X server, or one that does not answer."""
    try:
        with _connected() as display:
            return [w for w in _windows(display) if w.title]
    except TROUBLE:
        return []


@contextmanager
def _connected() -> Iterator[Display]:
    display = Display()
    try:
        yield display
    finally:
        display.close()


def _windows(display: Display) -> list[Window]:
    out = []
    for window in _tops(display):
        try:
            title = window.get_full_text_property(display.intern_atom("_NET_WM_NAME")) or window.get_wm_name()
            found = window.get_full_property(display.intern_atom("_NET_WM_PID"), X.AnyPropertyType)
        except TROUBLE:
            continue  # it has gone since
        out.append(Window(window.id, int(found.value[0]) if found else 0, _text(title or "")))
    return out


def _text(title: str | bytes) -> str:
    return title.decode(errors="replace") if isinstance(title, bytes) else title


def _tops(display: Display) -> list[Drawable]:
    """Windows that a window manager keeps, or, without one, that lie on the desktop itself."""
    root = display.screen().root
    kept = root.get_full_property(display.intern_atom("_NET_CLIENT_LIST"), X.AnyPropertyType)
    if kept:
        return [display.create_resource_object("window", number) for number in kept.value]
    return list(root.query_tree().children)


class WindowTitles:
    """Keeps how the titles of all windows change, in a thread of its own, until it is stopped. `seen`, the changes,
    the oldest first."""

    def __init__(self) -> None:
        self.seen: list[Titled] = []
        self._over = threading.Event()
        self._thread = threading.Thread(target=self._go, name="window titles", daemon=True)

    def start(self) -> None:
        """Begin."""
        self._thread.start()

    def stop(self) -> None:
        """End."""
        self._over.set()
        self._thread.join(2)

    def _go(self) -> None:
        try:
            with _connected() as display:
                self._watch(display)
        except TROUBLE:
            return

    def _watch(self, display: Display) -> None:
        display.screen().root.change_attributes(event_mask=X.PropertyChangeMask | X.SubstructureNotifyMask)
        known: dict[int, Window] | None = None
        while not self._over.is_set():
            before, known = known, self._looked(known, _windows(display))
            for number in known:
                # To be told when one is named anew; somebody else's window may be gone by now.
                display.create_resource_object("window", number).change_attributes(
                    event_mask=X.PropertyChangeMask, onerror=lambda *_e: None
                )
            display.sync()
            self._over.wait(LOOK_S)
            # What was said of a window before it was known that there is one went unheard.
            _spoken_to(display, REST_S if before == known else LOOK_S)

    def _looked(self, before: dict[int, Window] | None, now: Sequence[Window]) -> dict[int, Window]:
        at = -math.inf if before is None else time.monotonic()
        found, before = {w.number: w for w in now}, before or {}
        if len(self.seen) < MOST_KEPT:
            self.seen += [Titled(at, w.number, w.pid, None) for n, w in before.items() if n not in found]
            self.seen += [Titled(at, w.number, w.pid, w.title) for w in now if before.get(w.number) != w]
        return found


def _spoken_to(display: Display, most_s: float) -> None:
    """Wait until the server says something, or so long; what it says is that there is something to be looked at."""
    if not display.pending_events():
        select.select([display.fileno()], [], [], most_s)
    while display.pending_events():
        display.next_event()


def progress_shown(
    seen: Sequence[Titled], mine: Callable[[int], bool], since: float, by: float, ended: float
) -> float | None:
    """Since when a program's window has shown a share done that grew, and still did `by` a moment: the export that
    had `ended` then was under way. None where none did; a share that stays as it is may be anything, the size of a
    picture too."""
    begun = []
    for number in dict.fromkeys(t.window for t in seen):
        shares = [
            (t.at, _share(t.title)) for t in seen if t.window == number and t.at <= ended and mine(t.pid)
        ]
        begun += [at for at, to in _climbs(shares) if since <= at <= by <= to]
    return min(begun, default=None)


def _share(title: str | None) -> int | None:
    found = PROGRESS.search(title or "")
    return int(found[1]) if found and int(found[1]) <= 100 else None


def _climbs(shares: Sequence[tuple[float, int | None]]) -> list[tuple[float, float]]:
    """From when to when each unbroken climb went that grew at all; one that goes on has no end."""
    out, began, first, last = list[tuple[float, float]](), 0.0, 0, None
    for at, share in [*shares, (math.inf, None)]:
        if last is not None and (share is None or share < last):
            out += [(began, at)] if last > first else []
            last = None
        if share is None:
            continue
        if last is None:
            began, first = at, share
        last = share
    return out
