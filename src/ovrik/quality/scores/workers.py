"""Threads that work on frames side by side, and are left where they are when everybody is to stop."""

import os
from collections.abc import Callable, Sequence
from concurrent.futures import Future, ThreadPoolExecutor, wait
from typing import TypeVar

from ovrik.errors import Ask, Stopped

Made = TypeVar("Made")
ASKED_EVERY_S = 0.1


class Workers:
    """As many threads as there are cores, for the length of a block. A block that ends in an error does not wait for
    what they are at: a large frame takes longer than somebody who wants to stop should have to wait."""

    def __init__(self, should_stop: Ask = lambda: False) -> None:
        self._pool = ThreadPoolExecutor(os.cpu_count(), "frames")
        self._should_stop = should_stop

    def __enter__(self) -> "Workers":
        return self

    def __exit__(self, kind: object, *_more: object) -> None:
        self._pool.shutdown(wait=kind is None, cancel_futures=True)

    def begin(self, work: Callable[[], Made]) -> "Future[Made]":
        """Have it done; `ended` waits for it."""
        return self._pool.submit(work)

    def ended(self, begun: "Sequence[Future[Made]]") -> list[Made]:
        """What came of them all, in order. Raises what one of them raised, Stopped on request."""
        pending = set(begun)
        while pending:
            _done, pending = wait(pending, ASKED_EVERY_S)
            if self._should_stop():
                raise Stopped
        return [one.result() for one in begun]
