"""A real window on a real study, driven by clicks and keys."""

import shutil
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from pathlib import Path

import pytest
from PyQt6.QtWidgets import QApplication
from pytestqt.qtbot import QtBot

from ovrik.demo.scenario import unpack_demo
from ovrik.desk.app.main import application, take_down
from ovrik.desk.app.shots import settle
from ovrik.desk.app.window import MainWindow
from ovrik.desk.model.looking import Looking
from ovrik.desk.widgets.pages import PagedStation
from ovrik.store.study import Study
from ovrik.study.question.limits import Limits

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
def own_window(open_window: Open, demo_copy: Path, tmp_path: Path) -> MainWindow:
    """A window on a demo study of this test's own."""
    shutil.copytree(demo_copy.parent, tmp_path / "demo")
    return open_window(Study.open(tmp_path / "demo" / demo_copy.name))


@pytest.fixture
def demo_window(own_window: MainWindow) -> MainWindow:
    """The same, where a module has none for all its tests."""
    return own_window


@dataclass(frozen=True)
class Shared:
    """A window that the tests of a module look at one after another. Fields: `window`; `selected`, whom it showed
    first; `opened_at`, the station that it opened at; `limits` of its study."""

    window: MainWindow
    selected: int
    opened_at: str
    limits: Limits

    def as_it_opened(self) -> MainWindow:
        """Back at where it was, whatever the test before did to it: of the study itself they may change limits."""
        w = self.window
        if w.model.study.facts().limits != self.limits:
            w.model.set_limits(self.limits)
        w.model.select(self.selected)
        w.model.move(0)
        if "scrutiny" in w.stations:
            w.stations["scrutiny"].looking.set(**{name: getattr(Looking(), name) for name in LOOKED})
            w.stations["scrutiny"].viewer.set_zoom(0.0, None)
        for station in w.stations.values():
            if isinstance(station, PagedStation):
                station.show_page(0)
        w.go(self.opened_at)
        w.activateWindow()
        settle(
            QApplication.instance(),
            lambda: not w.runner.small_jobs and w.runner.job is None,
            least_s=0.02,
            most_s=30,
        )
        return w


LOOKED = ("mode", "other", "flipped", "beside", "gain", "loss", "speed", "loop")


@pytest.fixture(scope="module")
def shared(demo_copy: Path, tmp_path_factory: pytest.TempPathFactory, qapp: QApplication) -> Iterator[Shared]:
    """A window on the demo for all tests of a module."""
    folder = tmp_path_factory.mktemp("shared") / "demo"
    shutil.copytree(demo_copy.parent, folder)
    window = MainWindow(Study.open(folder / demo_copy.name))
    window.machine.probed = True
    window.idle.stop()
    window.show()
    settle(qapp, lambda: window.isActiveWindow() and not window.runner.small_jobs, 0.05, 60)
    opened_at = next(key for key, button in window.station_buttons.items() if button.isChecked())
    yield Shared(window, window.model.selection, opened_at, window.model.study.facts().limits)
    take_down(window)


@pytest.fixture
def same_window(shared: Shared) -> MainWindow:
    """The module's window, as it opened."""
    return shared.as_it_opened()


@pytest.fixture
def tiny_window(open_window: Open, study: Study) -> MainWindow:
    """A window on the tiny clip, nothing timed."""
    return open_window(Study.open(study.path))
