"""A form made from a treatment's own parameters."""

from collections.abc import Callable

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import (
    QComboBox,
    QDoubleSpinBox,
    QFileDialog,
    QGridLayout,
    QHBoxLayout,
    QLineEdit,
    QWidget,
)

from ovrik.desk.widgets.text import button, emptied, label
from ovrik.study.treatment import Treatment, Value
from ovrik.study.treatment_kinds import Parameter

Read = Callable[[], Value]


class ParameterForm(QWidget):
    """One field for each parameter; `edited` when a value is another."""

    edited = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.grid = QGridLayout(self)
        self.grid.setContentsMargins(0, 0, 0, 0)
        self.grid.setHorizontalSpacing(10)
        self.grid.setVerticalSpacing(5)
        self.grid.setColumnStretch(1, 1)
        self.grid.setColumnStretch(3, 1)
        self.fields: dict[str, QWidget] = {}
        self._reads: dict[str, Read] = {}
        self._shown: Treatment | None = None

    def show_treatment(self, t: Treatment | None) -> None:
        """Show a treatment's values; the fields stay as they are while the kind is the same."""
        if (
            t is not None
            and self._shown is not None
            and t.kind == self._shown.kind
            and self.values() == dict(t.values)
        ):
            self._shown = t
            return
        emptied(self.grid)
        self.fields, self._reads, self._shown = {}, {}, t
        place = 0
        for p in t.facts.parameters if t else ():
            assert t is not None
            field = self._field(p, t[p.name])
            # Two by two; what needs room has a row of its own.
            wide = p.is_file or (
                isinstance(p.default, str) and not p.choices and not str(p.default).startswith("#")
            )
            if wide and place % 2:
                place += 1
            line, column = divmod(place, 2)
            self.grid.addWidget(label(p.title, "soft"), line, 2 * column)
            self.grid.addWidget(field, line, 2 * column + 1, 1, 3 if wide else 1)
            place += 2 if wide else 1

    def values(self) -> dict[str, Value]:
        """What the fields say."""
        return {name: read() for name, read in self._reads.items()}

    def _field(self, p: Parameter, value: Value) -> QWidget:
        if p.choices:
            box = QComboBox()
            box.addItems(p.choices)
            box.setCurrentText(str(value))
            box.activated.connect(self.edited.emit)
            self._reads[p.name] = box.currentText
            return self._named(box, p)
        if isinstance(p.default, str):
            line = QLineEdit(str(value))
            line.editingFinished.connect(self.edited.emit)
            self._reads[p.name] = lambda: line.text().strip()
            return self._with_browse(line, p) if p.is_file else self._named(line, p)
        spin = QDoubleSpinBox()
        spin.setRange(p.low, p.high)
        spin.setDecimals(2 if p.high <= 10 else 1 if p.high <= 100 else 0)
        spin.setSingleStep(0.05 if p.high <= 4 else 1)
        spin.setValue(float(value))
        spin.setSuffix(f" {p.unit}" if p.unit else "")
        spin.setKeyboardTracking(False)
        spin.setButtonSymbols(QDoubleSpinBox.ButtonSymbols.NoButtons)
        spin.setToolTip(f"{p.low:g} to {p.high:g} {p.unit}".strip())
        spin.valueChanged.connect(self.edited.emit)
        self._reads[p.name] = spin.value
        return self._named(spin, p)

    def _named(self, field: QWidget, p: Parameter) -> QWidget:
        field.setAccessibleName(p.title)
        self.fields[p.name] = field
        return field

    def _with_browse(self, line: QLineEdit, p: Parameter) -> QWidget:
        self._named(line, p)
        line.setPlaceholderText("none")

        def browse() -> None:
            kinds = "Look-up tables (*.cube)" if p.name == "lut" else "All files (*)"
            name, _ = QFileDialog.getOpenFileName(self, p.title, "", kinds)
            if name:
                line.setText(name)
                self.edited.emit()

        both = QWidget()
        row = QHBoxLayout(both)
        row.setContentsMargins(0, 0, 0, 0)
        row.addWidget(line, 1)
        row.addWidget(button("…", browse, hint=f"Choose a file: {p.title}"))
        return both
