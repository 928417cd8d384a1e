"""Labels, sheets and buttons in the desk's own dress."""

from collections.abc import Callable

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QKeySequence, QShortcut
from PyQt6.QtWidgets import QFrame, QLabel, QPushButton, QVBoxLayout, QWidget


def label(text: str = "", role: str = "", wrap: bool = False, copy: bool = False) -> QLabel:
    """A label; `role` is one of the style sheet's."""
    made = QLabel(text)
    made.setTextFormat(Qt.TextFormat.PlainText)
    if role:
        made.setProperty("role", role)
    made.setWordWrap(wrap)
    if copy:
        made.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
    return made


def set_role(widget: QWidget, role: str) -> None:
    """Give a widget another role and have it drawn so."""
    if widget.property("role") == role:
        return
    widget.setProperty("role", role)
    style = widget.style()
    if style:
        style.unpolish(widget)
        style.polish(widget)


def sheet(margin: int = 12, spacing: int = 8) -> tuple[QFrame, QVBoxLayout]:
    """A panel with a column in it."""
    frame = QFrame()
    frame.setObjectName("sheet")
    column = QVBoxLayout(frame)
    column.setContentsMargins(margin, margin - 2, margin, margin)
    column.setSpacing(spacing)
    return frame, column


def button(text: str, act: Callable[[], object], role: str = "", hint: str = "",
           key: str = "") -> QPushButton:  # fmt: skip
    """A push button; `key` is its shortcut, named in the hint."""
    made = QPushButton(text)
    if role:
        made.setProperty("role", role)
    made.clicked.connect(lambda _checked=False: act())
    if key:
        # Not the button's own shortcut: that waits a tenth of a second to show itself pressed.
        QShortcut(QKeySequence(key), made).activated.connect(act)
    told = f"{hint} ({key})" if key and hint else hint or key
    made.setToolTip(told)
    made.setAccessibleName(text)
    return made
