"""Times from a table that was kept elsewhere: columns are chosen, and what comes of it is shown before it is kept."""

from pathlib import Path

from PyQt6.QtWidgets import QCheckBox, QComboBox, QDialog, QVBoxLayout, QWidget

from ovrik.desk.model.study import DeskModel
from ovrik.desk.style import theme
from ovrik.desk.widgets.flow import Flow, together
from ovrik.desk.widgets.table import Cell, DeskTable
from ovrik.desk.widgets.text import button, label, set_role
from ovrik.errors import OvrikError
from ovrik.work.outside.old_results import UNITS, OldTime, heads_of, left_out_words, read_table, times_of

ASKED = "say which"
HEADINGS = ("Row", "Contender", "In the table", "Seconds", "Read to")
MOST_SHOWN = 200
NAMES = {"s": "seconds", "min": "minutes", "h": "hours"}


class OldTable(QDialog):
    """Columns and unit above, every time as it will be taken below; nothing is kept before *Bring in*."""

    def __init__(self, model: DeskModel, path: Path, parent: QWidget | None = None) -> None:
        """Raises OvrikError when the file holds no table."""
        super().__init__(parent)
        self.model, self.path, self.found = model, path, list[OldTime]()
        self.setWindowTitle(f"Times from {path.name}")
        heads = heads_of(path)
        self.name, self.time, self.unit = (
            self._box(n) for n in ("Contender", "Time", "Unit of plain numbers")
        )
        for box in (self.name, self.time):
            box.addItem(ASKED, "")
            for head in heads:
                box.addItem(head, head)
        self.unit.addItem(ASKED, "")
        for unit in UNITS:
            self.unit.addItem(NAMES[unit], unit)
        self.add = QCheckBox("add contenders that the line-up lacks")
        self.add.toggled.connect(lambda _on: self._show())
        self.table = DeskTable(HEADINGS, "Times as they will be taken", True)
        self.said = label("", wrap=True)
        self.take = button("Bring in", self._take, "main")
        column = QVBoxLayout(self)
        asked = [together(label(b.accessibleName(), "soft"), b) for b in (self.name, self.time, self.unit)]
        column.addLayout(Flow(8).add(*asked, self.add))
        column.addWidget(self.table, 1)
        column.addWidget(self.said)
        column.addLayout(Flow(8).add(None, button("Cancel", self.reject), self.take))
        self.resize(theme.scaled(620), theme.scaled(420))
        self._guess()
        self._show()

    def _box(self, name: str) -> QComboBox:
        made = QComboBox()
        made.setAccessibleName(name)
        made.activated.connect(lambda _n: self._show())
        return made

    def _guess(self) -> None:
        """What the headings suggest."""
        try:
            found = read_table(self.path)
        except OvrikError:
            return  # nothing looks like it: it is asked for
        for box, value in ((self.name, found.name), (self.time, found.time), (self.unit, found.unit)):
            box.setCurrentIndex(max(0, box.findData(value)))

    def _show(self) -> None:
        """Every time as the columns that are chosen have it, or what is wrong."""
        try:
            chosen = (self.name.currentData(), self.time.currentData(), self.unit.currentData())
            self.found, left = times_of(read_table(self.path, *chosen))
            said = self._missing()
        except OvrikError as exc:
            self.found, left, said = [], [], str(exc)
        shown = self.found[:MOST_SHOWN]
        self.table.fill(
            [
                [
                    Cell(str(t.row), right=True),
                    Cell(t.label),
                    Cell(t.text, right=True),
                    Cell(f"{t.seconds:g}", right=True, bold=True),
                    Cell(f"{t.step_s:g} s", right=True),
                ]
                for t in shown
            ],
            [t.row for t in shown],
        )
        more = f" (the first {MOST_SHOWN} are shown)" if len(self.found) > MOST_SHOWN else ""
        set_role(self.said, "trouble" if said else "soft")
        out = f" {left_out_words(left)}." if left else ""
        self.said.setText(
            said
            or f"{len(self.found)} times{more}, marked as brought in from {self.path.name}, row by row.{out}"
        )
        self.take.setEnabled(bool(self.found) and not said)

    def _missing(self) -> str:
        known = {s.contender.label for s in self.model.evidence.summaries}
        missing = list(dict.fromkeys(t.label for t in self.found if t.label not in known))
        if not missing or self.add.isChecked():
            return ""
        more = f" and {len(missing) - 4} more" if len(missing) > 4 else ""
        return f"The line-up has no {', '.join(missing[:4])}{more}: add them, or rename them in the table."

    def _take(self) -> None:
        try:
            self.model.bring_in(self.found, self.path.name, self.add.isChecked())
        except OvrikError as exc:
            set_role(self.said, "trouble")
            self.said.setText(str(exc))
            return
        self.accept()
