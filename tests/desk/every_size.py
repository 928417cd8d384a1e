"""Opens the demo with 1 to 200 contenders at every size and prints the texts that are cut,
and the marks of charts that are not where the axes say.

Run in a process of its own: the size of text is fixed when the application starts (QT_FONT_DPI).
"""

import sys
from collections.abc import Iterator
from pathlib import Path

from crowd import crowded, cut_texts
from PyQt6.QtWidgets import QApplication
from through_axis import misplaced

from ovrik.demo.scenario import unpack_demo
from ovrik.desk.app.main import application, take_down
from ovrik.desk.app.shots import settle
from ovrik.desk.app.station_table import STATIONS
from ovrik.desk.app.window import MainWindow
from ovrik.desk.style import theme
from ovrik.desk.widgets.pages import PagedStation
from ovrik.store.study import Study

SMALL, LARGE = (1100, 700), (1920, 1044)
SIZES = (SMALL, (1280, 764), (1366, 730), LARGE)
COUNTS = (1, 11, 60, 200)
MODES = ("one", "beside", "difference", "loss")


def main(folder: Path, night: bool) -> None:
    """Look at every page."""
    app = application()
    theme.apply_theme(app, night)
    for count in COUNTS:
        path = unpack_demo(folder / str(count))
        crowded(path, count)
        window = MainWindow(Study.open(path))
        window.machine.probed = True
        window.show()
        window.go("workstation")
        settle(app, lambda window=window: not window.runner.small_jobs, most_s=60)
        for size in SIZES:
            window.resize(*size)
            for found in cut_on_any_page(window):
                print(f"{count} contenders, {size[0]}x{size[1]}, {found}")
        take_down(window)


def cut_on_any_page(window: MainWindow) -> Iterator[str]:
    """Texts that are cut, and where: every page of every station is shown."""
    for station in STATIONS:
        window.go(station.key)
        shown = window.stations[station.key]
        for page in range(_pages(shown)):
            if station.key == "scrutiny":
                _turn_to(shown, page)
            elif isinstance(shown, PagedStation):
                shown.show_page(page)
            for _turn in range(4):
                QApplication.processEvents()
            for found in (*cut_texts(window), *misplaced(window)):
                yield f"{station.key} {page}: {found}"


def _pages(station: object) -> int:
    """How many there are to look at; the sheets of a page are pages, too."""
    return sum(len(row.keys) for row in station.page_rows) if isinstance(station, PagedStation) else 1


def _turn_to(scrutiny: object, page: int) -> None:
    """Of the first page every sheet, each with another arrangement of the viewer; then the others."""
    sheets = len(scrutiny.sheets.keys)  # type: ignore[attr-defined]
    scrutiny.show_page(max(page - sheets, 0))  # type: ignore[attr-defined]
    if page < sheets:
        scrutiny.sheets.turn_to(page)  # type: ignore[attr-defined]
        scrutiny.looking.set(mode=MODES[page % len(MODES)])  # type: ignore[attr-defined]


if __name__ == "__main__":
    main(Path(sys.argv[1]), sys.argv[2] == "night")
