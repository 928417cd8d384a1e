"""Paper and ink: colours, typeface and the style sheet, by day and by night."""

from dataclasses import dataclass
from functools import cache
from pathlib import Path

from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtGui import (
    QColor,
    QFont,
    QFontDatabase,
    QGuiApplication,
    QImage,
    QPainter,
    QPalette,
    QPen,
    QPolygonF,
)
from PyQt6.QtWidgets import QApplication

import ovrik
from ovrik.study.files.kept import cache_folder

FAMILY = "Hanken Grotesk"
FONTS = Path(ovrik.__file__).parent / "fonts"
MID_GREY = "#777777"
"""The neutral ground on which frames are judged, by day and by night."""


@dataclass(frozen=True)
class Tones:
    """Fields, all "#rrggbb": `ground` of the window, `sheet` of a panel, `sunk` of fields and
    tracks, `line` between things, `ink`, `soft` (second ink), `act` (can be acted on), `act_wash`
    (its pale ground), `on_act` (text on `act`), `trouble` and `trouble_wash`."""

    ground: str
    sheet: str
    sunk: str
    line: str
    ink: str
    soft: str
    act: str
    act_wash: str
    on_act: str
    trouble: str
    trouble_wash: str


DAY = Tones(
    "#f3eee3",
    "#fbf8f1",
    "#ebe4d6",
    "#d3c9b6",
    "#17231d",
    "#56635b",
    "#1d6f61",
    "#d7e7df",
    "#fbf8f1",
    "#9f3a1c",
    "#f3ddd2",
)
NIGHT = Tones(
    "#141b18",
    "#1b2420",
    "#0f1513",
    "#36443d",
    "#ebe6d9",
    "#a9b4aa",
    "#63c2ac",
    "#1f3f38",
    "#0f1513",
    "#ee8d69",
    "#45271b",
)

_now = DAY


def tones() -> Tones:
    """The tones in use."""
    return _now


def load_typeface() -> None:
    """Make the shipped typeface known to Qt. Its figures are tabular by design."""
    for file in sorted(FONTS.glob("*.ttf")):
        QFontDatabase.addApplicationFont(str(file))


def scaled(pixels: float) -> int:
    """A length chosen for text of the usual size, at the size that the desktop asks for."""
    return round(pixels * (_factor() if QGuiApplication.instance() is not None else 1.0))


@cache
def _factor() -> float:
    """Of the size of text, which is fixed when the application starts: asked for at every stroke that is drawn."""
    screen = QGuiApplication.primaryScreen()
    return screen.logicalDotsPerInch() / 96 if screen else 1.0


def font(points: float = 10.5, weight: int = 400) -> QFont:
    """The shipped typeface at a size and weight."""
    made = QFont(FAMILY)
    made.setPointSizeF(points)
    made.setWeight(QFont.Weight(weight))
    return made


def apply_theme(app: QApplication, dark: bool | None = None) -> None:
    """Dress the application for day or night; None follows the system's choice."""
    global _now
    hints = app.styleHints()
    if dark is None:
        dark = hints is not None and hints.colorScheme() == Qt.ColorScheme.Dark
    _now = NIGHT if dark else DAY
    app.setStyle("Fusion")
    app.setFont(font())
    app.setPalette(_palette(_now))
    app.setStyleSheet(style_sheet(_now))


def _palette(t: Tones) -> QPalette:
    made = QPalette()
    for role, tone in (
        (QPalette.ColorRole.Window, t.ground),
        (QPalette.ColorRole.Base, t.sheet),
        (QPalette.ColorRole.AlternateBase, t.ground),
        (QPalette.ColorRole.Text, t.ink),
        (QPalette.ColorRole.WindowText, t.ink),
        (QPalette.ColorRole.Button, t.sheet),
        (QPalette.ColorRole.ButtonText, t.ink),
        (QPalette.ColorRole.Highlight, t.act),
        (QPalette.ColorRole.HighlightedText, t.on_act),
        (QPalette.ColorRole.ToolTipBase, t.ink),
        (QPalette.ColorRole.ToolTipText, t.ground),
        (QPalette.ColorRole.PlaceholderText, t.soft),
        (QPalette.ColorRole.Link, t.act),
    ):
        made.setColor(role, QColor(tone))
    for role in (QPalette.ColorRole.Text, QPalette.ColorRole.ButtonText, QPalette.ColorRole.WindowText):
        made.setColor(QPalette.ColorGroup.Disabled, role, QColor(t.soft))
    return made


