"""Where to look: the telling frames of the selected output, each with a small picture."""

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QVBoxLayout, QWidget

from ovrik.desk.model.study import DeskModel
from ovrik.desk.viewing.pictures import image_of
from ovrik.desk.widgets.entries import Entries, Entry
from ovrik.desk.widgets.flow import Flow
from ovrik.desk.widgets.text import button, label
from ovrik.work.checking.moments import Telling

ICON = (112, 63)


class MomentsPanel(QWidget):
    """A list that steps through; N and Shift+N step from anywhere in the station.

    Signals: `wanted` when the moments of what is selected are to be found; `chosen` with the one to look at.
    """

    wanted = pyqtSignal()
    chosen = pyqtSignal(object)

    def __init__(self, model: DeskModel) -> None:
        super().__init__()
        self.model = model
        self.found: list[Telling] = []
        self.list = Entries("Where to look", ICON)
        self.list.currentRowChanged.connect(self._chosen)
        self.said = label("", "soft", wrap=True)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 4, 0, 0)
        column.setSpacing(6)
        column.addLayout(
            Flow(6).add(
                button("Previous", lambda: self.step(-1), hint="The telling frame before", key="Shift+N"),
                button("Next", lambda: self.step(1), hint="The next telling frame", key="N"),
            )
        )
        column.addWidget(self.said)
        column.addWidget(self.list, 1)

    def say(self, words: str) -> None:
        """Say what is being done, or why there is nothing."""
        self.said.setText(words)
        self.said.setVisible(bool(words))

    def show_found(self, found: list[Telling]) -> None:
        """Show these moments."""
        self.found = found
        self.list.fill(
            [
                Entry(f"frame {m.frame}\n{m.words}", f"frame {m.frame}: {m.words}", image_of(m.picture))
                for m in found
            ]
        )

    def step(self, by: int) -> None:
        """The next or the previous one; the first asks for them."""
        if not self.found:
            self.wanted.emit()
            return
        now = self.list.currentRow()
        self.list.setCurrentRow(
            (now + by) % len(self.found) if now >= 0 else (0 if by > 0 else len(self.found) - 1)
        )

    def _chosen(self, row: int) -> None:
        if 0 <= row < len(self.found):
            self.chosen.emit(self.found[row])
