"""The demo in a real window: full at first start, answering to clicks and keys."""

import itertools
import re
from collections.abc import Callable
from pathlib import Path
from string import ascii_uppercase

import av
import numpy as np
import pytest
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtGui import QAction, QGuiApplication, QImage, QKeySequence, QShortcut
from PyQt6.QtWidgets import QAbstractButton, QComboBox, QLabel, QLineEdit, QWidget
from pytestqt.qtbot import QtBot

from every_size import SMALL, cut_on_any_page
from ovrik.desk.app.station_table import STATIONS
from ovrik.desk.app.window import MainWindow
from ovrik.desk.dialogs.guide_table import KEYS
from ovrik.export.run.wall import wall_words as sandbox_words
from ovrik.store.study import Study

Open = Callable[[Study], MainWindow]

LEFT = Qt.MouseButton.LeftButton
ALT, CTRL = Qt.KeyboardModifier.AltModifier, Qt.KeyboardModifier.ControlModifier


@pytest.fixture
def demo_window(same_window: MainWindow) -> MainWindow:
    """One for all: no test here changes the study."""
    return same_window


def test_it_opens_on_the_verdict_and_is_full(demo_window: MainWindow) -> None:
    assert demo_window.station_buttons["verdict"].isChecked()
    e = demo_window.stations["verdict"].model.evidence
    assert demo_window.stations["verdict"].choice.panel.title.text() == e.choice.contender.label
    assert demo_window.stations["verdict"].ranking.table.rowCount() == len(e.summaries) == 13
    assert demo_window.stations["timing"].runs.table.rowCount() >= 6
    chart = demo_window.stations["scrutiny"].chart
    demo_window.go("scrutiny")
    assert len(chart.getPlotItem().listDataItems()) == 11
    assert demo_window.windowTitle() == "Casting Day: web master – Ovrik"


def test_station_keys(demo_window: MainWindow, qtbot: QtBot) -> None:
    for number, station in enumerate(STATIONS, 1):
        qtbot.keyClick(demo_window, getattr(Qt.Key, f"Key_{number}"), ALT)
        assert demo_window.stations[station.key].isVisible()
        assert demo_window.station_buttons[station.key].isChecked()
    qtbot.waitUntil(lambda: demo_window.stations["workstation"].facts.count() > 0, timeout=20_000)
    qtbot.keyClick(demo_window, Qt.Key.Key_Escape)
    assert demo_window.station_buttons["verdict"].isChecked()


def test_the_workstation_names_builds(demo_window: MainWindow, qtbot: QtBot) -> None:
    qtbot.mouseClick(demo_window.station_buttons["workstation"], LEFT)
    panel = demo_window.stations["workstation"]
    qtbot.waitUntil(lambda: panel.builds.rowCount() >= 2, timeout=20_000)
    assert [panel.builds.item(r, 0).text() for r in (0, 1)] == ["bundled", "system"]
    texts = [w.text() for w in panel.findChildren(QLabel)]
    assert any("GiB" in t for t in texts)
    assert sandbox_words() in texts
    assert "Reading the machine…" not in [
        panel.ready.itemAt(n).widget().text() for n in range(panel.ready.count())
    ]
    assert panel.ready.count() == max(1, len(panel.look.findings))


def test_a_click_in_the_roster_selects_everywhere(demo_window: MainWindow, qtbot: QtBot) -> None:
    roster = demo_window.roster.list
    qtbot.mouseClick(roster, LEFT, pos=roster.box_of(4).center())
    chosen = demo_window.model.summary
    assert chosen.contender.label == "x265 fast"
    assert demo_window.stations["verdict"].ranking.table.chosen == chosen.contender.contender_id
    assert demo_window.stations["lineup"].contenders.table.chosen == chosen.contender.contender_id
    assert demo_window.stations["lineup"].contenders.form.name.text() == "x265 fast"
    assert demo_window.stations["timing"].runs.head.text() == "x265 fast"
    assert demo_window.stations["scrutiny"].head.text() == "x265 fast"


def test_arrow_keys_walk_the_roster(demo_window: MainWindow, qtbot: QtBot) -> None:
    roster = demo_window.roster.list
    roster.setFocus()
    first = demo_window.model.selection
    qtbot.keyClick(roster, Qt.Key.Key_Down)
    qtbot.keyClick(roster, Qt.Key.Key_Down)
    assert demo_window.model.summary.contender.label == "x264 medium, OpenCL treatments"
    assert "7.989 s" in roster.accessibleDescription()
    qtbot.keyClick(roster, Qt.Key.Key_Up)
    qtbot.keyClick(roster, Qt.Key.Key_Up)
    qtbot.keyClick(roster, Qt.Key.Key_Up)
    assert demo_window.model.selection == first


def decoded(path: Path, number: int) -> np.ndarray:
    """A frame of a file by plain decoding from its start, shape (height, width, 3)."""
    with av.open(str(path)) as container:
        frame = next(itertools.islice(container.decode(video=0), number, None))
        return frame.to_ndarray(format="rgb24").astype(float)


