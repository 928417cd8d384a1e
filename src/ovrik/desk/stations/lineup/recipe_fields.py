"""Fields of the recipe form: made, filled and laid out in pairs."""

from collections.abc import Mapping, Sequence

from PyQt6.QtWidgets import QComboBox, QGridLayout, QHBoxLayout, QLabel, QLineEdit, QSpinBox, QWidget

from ovrik.desk.style import theme
from ovrik.desk.widgets.text import label

Field = tuple[str | QLabel, QWidget | QHBoxLayout]


def line(hint: str) -> QLineEdit:
    """A line to write in, with an example."""
    made = QLineEdit()
    made.setPlaceholderText(hint)
    return made


def number_box(at_lowest: str, low: int, high: int) -> QSpinBox:
    """A number whose lowest value has a meaning of its own."""
    made = QSpinBox()
    made.setRange(low, high)
    made.setValue(low)
    made.setSpecialValueText(at_lowest)
    made.setButtonSymbols(QSpinBox.ButtonSymbols.NoButtons)
    return made


def fill(box: QComboBox, values: Sequence[str], chosen: str, words: Mapping[str, str] | None = None) -> None:
    """Offer these values, shown by their words, with one chosen."""
    box.clear()
    for value in values:
        box.addItem((words or {}).get(value, value), value)
    box.setCurrentIndex(max(0, box.findData(chosen)))


def fields_in_a_column(*rows: Field) -> QWidget:
    """Named fields under one another."""
    made = QWidget()
    grid = QGridLayout(made)
    grid.setContentsMargins(0, 0, 0, 0)
    grid.setHorizontalSpacing(10)
    grid.setVerticalSpacing(6)
    for r, (title, field) in enumerate(rows):
        named = label(title, "soft") if isinstance(title, str) else title
        grid.addWidget(named, r, 0)
        if isinstance(field, QHBoxLayout):
            grid.addLayout(field, r, 1)
        else:
            field.setAccessibleName(named.text())
            field.setMinimumWidth(theme.scaled(128))
            grid.addWidget(field, r, 1)
    grid.setColumnStretch(1, 1)
    grid.setRowStretch(len(rows), 1)
    return made
