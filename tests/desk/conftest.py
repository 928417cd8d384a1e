"""A real window on a real study, driven by clicks and keys."""

import shutil
from collections.abc import Callable, Iterator
from pathlib import Path

import pytest
from pytestqt.qtbot import QtBot

from ovrik.demo.scenario import unpack_demo
from ovrik.desk.app.main import application
from ovrik.desk.app.window import MainWindow
from ovrik.store.study import Study

LONG_MS = 60_000


@pytest.fixture(scope="session")
def qapp() -> object:
    """The application, dressed as it is for users."""
    return application()


Open = Callable[[Study], MainWindow]


@pytest.fixture
def open_window(qtbot: QtBot) -> Iterator[Open]:
    """Opens a window and waits until it has read its study."""
    opened: list[MainWindow] = []

    def make(study: Study) -> MainWindow:
        window = MainWindow(study)
        window.machine.probed = True  # tests that want trials ask for them
        window.idle.stop()  # nor need they the stations that nobody goes to
        opened.append(window)
        window.show()
        window.activateWindow()
        qtbot.waitUntil(window.isActiveWindow, timeout=10_000)
        qtbot.waitUntil(lambda: not window.runner.small_jobs, timeout=LONG_MS)
        return window

    yield make
    for window in opened:
        window.close()
        window.deleteLater()


@pytest.fixture(scope="session")
def demo_copy(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """The demo, unpacked once."""
    return unpack_demo(tmp_path_factory.mktemp("demo"))


@pytest.fixture
def demo_window(open_window: Open, demo_copy: Path, tmp_path: Path) -> MainWindow:
    """A window on a demo study of this test's own."""
    shutil.copytree(demo_copy.parent, tmp_path / "demo")
    return open_window(Study.open(tmp_path / "demo" / demo_copy.name))


@pytest.fixture
def tiny_window(open_window: Open, study: Study) -> MainWindow:
    """A window on the tiny clip, nothing timed."""
    return open_window(Study.open(study.path))
