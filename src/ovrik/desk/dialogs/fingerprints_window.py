"""Two fingerprints side by side: what differs first."""

from collections.abc import Sequence

from PyQt6.QtWidgets import QComboBox, QDialog, QVBoxLayout, QWidget

from ovrik.desk.style import theme
from ovrik.desk.widgets.flow import Flow
from ovrik.desk.widgets.table import Cell, DeskTable
from ovrik.desk.widgets.text import label
from ovrik.machine.workstation.facts import compared
from ovrik.work.prepare.fingerprints import Fingerprint


class FingerprintsWindow(QDialog):
    """Takes the fingerprints of a study, and shows any two of them."""

    def __init__(self, found: Sequence[Fingerprint], parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle("Fingerprints side by side – Ovrik")
        self.resize(theme.scaled(860), theme.scaled(560))
        self._found = found
        self.one, self.other = QComboBox(), QComboBox()
        for box, name, at in ((self.one, "The one", 1), (self.other, "The other", 0)):
            box.setAccessibleName(name)
            box.addItems([f.title for f in found])
            box.setCurrentIndex(min(at, len(found) - 1))
            box.currentIndexChanged.connect(lambda _n: self._compare())
        self.said = label("", wrap=True, copy=True)
        self.table = DeskTable(("", "Fact", "The one", "The other"), "Facts of both", last_fills=True)
        column = QVBoxLayout(self)
        column.addLayout(Flow().add(self.one, label("beside", "head"), self.other))
        column.addWidget(self.said)
        column.addWidget(self.table, 1)
        self._compare()

    def _compare(self) -> None:
        one, other = self._found[self.one.currentIndex()], self._found[self.other.currentIndex()]
        facts = compared(one.facts, other.facts)
        count = sum(c.differs for c in facts)
        self.said.setText(
            f"{count} fact{'s differ' if count > 1 else ' differs'}."
            if count
            else "Nothing that is known differs."
        )
        self.table.setHorizontalHeaderLabels(["", "Fact", one.title, other.title])
        rows = [
            [
                Cell("≠" if c.differs else "", "differs" if c.differs else ""),
                Cell(c.title, bold=c.differs),
                Cell(c.one),
                Cell(c.other),
            ]
            for c in facts
        ]
        self.table.fill(rows, list(range(1, len(rows) + 1)))