def pixels(image: QImage) -> np.ndarray:
    """A picture's pixels, shape (height, width, 3)."""
    plain = image.convertToFormat(QImage.Format.Format_RGB888)
    rows = np.frombuffer(plain.constBits().asstring(plain.sizeInBytes()), np.uint8)
    return (
        rows.reshape(plain.height(), plain.bytesPerLine())[:, : 3 * plain.width()]
        .reshape(plain.height(), plain.width(), 3)
        .astype(float)
    )


def test_viewer_flips_zooms_and_steps(demo_window: MainWindow, qtbot: QtBot) -> None:
    demo_window.go("scrutiny")
    viewer = demo_window.stations["scrutiny"].viewer
    qtbot.waitUntil(lambda: viewer.image is not None, timeout=20_000)
    assert (viewer.image.width(), viewer.image.height()) == (1280, 720)
    assert viewer.caption.startswith("Output: x264 medium · frame 0 · VMAF")
    viewer.setFocus()
    qtbot.keyClick(viewer, Qt.Key.Key_F)
    assert viewer.caption.startswith("Reference · frame 0")
    assert "not there yet" in viewer.message  # nothing is there to be shown for it, and it says so
    qtbot.keyClick(viewer, Qt.Key.Key_F)
    qtbot.waitUntil(lambda: viewer.image is not None, timeout=20_000)
    for expected in (1.0, 2.0, 4.0, 8.0, 16.0, 16.0):
        qtbot.keyClick(viewer, Qt.Key.Key_Plus)
        assert viewer.zoom == expected
    assert demo_window.stations["scrutiny"].look.arrangement.zoom.currentText() == "1600 %"
    qtbot.keyClick(viewer, Qt.Key.Key_0)
    assert viewer.zoom == 0.0
    qtbot.keyClick(viewer, Qt.Key.Key_Right)
    assert demo_window.model.frame == 1
    path = demo_window.model.output_path(demo_window.model.summary)
    apart = lambda n: np.abs(pixels(viewer.image) - decoded(path, n)).mean()  # noqa: E731
    qtbot.waitUntil(lambda: apart(1) < apart(0), timeout=20_000)
    assert apart(1) < 0.6 * min(apart(0), apart(2)), "frame 1 itself, and neither of its neighbours"
    assert "frame 1 " in viewer.caption


def test_panning_keeps_the_picture_inside(demo_window: MainWindow, qtbot: QtBot) -> None:
    demo_window.go("scrutiny")
    viewer = demo_window.stations["scrutiny"].viewer
    qtbot.waitUntil(lambda: viewer.image is not None, timeout=20_000)
    box, point = viewer._box(), QPointF(200, 150)
    before = (point.x() - box.left()) / box.width()
    viewer.set_zoom(4.0, point)
    box = viewer._box()
    assert (point.x() - box.left()) / box.width() == pytest.approx(before, abs=0.01)
    qtbot.mousePress(viewer, LEFT, pos=QPoint(10, 10))
    qtbot.mouseMove(viewer, QPoint(400, 300))
    qtbot.mouseRelease(viewer, LEFT, pos=QPoint(400, 300))
    box = viewer._box()
    assert box.left() <= 0.01
    assert box.right() >= viewer.width() - 0.01


def test_a_click_in_the_chart_moves_the_viewer(demo_window: MainWindow, qtbot: QtBot) -> None:
    demo_window.go("scrutiny")
    chart = demo_window.stations["scrutiny"].chart
    view = chart.getPlotItem().vb
    qtbot.wait(100)
    place = chart.mapFromScene(view.mapViewToScene(QPointF(30, view.viewRange()[1][0] + 5)))
    qtbot.mouseClick(chart.viewport(), LEFT, pos=place)
    qtbot.waitUntil(lambda: demo_window.model.frame == 30, timeout=3000)
    assert demo_window.stations["scrutiny"].look.chart.playhead.value() == 30


def test_worst_frame(demo_window: MainWindow, qtbot: QtBot) -> None:
    demo_window.go("scrutiny")
    qtbot.keyClick(demo_window, Qt.Key.Key_W, CTRL)
    s = demo_window.model.summary
    assert demo_window.model.frame == s.vmaf.worst_frame


def test_another_score_in_the_chart(demo_window: MainWindow, qtbot: QtBot) -> None:
    demo_window.go("scrutiny")
    box = demo_window.stations["scrutiny"].look.chart.box
    qtbot.keyClick(box, Qt.Key.Key_Down)
    assert box.currentText() == "PSNR, dB"
    low, high = demo_window.stations["scrutiny"].chart.getPlotItem().vb.viewRange()[1]
    assert 20 < low < high < 80


def test_a_row_is_copied_as_text(demo_window: MainWindow, qtbot: QtBot) -> None:
    demo_window.stations["verdict"].show_page(1)
    table = demo_window.stations["verdict"].ranking.table
    table.choose(demo_window.model.selection)
    table.setFocus()
    qtbot.keyClick(table, Qt.Key.Key_C, CTRL)
    text = QGuiApplication.clipboard().text()
    e = demo_window.model.evidence
    first, usual = (e.summaries[0].first_s or 0.0) / e.facts.worth.exports_a_film, e.summaries[0].usual_s
    assert text.startswith(f"x264 medium\t{usual:.2f} + {first:.2f} s")
    qtbot.keyClick(demo_window, Qt.Key.Key_C, CTRL | Qt.KeyboardModifier.ShiftModifier)
    assert "95" in QGuiApplication.clipboard().text()


