"""A time that was taken by hand, entered for the selected contender."""

from PyQt6.QtGui import QValidator
from PyQt6.QtWidgets import QComboBox, QDoubleSpinBox, QHBoxLayout, QWidget

from ovrik.desk.model.study import DeskModel
from ovrik.desk.widgets.text import button, label
from ovrik.errors import OvrikError
from ovrik.work.outside.by_hand import parse_time

STEPS = ((1.0, "to the second"), (0.1, "to 0.1 s"), (60.0, "to the minute"))


class TimeBox(QDoubleSpinBox):
    """Seconds, typed as a stopwatch shows them: 61.4 or 1:01.4."""

    def validate(self, text: str | None, at: int) -> tuple[QValidator.State, str, int]:
        """What can still become a time may be typed."""
        typed = (text or "").removesuffix(self.suffix())
        try:
            parse_time(typed)
        except OvrikError:
            half = all(c in "0123456789:., " for c in typed)
            state = QValidator.State.Intermediate if half else QValidator.State.Invalid
            return state, text or "", at
        return QValidator.State.Acceptable, text or "", at

    def valueFromText(self, text: str | None) -> float:
        """Seconds of what was typed."""
        try:
            return parse_time((text or "").removesuffix(self.suffix()))
        except OvrikError:
            return self.value()


class ByHandForm(QWidget):
    """Seconds, how finely they were read, and a button."""

    def __init__(self, model: DeskModel) -> None:
        super().__init__()
        self.model = model
        self.seconds, self.step = TimeBox(), QComboBox()
        self.seconds.setToolTip("Seconds, or minutes and seconds: 61.4 or 1:01.4")
        self.seconds.setRange(0.0, 999_999.0)
        self.seconds.setDecimals(1)
        self.seconds.setSuffix(" s")
        self.seconds.setButtonSymbols(QDoubleSpinBox.ButtonSymbols.NoButtons)
        self.seconds.setAccessibleName("Time taken by hand, in seconds")
        self.step.setAccessibleName("Precision of the reading")
        for value, text in STEPS:
            self.step.addItem(text, value)
        self.enter = button(
            "Enter", self._enter, hint="Keep this stopwatch time as a run of the selected contender"
        )
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.addWidget(label("Timed by hand", "soft"))
        for part in (self.seconds, self.step, self.enter):
            row.addWidget(part)

    def _enter(self) -> None:
        seconds, step = self.seconds.value(), float(self.step.currentData())
        if self.model.summary and seconds >= step:
            self.model.enter_time(seconds, step)
            self.seconds.setValue(0.0)
