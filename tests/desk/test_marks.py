"""The place of a mark, read back through the axis as drawn, is its value: in every chart, at every size."""

import pytest
from crowd import crowded
from pytestqt.qtbot import QtBot
from through_axis import figures, misplaced

from ovrik.desk.app.window import MainWindow
from ovrik.store.study import Study


def test_a_mark_that_is_off_is_found(same_window: MainWindow, qtbot: QtBot) -> None:
    window = same_window
    window.go("timing")
    qtbot.wait(50)
    chart = window.stations["timing"].lanes.chart
    assert list(misplaced(window)) == []
    assert len(figures(chart.getPlotItem().getAxis("bottom"))) >= 2
    dots = next(i for i in chart.getPlotItem().items if hasattr(i, "sigHovered") and len(i.getData()[0]))
    per_px = chart.getPlotItem().vb.viewPixelSize()[0]
    dots.setPos(13 * per_px, 0)
    assert any("+13.0 px off" in found for found in misplaced(window))


@pytest.mark.parametrize(("count", "size"), [(13, (1100, 700)), (60, (1920, 1080)), (1, (1280, 800))])
def test_marks_are_where_the_axes_say(
    own_window: MainWindow, qtbot: QtBot, count: int, size: tuple[int, int]
) -> None:
    window = own_window
    if count != 13:
        path = window.model.study.path
        window.model.study.close()
        crowded(path, count)
        window.show_study(Study.open(path))
    window.resize(*size)
    found = []
    for station in ("timing", "scrutiny", "verdict"):
        window.go(station)
        shown = window.stations[station]
        for key in shown.pages.keys:
            shown.turn_to(key)
            qtbot.wait(15)
            found += [f"{station} {key}: {x}" for x in misplaced(window)]
    assert found == []
