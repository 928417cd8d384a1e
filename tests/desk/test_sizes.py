"""Every text can be read at every size of window and text, with few contenders and with many."""

from collections import Counter
from types import SimpleNamespace

import pytest
from crowd import cut_texts
from PyQt6.QtCore import QRect
from PyQt6.QtWidgets import (
    QApplication,
    QCheckBox,
    QLabel,
    QPushButton,
    QScrollArea,
    QTreeWidget,
    QTreeWidgetItem,
    QVBoxLayout,
    QWidget,
)
from pytestqt.qtbot import QtBot

from ovrik.desk.app import window
from ovrik.desk.app.station_table import STATIONS
from ovrik.desk.app.window import MainWindow
from ovrik.desk.style import theme
from ovrik.desk.widgets.pages import PagedStation
from ovrik.desk.widgets.table import Cell, DeskTable
from ovrik.desk.widgets.text import label


def test_the_search_finds_what_is_cut(qtbot: QtBot) -> None:
    page = QWidget()
    qtbot.addWidget(page)
    column = QVBoxLayout(page)
    table = DeskTable(("A", "B"), "T", last_fills=True)
    table.fill([[Cell("short"), Cell("far too long for this")]], [1])
    column.addWidget(table)
    for made in (
        QLabel("far too long a text"),
        QPushButton("far too long a text"),
        label("long " * 30, wrap=True),
    ):
        column.addWidget(made)
        made.setFixedSize(40, 30)
    page.show()
    assert len(cut_texts(page)) == 3
    item = table.item(0, 1)
    assert item is not None
    item.setToolTip("")
    table.setFixedWidth(120)
    assert any("far too long for this" in found for found in cut_texts(page))


def test_the_window_fits_a_screen_with_a_title_bar(monkeypatch: pytest.MonkeyPatch) -> None:
    for free, given in (((1280, 800), (1280, 764)), ((1366, 728), (1280, 692)), ((2560, 1400), (1280, 800))):
        screen = SimpleNamespace(
            availableGeometry=lambda free=free: QRect(0, 0, *free), logicalDotsPerInch=lambda: 96.0
        )
        monkeypatch.setattr(window.QGuiApplication, "primaryScreen", lambda screen=screen: screen)
        size = MainWindow._first_size()
        assert (size.width(), size.height()) == given


def channel(value: int) -> float:
    share = value / 255
    return share / 12.92 if share <= 0.03928 else ((share + 0.055) / 1.055) ** 2.4


def contrast(one: str, other: str) -> float:
    """Contrast ratio of two "#rrggbb" by WCAG 2.1."""
    light = [
        sum(w * channel(int(tone[at : at + 2], 16)) for w, at in ((0.2126, 1), (0.7152, 3), (0.0722, 5)))
        for tone in (one, other)
    ]
    return (max(light) + 0.05) / (min(light) + 0.05)


PAIRS = (
    *((text, ground, 4.5) for text in ("ink", "soft") for ground in ("ground", "sheet", "sunk")),
    *((text, "act_wash", 4.5) for text in ("ink", "act")),
    ("act", "sheet", 4.5),
    ("on_act", "act", 4.5),
    ("trouble", "sheet", 4.5),
    ("trouble", "ground", 4.5),
    ("ink", "trouble_wash", 4.5),
    ("ground", "ink", 4.5),
    ("soft", "sheet", 3.0),
    ("act", "sunk", 3.0),
)


@pytest.mark.parametrize("tones", [theme.DAY, theme.NIGHT], ids=["day", "night"])
def test_text_and_marks_have_contrast(tones: theme.Tones) -> None:
    poor = [
        (one, other)
        for one, other, least in PAIRS
        if contrast(getattr(tones, one), getattr(tones, other)) < least
    ]
    assert poor == []
    assert contrast("#000000", "#ffffff") == pytest.approx(21)


def drawn(widget: QWidget, box: QRect | None = None) -> float:
    """Contrast of the commonest colour in a widget, or in a part of it, with the one that differs most from it."""
    image = widget.grab(box or widget.rect()).toImage()
    colours = Counter(
        image.pixelColor(x, y).name() for x in range(image.width()) for y in range(image.height())
    )
    ground = colours.most_common(1)[0][0]
    return max(contrast(ground, c) for c in colours)


@pytest.mark.parametrize("night", [False, True], ids=["day", "night"])
def test_what_is_drawn_has_contrast(qapp: QApplication, qtbot: QtBot, night: bool) -> None:
    try:
        theme.apply_theme(qapp, night)
        page = QWidget()
        page.setObjectName("ground")
        qtbot.addWidget(page)
        column = QVBoxLayout(page)
        pressed = QPushButton("Reference")
        pressed.setCheckable(True)
        pressed.setChecked(True)
        main = QPushButton("Time now")
        main.setProperty("role", "main")
        names = QTreeWidget()
        names.addTopLevelItem(QTreeWidgetItem(["casting-day.mov"]))
        names.setHeaderHidden(True)
        empty, ticked = QCheckBox(" "), QCheckBox(" ")
        ticked.setChecked(True)
        for made in (pressed, main, names, empty, ticked):
            column.addWidget(made)
        page.show()
        names.setCurrentItem(names.topLevelItem(0))
        row = names.visualItemRect(names.topLevelItem(0)).adjusted(2, 2, -2, -2)
        for enabled in (True, False):
            for made in (pressed, main):
                made.setEnabled(enabled)
                assert drawn(made, made.rect().adjusted(4, 4, -4, -4)) >= 4.5, (made.text(), enabled)
        viewport = names.viewport()
        assert viewport is not None
        assert drawn(viewport, row) >= 4.5
        for box in (empty, ticked):
            assert drawn(box, QRect(0, 0, 24, box.height())) >= 3, box.isChecked()
    finally:
        theme.apply_theme(qapp, False)


LISTS = {("footage", "facts"), ("footage", "treatments"), ("lineup", "grid"), ("workstation", "")}
"""Pages beside whose picture or table a list of facts, scores or levels scrolls."""


def scrolled(window: MainWindow) -> list[str]:
    """Areas on show that scroll, but for tables, lists, texts and the roster."""
    return [
        f"{type(area.widget()).__name__} by {bar.maximum()}"
        for area in window.findChildren(QScrollArea)
        if area.isVisible() and area is not window.roster.area
        for bar in (area.verticalScrollBar(), area.horizontalScrollBar())
        if bar is not None and bar.maximum() > 0
    ]


def test_no_page_of_the_demo_scrolls_but_tables(demo_window: MainWindow, qtbot: QtBot) -> None:
    window = demo_window
    window.resize(1280, 800)
    found = []
    for station in STATIONS:
        window.go(station.key)
        shown = window.stations[station.key]
        for key in shown.pages.keys if isinstance(shown, PagedStation) else ("",):
            if key:
                shown.turn_to(key)
            qtbot.wait(20)
            found += [(station.key, key) for _x in scrolled(window)]
    assert set(found) <= LISTS
