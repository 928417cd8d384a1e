"""Builds asked side by side, and not waited for longer than a look at a study may take."""

import threading
import time
from collections.abc import Iterable, Sequence
from dataclasses import replace

from ovrik.machine.builds.build import Build
from ovrik.work.lineup.able import build_of

WAIT_S = 1.5
"""A build answers within a fraction of that; one that hangs is asked for far longer."""
LATE = Build("", "", "", "", (), (), problem="It has not answered yet", remedy="It is still being asked")


class AskedBuilds:
    """Asks builds, each in a thread of its own, one that is still being asked not again."""

    def __init__(self, wait_s: float = WAIT_S) -> None:
        self._wait_s = wait_s
        self._asking: dict[str, threading.Thread] = {}
        self._found: dict[str, Build] = {}

    def soon(self, keys: Iterable[str]) -> dict[str, Build]:
        """Builds by key; those that do not answer within the wait carry a problem that says so."""
        wanted = list(dict.fromkeys(keys))
        for key in wanted:
            if not self._is_asked(key):
                self._found.pop(key, None)
                self._asking[key] = threading.Thread(target=self._ask, args=(key,), daemon=True)
                self._asking[key].start()
        self._join(wanted, self._wait_s)
        return {key: self._found.get(key) or replace(LATE, key=key) for key in wanted}

    def late(self) -> list[str]:
        """Keys of those that are still being asked."""
        return [key for key in self._asking if self._is_asked(key)]

    def wait(self, most_s: float) -> None:
        """Until all have answered, or for so many seconds."""
        self._join(self.late(), most_s)

    def _join(self, keys: Sequence[str], most_s: float) -> None:
        until = time.monotonic() + most_s
        for key in keys:
            self._asking[key].join(max(0.0, until - time.monotonic()))

    def _is_asked(self, key: str) -> bool:
        return key in self._asking and self._asking[key].is_alive()

    def _ask(self, key: str) -> None:
        self._found[key] = build_of(key)
