"""Pictures of the main views, taken from the demo study as it ships."""

import tempfile
import time
from collections.abc import Callable
from pathlib import Path

from PyQt6.QtWidgets import QApplication

from ovrik.demo.scenario import adopt_film, unpack_demo
from ovrik.desk.app import application
from ovrik.desk.window import MainWindow
from ovrik.machine.builds import find_builds
from ovrik.machine.probing import probe_builds
from ovrik.quality.reference import make_reference
from ovrik.store.study import Study

VIEWS = ("1-footage", "2-line-up", "3-timing", "4-scrutiny", "5-verdict", "6-workstation")
SIZE = (1280, 800)


def take_shots(folder: Path) -> list[Path]:
    """One PNG of each view at 1280x800; gives their paths. Makes the footage first if need be."""
    from ovrik.demo.film import make_film  # heavy, and only wanted here

    make_film()
    folder.mkdir(parents=True, exist_ok=True)
    app = application()
    with tempfile.TemporaryDirectory(prefix="ovrik-shots-") as place:
        study = Study.open(unpack_demo(Path(place)))
        adopt_film(study)
        make_reference(study.footage(), study.facts().excerpt)
        probe_builds(find_builds())
        window = MainWindow(study)
        window.resize(*SIZE)

        window.show()
        out = []
        for number, name in enumerate(VIEWS):
            window.go(number)
            settle(app, lambda: not window.small_jobs)
            path = folder / f"{name}.png"
            window.grab().save(str(path))
            out.append(path)
        window.close()
    return out


def settle(app: QApplication, quiet: Callable[[], bool], least_s: float = 0.7, most_s: float = 15.0) -> None:
    """Let the window come to rest: quiet, and then time to draw what the last work brought."""
    began = since = time.monotonic()
    while time.monotonic() - began < most_s:
        app.processEvents()
        time.sleep(0.01)
        if not quiet():
            since = time.monotonic()
        elif time.monotonic() - since > least_s:
            return
