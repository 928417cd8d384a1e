"""A row of a trace, from two readings of running totals."""

import os

import pytest

from ovrik.export.run.trace import TraceWatcher
from ovrik.machine.sensors.load import Counters
from ovrik.machine.sensors.process_tree import TreeUse

FIRST = Counters(100.0, (10.0, 20.0), 0.0, 5_000_000, 7_000_000, 0.0, (3.0, 8.0), 900.0)


def watcher() -> TraceWatcher:
    made = TraceWatcher(frames=lambda: 50)
    made.group = os.getpgid(0)
    made._last = made.first = FIRST
    made._tree, made._engines = TreeUse(0.0, 0, 0, 0, ()), 0.0
    return made


def test_a_row_is_what_went_on_since_the_last_one() -> None:
    made = watcher()
    now = Counters(102.0, (11.0, 22.5), 0.0, 9_000_000, 27_000_000, 0.0, (3.5, 9.6), 950.0)
    row = made._row(now)
    assert (row["t"], row["frames"], row["fps"]) == (2.0, 50, 25.0)
    assert (row["core 0"], row["core 1"]) == (50.0, 100.0), "no core is busier than all the time"
    assert row["cpu"] == pytest.approx((50 + 125) / 2)
    assert (row["read"], row["written"]) == (2.0, 10.0), "MB/s"
    assert row["disk"] == pytest.approx(80.0), "of the busiest"
    assert row["watts"] == 25.0
    made.rows.append(row)
    made._last = now
    later = made._row(Counters(102.5, (11.0, 22.5), 0.0, 9_000_000, 27_000_000, 0.0, (3.5, 12.0)))
    assert (later["t"], later["fps"], later["disk"], later["cpu"]) == (2.5, 0.0, 100.0, 0.0)
    assert "watts" not in later


def test_what_all_disks_moved_is_both_ways() -> None:
    made = watcher()
    made.last = Counters(110.0, (10.0, 20.0), 0.0, 6_500_000, 7_250_000, 0.0)
    assert made.disk_bytes == 1_750_000