@cache
def arrow(t: Tones) -> str:
    """Path of a drop-down arrow in these tones; a style sheet takes images only from files."""
    place = cache_folder(f"arrow-{t.act[1:]}.png")
    image = QImage(20, 12, QImage.Format.Format_ARGB32)
    image.fill(Qt.GlobalColor.transparent)
    painter = QPainter(image)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.setPen(QPen(QColor(t.act), 3))
    painter.drawPolyline(QPolygonF([QPointF(2, 2), QPointF(10, 9), QPointF(18, 2)]))
    painter.end()
    place.parent.mkdir(parents=True, exist_ok=True)
    image.save(str(place))
    return place.as_posix()


@cache
def tick(t: Tones) -> str:
    """Path of the tick in a check box."""
    place = cache_folder(f"tick-{t.on_act[1:]}.png")
    image = QImage(28, 28, QImage.Format.Format_ARGB32)
    image.fill(Qt.GlobalColor.transparent)
    painter = QPainter(image)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.setPen(QPen(QColor(t.on_act), 4))
    painter.drawPolyline(QPolygonF([QPointF(6, 14), QPointF(12, 21), QPointF(22, 7)]))
    painter.end()
    place.parent.mkdir(parents=True, exist_ok=True)
    image.save(str(place))
    return place.as_posix()


