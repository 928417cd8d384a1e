"""How long the viewer takes from a key to the painted frame, on the demo at its full size; and what playing drops."""

import os
import time
from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from PyQt6.QtCore import QEvent, QObject, Qt
from PyQt6.QtGui import QPaintEvent
from PyQt6.QtTest import QTest

from bench.seed import drawn
from bench.subject import work_folder
from ovrik.demo.film import make_film
from ovrik.demo.scenario import adopt_film, unpack_demo
from ovrik.desk.app.main import application, take_down
from ovrik.desk.app.window import MainWindow
from ovrik.desk.model.looking import BESIDE, LOSS, ONE
from ovrik.quality.reference.made import make_reference
from ovrik.store.study import Study

FLIPS, STEPS, JUMPS = 60, 60, 60
PATIENCE_S = 60.0


@dataclass(frozen=True)
class ViewerSpeed:
    """95th percentiles in milliseconds, from key press to painted frame: `flip` to the other picture, `step` to the
    next frame, `jump` to any frame; `loss_map`, the median for one of those; `dropped` frames of those `played` at 25
    fps, two pictures side by side."""

    flip: float
    step: float
    jump: float
    loss_map: float
    dropped: int
    played: int


class _Painted(QObject):
    """Sees when a viewer has painted."""

    def __init__(self, viewer: QObject) -> None:
        super().__init__()
        self.count = 0
        viewer.installEventFilter(self)

    def eventFilter(self, _watched: QObject | None, event: QEvent | None) -> bool:
        self.count += isinstance(event, QPaintEvent)
        return False


def speed() -> ViewerSpeed:
    """Open the demo and use the viewer as a person does."""
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    make_film()
    app = application()
    study = Study.open(unpack_demo(work_folder() / "viewer"))
    adopt_film(study)
    make_reference(study.programme(), study.facts().excerpt)
    window = MainWindow(study)
    window.resize(1280, 800)
    window.show()
    window.go("scrutiny")
    station = window.stations["scrutiny"]
    look, viewer, model = station.look, station.viewer, window.model
    assert model is not None
    frames = model.evidence.facts.excerpt.frames

    def until(done: Callable[[], bool]) -> None:
        end = time.monotonic() + PATIENCE_S
        while not done():
            app.processEvents()
            time.sleep(0.0005)  # an idle event loop sleeps, and so lets go of the interpreter
            if time.monotonic() > end:
                raise SystemExit("the viewer never got there")

    def shows(text: str) -> Callable[[], bool]:
        return lambda: text in viewer.caption and viewer.image is not None

    until(lambda: not window.runner.small_jobs and window.runner.job is None)
    until(shows("frame 0"))
    settled = time.monotonic() + 8.0
    until(lambda: time.monotonic() > settled)  # copies are made meanwhile
    painted = _Painted(viewer)

    def timed(act: Callable[[], object], done: Callable[[], bool]) -> float:
        before, began = painted.count, time.monotonic()
        act()
        until(lambda: done() and painted.count > before)
        return 1000 * (time.monotonic() - began)

    key = QTest.keyClick
    viewer.setFocus()
    flips = []
    for n in range(FLIPS):
        wanted = "Reference" if n % 2 == 0 else "Output"
        flips.append(timed(lambda: key(viewer, Qt.Key.Key_F), lambda w=wanted: viewer.caption.startswith(w)))  # type: ignore[misc]
    steps = []
    for _ in range(STEPS):
        if model.frame >= frames - 1:
            model.move(0)
            until(shows("frame 0 "))
        wanted = f"frame {model.frame + 1} "
        steps.append(timed(lambda: key(viewer, Qt.Key.Key_Right), shows(wanted)))
        pause = time.monotonic() + 0.06  # as fast as a key repeats
        until(lambda p=pause: time.monotonic() > p)  # type: ignore[misc]
    draw = drawn("frames jumped to")
    jumps = []
    for _ in range(JUMPS):
        frame = int(draw.choice([n for n in range(frames) if abs(n - model.frame) > 4]))
        window.pictures.let_go()  # as if it had never been there
        jumps.append(timed(lambda f=frame: model.move(f), shows(f"frame {frame} ")))  # type: ignore[misc]
    station.looking.set(mode=LOSS)
    maps = []
    for frame in (10, 30, 50):
        maps.append(timed(lambda f=frame: model.move(f), lambda: viewer.loss_map is not None))  # type: ignore[misc]
        station.looking.set(mode=ONE)
        station.looking.set(mode=LOSS)
    station.looking.set(mode=BESIDE)
    window.pictures.let_go()
    model.move(0)
    until(lambda: viewer.caption.endswith("frame 0"))
    station.looking.set_playing(True)
    until(lambda: not station.looking.playing)
    made = ViewerSpeed(
        *(float(np.percentile(found, 95)) for found in (flips, steps, jumps)),
        float(np.median(maps)),
        look.player.dropped,
        look.player.shown,
    )
    take_down(window)
    return made


if __name__ == "__main__":
    print(speed())
