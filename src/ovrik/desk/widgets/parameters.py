"""A form made from a treatment's own parameters."""

from collections.abc import Callable

from PyQt6.QtCore import QSize, pyqtSignal
from PyQt6.QtGui import QResizeEvent
from PyQt6.QtWidgets import (
    QComboBox,
    QDoubleSpinBox,
    QFileDialog,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QWidget,
)

from ovrik.desk.style import theme
from ovrik.desk.widgets.text import button, emptied, label
from ovrik.study.programme.treatment import Treatment, Value
from ovrik.study.programme.treatment_kinds import Parameter

TWO_COLUMNS_PX = 380
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
        self._rows: list[tuple[Parameter, QLabel, QWidget]] = []
        self._columns = 2
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
        self.fields, self._reads, self._rows, self._shown = {}, {}, [], t
        for p in t.facts.parameters if t else ():
            assert t is not None
            self._rows.append((p, label(p.title, "soft"), self._field(p, t[p.name])))
        self._arrange()

    def _arrange(self) -> None:
        """Two by two where there is room; what needs much has a row of its own."""
        while self.grid.count():
            self.grid.takeAt(0)
        place, columns = 0, self._columns
        for p, title, field in self._rows:
            wide = p.is_file or (
                isinstance(p.default, str) and not p.choices and not str(p.default).startswith("#")
            )
            if wide and place % columns:
                place += 1
            line, column = divmod(place, columns)
            self.grid.addWidget(title, line, 2 * column)
            self.grid.addWidget(field, line, 2 * column + 1, 1, 2 * columns - 1 if wide else 1)
            place += columns if wide else 1

    def minimumSizeHint(self) -> QSize:
        """In one column it needs half as much."""
        return QSize(theme.scaled(150), super().minimumSizeHint().height())

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        """As many columns as there is room for."""
        super().resizeEvent(event)
        wanted = 2 if self.width() >= theme.scaled(TWO_COLUMNS_PX) else 1
        if wanted != self._columns:
            self._columns = wanted
            self._arrange()

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