def style_sheet(t: Tones) -> str:
    """The style sheet in the given tones. Focus is a 2 px verdigris frame everywhere.

    It is the only one: a sheet of a widget's own has all that lies in it dressed anew."""
    return f"""
    * {{ font-family: "{FAMILY}"; }}
    QWidget {{ color: {t.ink}; }}
    QMainWindow, QDialog, #ground {{ background: {t.ground}; }}
    #sheet {{ background: {t.sheet}; border: 1px solid {t.line}; border-radius: 3px; }}
    #rosterSide {{ background: {t.sunk}; border: none; border-right: 1px solid {t.line}; }}
    QLabel {{ background: transparent; }}
    QLabel[role="soft"] {{ color: {t.soft}; }}
    QLabel[role="head"] {{ font-size: 10pt; font-weight: 600; color: {t.soft}; }}
    QLabel[role="title"] {{ font-size: 15pt; font-weight: 600; }}
    QLabel[role="sentence"] {{ font-size: 14pt; font-weight: 500; }}
    QLabel[role="choice"] {{ font-size: 17pt; font-weight: 600; }}
    QLabel[role="figure"] {{ font-size: 11pt; font-weight: 600; }}
    QLabel[role="trouble"] {{ color: {t.trouble}; font-weight: 500; }}
    QLabel[role="note"] {{ background: {t.act_wash}; border-left: 3px solid {t.act};
        padding: 5px 9px; }}
    QLabel[role="warning"] {{ background: {t.trouble_wash}; border-left: 3px solid {t.trouble};
        padding: 5px 9px; }}
    QPushButton, QToolButton {{ background: {t.sheet}; border: 1px solid {t.act}; color: {t.act};
        border-radius: 3px; padding: 5px 12px; font-weight: 500; }}
    QPushButton:hover, QToolButton:hover {{ background: {t.act_wash}; }}
    QPushButton:pressed, QPushButton:checked, QToolButton:checked {{ background: {t.act};
        color: {t.on_act}; }}
    #bar QPushButton, #bar QToolButton {{ padding: 3px 8px; font-size: 10pt; }}
    #bar QComboBox {{ padding: 2px 6px; min-height: 18px; font-size: 10pt; }}
    QPushButton:focus, QToolButton:focus, QComboBox:focus, QSpinBox:focus, QDoubleSpinBox:focus,
    QLineEdit:focus, QCheckBox:focus, QSlider:focus, QPlainTextEdit:focus
        {{ border: 2px solid {t.act}; }}
    QPushButton:focus, QToolButton:focus {{ padding: 4px 11px; border-color: {t.ink}; }}
    #bar QPushButton:focus, #bar QToolButton:focus {{ padding: 2px 7px; }}
    QPushButton:disabled, QToolButton:disabled {{ border-color: {t.line}; color: {t.soft}; }}
    QPushButton:checked:disabled, QToolButton:checked:disabled {{ background: {t.sunk}; color: {t.soft};
        border-color: {t.soft}; }}
    QPushButton[role="main"] {{ background: {t.act}; color: {t.on_act}; font-weight: 600; }}
    QPushButton[role="main"]:hover {{ background: {t.ink}; border-color: {t.ink}; }}
    QPushButton[role="main"]:disabled {{ background: {t.sunk}; color: {t.soft};
        border-color: {t.line}; }}
    QPushButton[role="stop"] {{ border-color: {t.trouble}; color: {t.trouble}; }}
    QPushButton[role="stop"]:hover {{ background: {t.trouble_wash}; }}
    QPushButton[role="stop"]:disabled {{ border-color: {t.line}; color: {t.soft}; }}
    QPushButton[role="chip"], QPushButton[role="link"] {{ border: 1px solid transparent; background: transparent;
        padding: 1px 5px; font-size: 9.5pt; }}
    QPushButton[role="chip"]:focus, QPushButton[role="link"]:focus {{ border: 2px solid {t.ink}; padding: 0 4px; }}
    QPushButton[role="page"] {{ border: 1px solid transparent; background: transparent; color: {t.soft};
        font-weight: 500; }}
    #bar QPushButton[role="page"] {{ padding: 3px 7px; }}
    QPushButton[role="page"]:hover {{ color: {t.act}; background: {t.act_wash}; }}
    QPushButton[role="page"]:checked {{ background: {t.act}; color: {t.on_act}; }}
    QPushButton[role="page"]:focus {{ border: 2px solid {t.ink}; }}
    QPushButton[role="station"] {{ background: transparent; border: none; border-radius: 0;
        border-bottom: 3px solid transparent; color: {t.soft}; padding: 11px 14px 9px 14px;
        font-size: 11.5pt; font-weight: 500; }}
    QPushButton[role="station"]:hover {{ color: {t.act}; }}
    QPushButton[role="station"]:checked {{ color: {t.ink}; border-bottom: 3px solid {t.act};
        font-weight: 600; }}
    QPushButton[role="station"]:focus {{ background: {t.act_wash}; color: {t.ink}; }}
    QComboBox, QSpinBox, QDoubleSpinBox, QLineEdit {{ background: {t.sunk};
        border: 1px solid {t.line}; border-radius: 3px; padding: 4px 7px; min-height: 20px;
        selection-background-color: {t.act}; selection-color: {t.on_act}; }}
    QComboBox:disabled, QSpinBox:disabled, QDoubleSpinBox:disabled {{ color: {t.soft};
        background: {t.ground}; }}
    QComboBox::drop-down {{ border: none; width: 22px; }}
    QComboBox::down-arrow {{ image: url("{arrow(t)}"); width: 10px; height: 6px; }}
    QAbstractScrollArea::corner {{ background: transparent; border: none; }}
    QComboBox QAbstractItemView {{ background: {t.sheet}; border: 1px solid {t.line};
        selection-background-color: {t.act}; selection-color: {t.on_act}; }}
    QPlainTextEdit {{ background: {t.sunk}; border: 1px solid {t.line}; border-radius: 3px; }}
    QListWidget::item {{ padding: 2px 5px; }}
    QListWidget::item:selected {{ background: {t.act_wash}; color: {t.ink}; }}
    QTableWidget, QTableView, QListView, QListWidget, QTreeView {{ background: transparent; border: none;
        gridline-color: {t.line}; outline: none; }}
    QTableWidget:focus, QTableView:focus, QListView:focus {{ border: 2px solid {t.act}; }}
    QTableWidget {{ font-size: 10pt; }}
    QTableWidget::item {{ padding: 2px 7px; border-bottom: 1px solid {t.line}; }}
    QTableWidget::item:selected, QTableView::item:selected, QTreeView::item:selected,
        QListView::item:selected {{ background: {t.act_wash}; color: {t.ink}; }}
    QHeaderView::section {{ background: transparent; color: {t.soft}; border: none;
        border-bottom: 1px solid {t.soft}; padding: 4px 7px; font-weight: 500; }}
    #tight {{ font-size: 9pt; }}
    #tight::item {{ padding: 1px 2px; }}
    #tight QHeaderView::section {{ padding: 3px 2px; }}
    QTableCornerButton::section {{ background: transparent; border: none; }}
    QScrollBar:vertical {{ background: transparent; width: 10px; }}
    QScrollBar:horizontal {{ background: transparent; height: 10px; }}
    QScrollBar::handle {{ background: {t.line}; border-radius: 4px; min-height: 28px;
        min-width: 28px; }}
    QScrollBar::handle:hover {{ background: {t.soft}; }}
    QScrollBar::add-line, QScrollBar::sub-line {{ width: 0; height: 0; }}
    QScrollBar::add-page, QScrollBar::sub-page {{ background: transparent; }}
    QProgressBar {{ background: {t.sunk}; border: 1px solid {t.line}; border-radius: 3px;
        min-height: 14px; max-height: 14px; }}
    QProgressBar::chunk {{ background: {t.act}; border-radius: 2px; }}
    QSlider::groove:horizontal {{ background: {t.line}; height: 4px; border-radius: 2px; }}
    QSlider::handle:horizontal {{ background: {t.act}; width: 12px; margin: -6px 0;
        border-radius: 2px; }}
    QCheckBox {{ spacing: 7px; padding: 2px; border: 2px solid transparent; }}
    QCheckBox::indicator {{ width: 14px; height: 14px; border: 1px solid {t.soft}; border-radius: 2px;
        background: {t.sunk}; }}
    QCheckBox::indicator:checked {{ background: {t.act}; border-color: {t.act}; image: url("{tick(t)}"); }}
    QCheckBox::indicator:checked:disabled {{ background: {t.soft}; border-color: {t.soft}; }}
    QListView::indicator {{ width: 13px; height: 13px; border: 1px solid {t.soft}; border-radius: 2px;
        background: {t.sunk}; }}
    QListView::indicator:checked {{ background: {t.act}; border-color: {t.act}; image: url("{tick(t)}"); }}
    QCheckBox:disabled {{ color: {t.soft}; }}
    QMenu {{ background: {t.sheet}; border: 1px solid {t.line}; padding: 4px; }}
    QMenu::item {{ padding: 5px 22px; }}
    QMenu::item:selected {{ background: {t.act_wash}; color: {t.ink}; }}
    QToolTip {{ background: {t.ink}; color: {t.ground}; border: none; padding: 4px 7px; }}
    QSplitter::handle {{ background: {t.ground}; }}
    QScrollArea[role="bare"], QScrollArea[role="bare"] > QWidget > QWidget {{ background: transparent; }}
    QToolButton[role="menu"]::menu-indicator {{ image: none; }}
    QGraphicsView[role="chart"] {{ border: 1px solid {t.line}; border-radius: 3px; }}
    QGraphicsView[role="bare"] {{ border: none; }}
    """
