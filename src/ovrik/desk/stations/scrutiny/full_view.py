"""The viewer alone, on this screen or on another one."""

from collections.abc import Callable

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QCloseEvent, QGuiApplication, QKeySequence, QShortcut
from PyQt6.QtWidgets import QVBoxLayout, QWidget

from ovrik.desk.viewing.viewer import Viewer

BACK = ("Esc", "F11", "Shift+F11")


class _Alone(QWidget):
    """A window for the viewer; closed by whatever means, it gives it back."""

    def __init__(self, on_close: Callable[[], None]) -> None:
        super().__init__(None, Qt.WindowType.Window)
        self._on_close = on_close

    def closeEvent(self, event: QCloseEvent | None) -> None:
        """Give the viewer back."""
        self._on_close()
        super().closeEvent(event)


class FullView:
    """Takes the viewer out of its place, and puts it back."""

    def __init__(
        self, home: QVBoxLayout, viewer: Viewer, keys: Callable[[], list[tuple[str, Callable[[], object]]]]
    ) -> None:
        """`home`, the layout whose first part the viewer is; `keys`, what further keys do, since the buttons that do
        it are not there when the viewer is alone."""
        self._home, self._viewer, self._keys = home, viewer, keys
        self._window: QWidget | None = None

    def toggle(self, page: QWidget, other_screen: bool) -> None:
        """Fill the screen that the page is on, or another one where there is one; or go back."""
        if self._window is not None:
            self.go_back()
            return
        mine = page.screen()
        wanted = mine
        if other_screen:
            wanted = next((s for s in QGuiApplication.screens() if s is not mine), mine)
        made = _Alone(self.go_back)
        made.setWindowTitle("Ovrik – viewer")
        made.setObjectName("ground")
        column = QVBoxLayout(made)
        column.setContentsMargins(0, 0, 0, 0)
        column.addWidget(self._viewer)
        for key in BACK:
            QShortcut(QKeySequence(key), made).activated.connect(self.go_back)
        for key, act in self._keys():
            QShortcut(QKeySequence(key), made).activated.connect(act)
        self._window = made
        if wanted is not None:
            made.setGeometry(wanted.geometry())
        made.showFullScreen()
        made.activateWindow()
        self._viewer.setFocus()

    def go_back(self) -> None:
        """Put the viewer back in its place."""
        if self._window is None:
            return
        made, self._window = self._window, None  # closing it comes back here
        self._home.insertWidget(0, self._viewer, 1)
        made.close()
        made.deleteLater()
        self._viewer.setFocus()
