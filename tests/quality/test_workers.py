"""Threads that work on frames: everything is waited for, but for who stops."""

import threading
import time

import pytest

from ovrik.errors import OvrikError, Stopped
from ovrik.quality.scores.workers import Workers


def test_all_is_done_in_order_and_an_error_is_raised() -> None:
    with Workers() as workers:
        assert workers.ended([workers.begin(lambda n=n: n * n) for n in range(20)]) == [
            n * n for n in range(20)
        ]  # type: ignore[misc]

    def fails() -> None:
        raise OvrikError("no frame", "")

    with pytest.raises(OvrikError, match="no frame"), Workers() as workers:
        workers.ended([workers.begin(fails)])


def test_who_stops_waits_for_no_frame() -> None:
    hold, stopped = threading.Event(), threading.Event()
    began = time.monotonic()
    begun = []

    def stopped_in_mid_frame() -> None:
        with Workers(stopped.is_set) as workers:
            begun.append(workers.begin(lambda: hold.wait(60)))
            stopped.set()
            workers.ended(begun)

    with pytest.raises(Stopped):
        stopped_in_mid_frame()
    assert not begun[0].done()
    assert time.monotonic() - began < 30
    hold.set()
    assert begun[0].result(timeout=60)
