"""Hundreds of short jobs at once: each is heard out, and none stays."""

import gc

from PyQt6.QtCore import QObject
from PyQt6.QtWidgets import QApplication
from pytestqt.qtbot import QtBot

from ovrik.desk.jobs.job import Job
from ovrik.desk.jobs.runner import Runner

MANY = 300


def left() -> list[Job]:
    """Those of them that are still there."""
    gc.collect()
    return [found for found in gc.get_objects() if isinstance(found, Job) and found.name.startswith("job ")]


def test_each_is_heard_and_none_stays(qapp: QApplication, qtbot: QtBot) -> None:
    owner = QObject()
    runner, heard = Runner(owner), list[int]()
    for number in range(MANY):
        runner.small(f"job {number}", lambda _job, n=number: n, heard.append)  # type: ignore[misc]
    qtbot.waitUntil(lambda: not runner.small_jobs, timeout=30_000)
    assert sorted(heard) == list(range(MANY))
    qtbot.waitUntil(lambda: not runner.findChildren(Job), timeout=30_000)
    qtbot.waitUntil(lambda: not left(), timeout=30_000)
