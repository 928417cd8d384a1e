"""Labels, sheets and buttons in the desk's own dress."""

from collections.abc import Callable

from PyQt6.QtCore import QEvent, QObject, QSize, Qt, QTimer
from PyQt6.QtGui import QColor, QFontMetrics, QKeySequence, QPainter, QPaintEvent, QResizeEvent, QShortcut
from PyQt6.QtWidgets import (
    QFrame,
    QLabel,
    QLayout,
    QPushButton,
    QScrollArea,
    QSizePolicy,
    QVBoxLayout,
    QWidget,
)

from ovrik.desk.style import theme
from ovrik.desk.widgets.labels import fitted


class Elided(QLabel):
    """A line that takes what room there is; what it can't show is read by hovering."""

    def __init__(self, mode: Qt.TextElideMode = Qt.TextElideMode.ElideRight) -> None:
        super().__init__()
        self._mode = mode
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Preferred)

    def setText(self, text: str | None) -> None:
        """Say something else."""
        super().setText(text)
        self.setToolTip(text or "")

    def minimumSizeHint(self) -> QSize:
        """A few letters."""
        return QSize(theme.scaled(40), super().minimumSizeHint().height())

    def sizeHint(self) -> QSize:
        """No more than is needed to be noticed: it grows into the room there is."""
        return QSize(min(super().sizeHint().width(), theme.scaled(160)), super().sizeHint().height())

    def paintEvent(self, _event: QPaintEvent | None) -> None:
        """Draw it, cut short where it does not fit."""
        painter = QPainter(self)
        shown = fitted(self.fontMetrics(), self.text(), self.contentsRect().width(), self._mode)
        painter.setPen(self.palette().color(self.foregroundRole()))
        painter.drawText(self.contentsRect(), int(self.alignment()), shown)


def label(
    text: str = "", role: str = "", wrap: bool = False, copy: bool = False, elide: bool = False
) -> QLabel:
    """A label; `role` is one of the style sheet's; with `elide` a line that may be cut short."""
    made = Elided() if elide else QLabel()
    made.setText(text)
    made.setTextFormat(Qt.TextFormat.PlainText)
    if role:
        made.setProperty("role", role)
    made.setWordWrap(wrap)
    if copy:
        made.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
    return made


LEAST_SCROLLING_PX = 96


class LiveText(QWidget):
    """A line that changes while something is timed: drawn alone, so that nothing around it is laid out anew."""

    def __init__(self, points: float = 10.5, weight: int = 400, tone: str = "soft", wide: str = "") -> None:
        """`wide` is the longest text that must fit; without it the line takes what room there is."""
        super().__init__()
        self._text, self._tone, self._font = "", tone, theme.font(points, weight)
        measure = QFontMetrics(self._font)
        self.setFixedHeight(measure.height() + 3)
        if wide:
            self.setFixedWidth(measure.horizontalAdvance(wide) + 2)
        else:
            self.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Fixed)

    def text(self) -> str:
        """What it says."""
        return self._text

    def setText(self, text: str) -> None:
        """Say something else."""
        if text != self._text:
            self._text = text
            self.setAccessibleName(text)
            self.setToolTip(text)
            self.update()

    def paintEvent(self, _event: QPaintEvent | None) -> None:
        """Draw it, cut short where it does not fit."""
        painter = QPainter(self)
        painter.setFont(self._font)
        painter.setPen(QColor(getattr(theme.tones(), self._tone)))
        shown = fitted(painter.fontMetrics(), self._text, self.width(), Qt.TextElideMode.ElideRight)
        painter.drawText(self.rect(), Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, shown)


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


def button(
    text: str, act: Callable[[], object], role: str = "", hint: str = "", key: str = ""
) -> QPushButton:
    """A push button; `key` is its shortcut, named in the hint."""
    made = QPushButton(text)
    if role:
        made.setProperty("role", role)
    made.clicked.connect(lambda _checked=False: act())
    if key:
        # Not the button's own shortcut: that waits a tenth of a second to show itself pressed.
        QShortcut(QKeySequence(key), made).activated.connect(act)
    said = f"{hint} ({key})" if key and hint else hint or key
    made.setToolTip(said)
    made.setAccessibleName(text)
    return made


class Scrolling(QScrollArea):
    """A part with a scroll bar: content with little room of its own takes what more there is."""

    def sizeHint(self) -> QSize:
        """A few lines."""
        return QSize(super().sizeHint().width(), theme.scaled(LEAST_SCROLLING_PX))


def scrolling(inside: QWidget, both_ways: bool = False) -> QScrollArea:
    """A part that scrolls up and down, or both ways, when it has not room enough."""
    area = QScrollArea() if both_ways else Scrolling()
    area.setWidgetResizable(True)
    area.setFrameShape(QScrollArea.Shape.NoFrame)
    area.setProperty("role", "bare")
    if not both_ways:
        area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
    area.setFocusPolicy(Qt.FocusPolicy.NoFocus)
    area.setWidget(inside)
    return area


def scrolling_column(*parts: QWidget | QLayout) -> QScrollArea:
    """Parts under one another, with a scroll bar where they have not room enough."""
    inside = QWidget()
    column = QVBoxLayout(inside)
    column.setContentsMargins(0, 4, 8, 0)
    column.setSpacing(8)
    for part in parts:
        column.addWidget(part) if isinstance(part, QWidget) else column.addLayout(part)
    column.addStretch(1)
    return scrolling(inside)


class UpTo(QScrollArea):
    """Texts under one another, as tall as they are but for no more than so many lines: the rest is scrolled to."""

    def __init__(self, lines: int, *texts: QLabel) -> None:
        super().__init__()
        self._lines = lines
        self._inside = QWidget()
        column = QVBoxLayout(self._inside)
        column.setContentsMargins(0, 0, 6, 0)
        column.setSpacing(4)
        for text in texts:
            text.setMinimumSize(1, 1)  # its own least height is that of a narrower text
            column.addWidget(text)
        self.setWidgetResizable(True)
        self.setFrameShape(QScrollArea.Shape.NoFrame)
        self.setProperty("role", "bare")
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setWidget(self._inside)
        self._inside.installEventFilter(self)
        # A height that changes while texts are laid out leaves them laid out for the old one.
        self._later = QTimer(self)
        self._later.setSingleShot(True)
        self._later.timeout.connect(self._lay_out_again)

    def _lay_out_again(self) -> None:
        column = self._inside.layout()
        if column is not None and column.geometry() != self._inside.rect():
            column.setGeometry(self._inside.rect())

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        """A text that comes, goes or changes asks for a new height."""
        if event is not None and event.type() == QEvent.Type.LayoutRequest:
            self.fit()
        return super().eventFilter(watched, event)

    def fit(self) -> None:
        """Take the height of what is said now."""
        port = self.viewport()
        wanted = self._inside.heightForWidth(max(port.width(), 100)) if port else 0
        self.setFixedHeight(min(wanted, self._lines * self.fontMetrics().lineSpacing() + 6))
        self.setVisible(wanted > 0)
        self._later.start(0)

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        """Narrower texts are taller."""
        super().resizeEvent(event)
        self.fit()


def emptied(layout: QLayout) -> None:
    """Take everything out of a layout; gone from sight at once, and from memory when there is time."""
    while layout.count():
        item = layout.takeAt(0)
        widget = item.widget() if item else None
        if widget:
            widget.hide()
            widget.deleteLater()
