"""Frames of the main views, taken from the demo study as it ships."""

import tempfile
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

from PyQt6.QtWidgets import QApplication

from ovrik.demo.scenario import adopt_film, unpack_demo
from ovrik.desk.app.main import application, take_down
from ovrik.desk.app.station_table import STATIONS
from ovrik.desk.app.window import MainWindow
from ovrik.desk.model.looking import BESIDE, LOSS
from ovrik.desk.model.size_measures import QUALITY
from ovrik.desk.model.size_measures import SIZE as BY_SIZE
from ovrik.desk.model.tradeoff import VIEWS
from ovrik.errors import Ask
from ovrik.machine.builds.build import find_builds
from ovrik.machine.devices.probing import probe_builds
from ovrik.quality.reference.made import make_reference
from ovrik.store.study import Study
from ovrik.study.facts.notes import Spot

SIZE = (1280, 800)
LEAST_TURNS = 20


def take_shots(folder: Path) -> list[Path]:
    """One PNG of each view at 1280x800; gives their paths. Makes the footage first if need be."""
    from ovrik.demo.film import make_film  # heavy, and only wanted here

    make_film()
    folder.mkdir(parents=True, exist_ok=True)
    app = application()
    with tempfile.TemporaryDirectory(prefix="ovrik-shots-") as place:
        study = Study.open(unpack_demo(Path(place)))
        adopt_film(study)
        make_reference(study.programme(), study.facts().excerpt)
        probe_builds(find_builds())
        window = MainWindow(study)
        window.resize(*SIZE)

        window.show()
        out = []
        for number, station in enumerate(STATIONS, 1):
            window.go(station.key)
            seen = _drawn(window) if station.key == "scrutiny" else (lambda: True)
            settle(app, lambda seen=seen: not window.runner.small_jobs and seen())  # type: ignore[misc]
            path = folder / f"{number}-{station.title.lower()}.png"
            window.grab().save(str(path))
            out.append(path)
        out += [
            _with(window, folder / name, act, app)
            for name, act in (
                ("7-treatments.png", _treatments),
                ("8-grid.png", _grid),
                ("9-where-the-time-goes.png", _parts),
                ("10-playback.png", _playback),
                ("11-side-by-side.png", _beside),
                ("12-moments.png", _moments),
                ("13-size-and-quality.png", _size),
                ("14-blind-comparison.png", _blind),
                ("15-ranking.png", _verdict("ranking")),
                ("16-by-factor.png", _verdict("factors")),
                ("17-equal-quality.png", _verdict("equal")),
                ("18-all-footage.png", _verdict("kinds")),
                ("19-history.png", _verdict("history")),
            )
        ]
        take_down(window)
    return out


def _with(window: MainWindow, path: Path, act: Callable[[MainWindow], Any], app: QApplication) -> Path:
    there = act(window) or (lambda: True)
    settle(app, lambda: not window.runner.small_jobs and there(), least_s=1.0)
    window.grab().save(str(path))
    return path


def _treatments(window: MainWindow) -> None:
    """The first shot, treated, with its treatments."""
    window.go("footage")
    window.stations["footage"].show_page(1)
    window.stations["footage"].treatments.one.click()
    window.stations["footage"].treated.setChecked(True)
    window.stations["footage"].show_frame(12)


def _grid(window: MainWindow) -> None:
    """A grid with something in it that can't run."""
    window.go("lineup")
    window.stations["lineup"].show_page(1)
    grid = window.stations["lineup"].grid
    for key, text in (
        ("encoder", "libx264, libx265, libsvtav1"),
        ("preset", "fast, medium, 8"),
        ("quality", "21, 24, 27"),
        ("container", "mp4, webm"),
        ("treatments", "software, opencl"),
        ("pixel_format", ""),
        ("sound", ""),
    ):
        grid.fields[key].setText(text)
    grid.expand()


def _parts(window: MainWindow) -> None:
    """Where the time of the baseline goes."""
    window.go("timing")
    window.stations["timing"].turn_to("explained")


def _playback(window: MainWindow) -> None:
    """How many streams play in real time."""
    window.go("timing")
    window.stations["timing"].turn_to("playback")


def _scrutiny(window: MainWindow, label: str) -> Any:
    window.go("scrutiny")
    assert window.model is not None
    window.model.select(
        next(s.contender.contender_id for s in window.model.evidence.summaries if s.contender.label == label)
    )
    station = window.stations["scrutiny"]
    station.show_page(0)
    return station


def _beside(window: MainWindow) -> None:
    """The reference and three outputs."""
    station = _scrutiny(window, "x265 fast")
    station.looking.set(mode=BESIDE)
    assert window.model is not None
    for s in window.model.evidence.summaries:
        if s.contender.label in ("SVT-AV1 11 10 bit mp4", "x264 veryfast"):
            station.looking.toggle_beside(s.contender.contender_id, True)
    window.model.move(2)


def _drawn(window: MainWindow) -> Ask:
    viewer = window.stations["scrutiny"].viewer
    return lambda: viewer.image is not None


def _moments(window: MainWindow) -> Ask:
    """Where to look, with the map of a kind of loss."""
    station = _scrutiny(window, "x264 veryfast")
    station.looking.set(mode=LOSS, loss="loss_detail")
    station.sheets.turn_to_key("moments")
    return lambda: station.viewer.loss_map is not None


def _size(window: MainWindow) -> None:
    """Quality over size, with the curves of one recipe at several settings."""
    window.go("verdict")
    page = window.stations["verdict"].choice
    window.stations["verdict"].turn_to("choice")
    page.view.setCurrentIndex(VIEWS.index((BY_SIZE, QUALITY)))
    page.draw()


def _blind(window: MainWindow) -> None:
    """A trial."""
    station = _scrutiny(window, "x265 fast")
    station.turn_to("blind")
    station.blind.watched.setCurrentIndex(2)
    station.blind.start([Spot(2, (0.1, 0.1, 0.25, 0.25))])


def settle(app: QApplication, quiet: Ask, least_s: float = 0.7, most_s: float = 15.0) -> None:
    """Let the window come to rest: quiet, and then long enough to draw what the last work brought, since one
    turn of the event loop may take longer than that time."""
    began = since = time.monotonic()
    turns = 0
    while time.monotonic() - began < most_s:
        app.processEvents()
        time.sleep(0.01)
        turns += 1
        if not quiet():
            since, turns = time.monotonic(), 0
        elif time.monotonic() - since > least_s and turns >= LEAST_TURNS:
            return


def _verdict(page: str) -> Callable[[MainWindow], None]:
    """A page of the verdict."""

    def turn(window: MainWindow) -> None:
        window.go("verdict")
        window.stations["verdict"].turn_to(page)

    return turn
