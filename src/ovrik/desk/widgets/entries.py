"""A list of short texts, each perhaps with a picture."""

from collections.abc import Sequence
from dataclasses import dataclass

from PyQt6.QtCore import QSize, Qt
from PyQt6.QtGui import QIcon, QImage, QPixmap
from PyQt6.QtWidgets import QListWidget, QListWidgetItem, QSizePolicy

from ovrik.desk.style import theme

LEAST_PX = 70


@dataclass(frozen=True)
class Entry:
    """Fields: `text`, in lines; `hint` on hover; `picture`, or None."""

    text: str
    hint: str = ""
    picture: QImage | None = None


class Entries(QListWidget):
    """Takes all the height there is, and asks for little."""

    def __init__(self, name: str, picture_px: tuple[int, int] = (0, 0)) -> None:
        super().__init__()
        self.setAccessibleName(name)
        self.setWordWrap(True)
        self.setSpacing(2)
        self.setIconSize(QSize(*map(theme.scaled, picture_px)))
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setResizeMode(QListWidget.ResizeMode.Adjust)
        self.setMinimumHeight(theme.scaled(LEAST_PX))
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Ignored)

    def fill(self, entries: Sequence[Entry]) -> None:
        """Show these, none of them selected; nobody is told."""
        blocked = self.blockSignals(True)
        self.clear()
        for entry in entries:
            item = QListWidgetItem(entry.text)
            item.setToolTip(entry.hint)
            if entry.picture is not None:
                item.setIcon(QIcon(self._small(entry.picture)))
            self.addItem(item)
        self.blockSignals(blocked)

    def _small(self, picture: QImage) -> QPixmap:
        keep, smooth = Qt.AspectRatioMode.KeepAspectRatio, Qt.TransformationMode.SmoothTransformation
        return QPixmap.fromImage(picture).scaled(self.iconSize(), keep, smooth)