def test_a_contender_that_can_not_run_says_why(demo_window: MainWindow, qtbot: QtBot) -> None:
    roster = demo_window.roster.list
    qtbot.mouseClick(roster, LEFT, pos=roster.box_of(5).center())
    assert "can't hold AV1" in demo_window.stations["timing"].runs.log.text()
    assert "can't hold AV1" in demo_window.stations["lineup"].contenders.note.text()
    assert "can't hold AV1" in demo_window.stations["scrutiny"].points.text.text()


def test_what_can_be_acted_on_has_a_name_and_takes_the_keyboard(demo_window: MainWindow) -> None:
    nameless = [
        w
        for kind in (QAbstractButton, QComboBox, QLineEdit)
        for w in demo_window.findChildren(kind)
        if not (w.accessibleName() or getattr(w, "text", str)()) and "qt_" not in w.objectName()
    ]
    assert nameless == []
    for widget in (
        demo_window.roster.list,
        demo_window.stations["footage"].strip,
        demo_window.stations["scrutiny"].viewer,
    ):
        assert widget.focusPolicy() == Qt.FocusPolicy.StrongFocus
        assert widget.accessibleName()


def test_tab_reaches_every_station_button(demo_window: MainWindow, qtbot: QtBot) -> None:
    reached: set[QWidget] = set()
    demo_window.roster.list.setFocus()
    for _ in range(80):
        qtbot.keyClick(demo_window.focusWidget(), Qt.Key.Key_Tab)
        reached.add(demo_window.focusWidget())
    assert set(demo_window.station_buttons.values()) <= reached
    assert demo_window.station_buttons["workstation"] in reached
    assert demo_window.menu_button in reached


def test_missing_footage_shows_a_thumbnail_and_says_so(demo_window: MainWindow) -> None:
    demo_window.go("footage")
    assert demo_window.stations["footage"].viewer.image is not None
    assert "hasn't been found yet" in demo_window.stations["footage"].note.text()


def test_the_grid_answers_for_each_build(demo_window: MainWindow, qtbot: QtBot) -> None:
    qtbot.mouseClick(demo_window.station_buttons["workstation"], LEFT)
    panel = demo_window.stations["workstation"]
    qtbot.waitUntil(lambda: panel.look is not None, timeout=20_000)
    from ovrik.machine.devices.paths import PIXEL_FORMATS
    from ovrik.machine.devices.trial import FAILS, WORKS, WRONG, Trial

    key = panel.look.builds[0].key
    eight, ten = PIXEL_FORMATS
    panel.look.trials[:] = [
        Trial(key, "vaapi", "device", "VAAPI", "", FAILS, "there is no graphics device"),
        Trial(key, "opencl", "device", "OpenCL", "", WORKS, device="pocl thing", processor=True),
        Trial(
            key, "opencl", "treatment", "mirror", eight, WORKS, db=100.0, device="pocl thing", processor=True
        ),
        Trial(key, "opencl", "treatment", "mirror", ten, WRONG, "its picture is 6 dB off", db=6.0),
    ]
    panel._fill_grid()
    assert panel.grid.rowCount() == 3
    cells = [panel.grid.item(1, c).text() for c in range(5)]
    assert cells == ["OpenCL", "treatment", "mirror", "✓ works exact", "≠ wrong 6 dB"]
    panel.grid.setFocus()
    panel.grid.selectRow(1)
    assert "really the processor" in panel.why.text()
    assert "its picture is 6 dB off" in panel.why.text()
    qtbot.mouseClick(panel.only, LEFT, pos=QPoint(8, panel.only.height() // 2))
    assert panel.grid.rowCount() == 2


def test_every_key_is_explained(demo_window: MainWindow, qtbot: QtBot) -> None:
    for station in STATIONS:
        demo_window.go(station.key)
    qtbot.wait(50)
    said = " ".join(key for _title, rows in KEYS for key, _what in rows)
    said = said.replace("Alt+1 to Alt+6", " ".join(f"Alt+{n}" for n in range(1, 7)))
    said = said.replace("Alt+letter", " ".join(f"Alt+{letter}" for letter in ascii_uppercase))
    said = said.replace("1 to 5", "1 2 3 4 5").replace("−", "-")
    known = set(re.findall(r"[^\s,]+", said))
    found = {a.shortcut().toString() for a in demo_window.findChildren(QAction) if not a.shortcut().isEmpty()}
    found |= {s.key().toString() for s in demo_window.findChildren(QShortcut)}
    missing = {k for k in found if k and k not in known and QKeySequence(k).toString() not in known}
    assert missing == set()


def test_no_text_is_cut(demo_window: MainWindow) -> None:
    """In the smallest window that there is; `./run bench sizes` looks at all sizes, by day and night."""
    demo_window.resize(*SMALL)
    assert list(cut_on_any_page(demo_window)) == []
