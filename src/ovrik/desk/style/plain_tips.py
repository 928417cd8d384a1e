"""Tool tips show what they say as it stands: a name or a note from elsewhere must not become a page that loads
files."""

import html

from PyQt6.QtCore import QEvent, QObject, Qt
from PyQt6.QtGui import QHelpEvent
from PyQt6.QtWidgets import QAbstractItemView, QApplication, QToolTip, QWidget


class PlainTips(QObject):
    """Looks at every tool tip of the application before it is shown."""

    def __init__(self, app: QApplication) -> None:
        super().__init__(app)
        app.installEventFilter(self)

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        """Show one that looks like rich text with its marks written out; leave the others to Qt."""
        if not isinstance(event, QHelpEvent) or event.type() != QEvent.Type.ToolTip:
            return False
        text = _tip(watched, event)
        if "<" not in text:
            return False  # Qt takes nothing else for rich text
        QToolTip.showText(event.globalPos(), shown(text), watched if isinstance(watched, QWidget) else None)
        return True


def shown(text: str) -> str:
    """A text that Qt shows letter for letter, in its lines."""
    return f"<span style='white-space: pre-wrap'>{html.escape(text)}</span>"


def _tip(watched: QObject | None, event: QHelpEvent) -> str:
    view = watched.parent() if isinstance(watched, QWidget) else None
    if isinstance(view, QAbstractItemView) and watched is view.viewport():
        return str(view.indexAt(event.pos()).data(Qt.ItemDataRole.ToolTipRole) or "")
    return watched.toolTip() if isinstance(watched, QWidget) else ""
