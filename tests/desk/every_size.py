"""Opens the demo with 1, 11 and 60 contenders at every size and prints the texts that are cut.

Run in a process of its own: the size of text is fixed when the application starts (QT_FONT_DPI).
"""

import sys
from pathlib import Path

from crowd import crowded, cut_texts

from ovrik.demo.scenario import unpack_demo
from ovrik.desk.app.main import application
from ovrik.desk.app.shots import settle
from ovrik.desk.app.station_table import STATIONS
from ovrik.desk.app.window import MainWindow
from ovrik.desk.style import theme
from ovrik.store.study import Study

SIZES = ((1100, 700), (1280, 764), (1366, 730), (1920, 1044))
PAGES = {"footage": 2, "lineup": 2, "timing": 6, "scrutiny": 7, "verdict": 7}
MODES = ("one", "beside", "difference", "loss")


def main(folder: Path, night: bool) -> None:
    """Look at everything."""
    app = application()
    theme.apply_theme(app, night)
    for count in (1, 11, 60):
        path = unpack_demo(folder / str(count))
        crowded(path, count)
        window = MainWindow(Study.open(path))
        window.machine.probed = True
        window.show()
        window.go("workstation")
        settle(app, lambda window=window: not window.runner.small_jobs, most_s=60)
        for size in SIZES:
            window.resize(*size)
            for station in STATIONS:
                window.go(station.key)
                for page in range(PAGES.get(station.key, 1)):
                    if station.key == "scrutiny":
                        _turn_to(window.stations["scrutiny"], page)
                    elif station.key in PAGES:
                        window.stations[station.key].show_page(page)
                    for _turn in range(4):
                        app.processEvents()
                    for found in cut_texts(window):
                        print(f"{count} contenders, {size[0]}x{size[1]}, {station.key} {page}: {found}")
        window.close()


def _turn_to(scrutiny: object, page: int) -> None:
    """Three pages; of the first every sheet, each with another arrangement of the viewer."""
    scrutiny.show_page(max(page - 4, 0) if page > 4 else 0)  # type: ignore[attr-defined]
    if page < 4:
        scrutiny.sheets.turn_to(page)  # type: ignore[attr-defined]
        scrutiny.looking.set(mode=MODES[page])  # type: ignore[attr-defined]


if __name__ == "__main__":
    main(Path(sys.argv[1]), sys.argv[2] == "night")
