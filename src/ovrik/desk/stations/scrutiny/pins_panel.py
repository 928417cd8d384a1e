"""Notes pinned to output, frame and region."""

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QLineEdit, QVBoxLayout, QWidget

from ovrik.desk.model.study import DeskModel
from ovrik.desk.widgets.entries import Entries, Entry
from ovrik.desk.widgets.flow import Flow
from ovrik.desk.widgets.text import button, label
from ovrik.study.facts.notes import WHOLE, Area, Pin


class PinsPanel(QWidget):
    """A line to write in, and all notes on the outputs of this excerpt.

    Signals: `written` with the words of a new note, for what is on show; `chosen` with one to look at; `dropped` with
    one to take away.
    """

    written = pyqtSignal(str)
    chosen = pyqtSignal(object)
    dropped = pyqtSignal(object)

    def __init__(self, model: DeskModel) -> None:
        super().__init__()
        self.model = model
        self.pins: list[Pin] = []
        self.line = QLineEdit()
        self.line.setPlaceholderText("What do you see here?")
        self.line.setAccessibleName("New note")
        self.line.returnPressed.connect(self._write)
        self.place = label("", "soft", wrap=True)
        self.list = Entries("Notes")
        self.list.currentRowChanged.connect(self._chosen)
        self.pin = button("Pin", self._write, hint="Keep this note with the frame on show")
        self.drop = button("Take away", self._drop, hint="Take the selected note away")
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 4, 0, 0)
        column.setSpacing(6)
        column.addWidget(self.line)
        column.addLayout(Flow(6).add(self.pin, self.drop))
        column.addWidget(self.place)
        column.addWidget(self.list, 1)

    def follow(self) -> None:
        """Take in what is new; notes on the selected output come first."""
        mine = self.model.selection
        pins = sorted(self.model.evidence.pins, key=lambda p: (p.contender_id != mine, p.frame))
        if pins == self.pins:
            return
        self.pins = pins
        names = {s.contender.contender_id: s.contender.label for s in self.model.evidence.summaries}
        gone = "a contender that was taken out"
        self.list.fill(
            [
                Entry(
                    f"{names.get(p.contender_id, gone)}, frame {p.frame}\n{p.words}",
                    f"{p.words} ({p.made_utc})",
                )
                for p in pins
            ]
        )

    def say_place(self, frame: int, area: Area) -> None:
        """Where a new note would go."""
        where = "the region that is marked" if area != WHOLE else "the whole picture"
        self.place.setText(f"On frame {frame}, {where}. Drag with the right button to mark a region.")

    def _write(self) -> None:
        if self.line.text().strip():
            self.written.emit(self.line.text())
            self.line.clear()

    def _chosen(self, row: int) -> None:
        if 0 <= row < len(self.pins):
            self.chosen.emit(self.pins[row])

    def _drop(self) -> None:
        row = self.list.currentRow()
        if 0 <= row < len(self.pins):
            self.dropped.emit(self.pins[row])

    def set_locked(self, locked: bool) -> None:
        """Whether nothing may be written."""
        for part in (self.line, self.pin, self.drop):
            part.setEnabled(not locked)
