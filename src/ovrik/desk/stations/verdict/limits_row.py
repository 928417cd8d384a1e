"""The limits that are set, each as a field; more of them, and ready sets to start from."""

from functools import partial

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QCheckBox, QComboBox, QDoubleSpinBox, QLabel, QWidget

from ovrik.desk.style import theme
from ovrik.desk.widgets.flow import Flow, together
from ovrik.desk.widgets.text import button, emptied, label
from ovrik.study.question.limit_kinds import LIMIT_KINDS, LimitKind
from ovrik.study.question.limits import READY_LIMITS, Limits, limits_from

PLAYS, UNSEEN = "plays", "unseen"
PASSED = {
    PLAYS: (
        "plays in real time here",
        "Each output is played once it is checked: full size, one stream, three times",
    ),
    UNSEEN: (
        "can't be told from the reference",
        "In a blind comparison with the reference itself, by whoever looked: Scrutiny",
    ),
}


class LimitsRow(QWidget):
    """Attributes: `more`, `ready`, which add a limit and begin with a ready set, for whoever has room for them.
    Signal: `changed` with the limits that are asked for now."""

    changed = pyqtSignal(object)

    def __init__(self) -> None:
        super().__init__()
        self.asked = Limits()
        self._added = ""
        self.fields: dict[str, QDoubleSpinBox] = {}
        self.boxes: dict[str, QCheckBox] = {}
        self._said: dict[str, QLabel] = {}
        self.more, self.ready = QComboBox(), QComboBox()
        self.more.setAccessibleName("Add a limit")
        self.more.activated.connect(self._add)
        self.ready.setAccessibleName("Start from a ready set of limits")
        self.ready.addItem("Ready sets", "")
        for name, (about, made) in READY_LIMITS.items():
            self.ready.addItem(name, name)
            values = ", ".join(
                f"{LIMIT_KINDS[k].heading} {v:g} {LIMIT_KINDS[k].unit}".strip() for k, v in made.values
            )
            hint = f"{about}: {values}" + (f", {PASSED[PLAYS][0]}" if made.plays else "")
            self.ready.setItemData(self.ready.count() - 1, hint, 3)  # Qt.ItemDataRole.ToolTipRole
        self.ready.activated.connect(self._begin_with)
        self.row = Flow(8)
        self.setLayout(self.row)
        self._lay_out()

    def show_limits(self, asked: Limits, fails: dict[str, int], deciding: tuple[str, ...]) -> None:
        """Show these limits; `fails`, how many contenders miss each; `deciding`, those without which another would be
        chosen."""
        same = [k for k, _v in asked.values] == list(self.fields) and (asked.plays, asked.unseen) == (
            self.asked.plays,
            self.asked.unseen,
        )
        self.asked = asked
        if not same:
            self._lay_out()
        for key, value in asked.values:
            field = self.fields[key]
            blocked = field.blockSignals(True)
            if abs(field.value() - value) > 0.5 * 10.0 ** -field.decimals():
                field.setValue(value)
            field.blockSignals(blocked)
        if self._added in self.fields:
            self.fields[self._added].setFocus()
            self.fields[self._added].selectAll()
        self._added = ""
        for key, said in self._said.items():
            count = fails.get(key, 0)
            words = "decides" if key in deciding else ""
            said.setText(
                ", ".join(filter(None, (f"{count} fail{'s' * (count == 1)}" if count else "", words)))
            )
            said.setVisible(bool(said.text()))
            said.setToolTip(
                "Without this limit another would be chosen" if words else f"{count} that were timed miss it"
            )

    def _lay_out(self) -> None:
        emptied(self.row)
        self.fields.clear()
        self.boxes.clear()
        self._said.clear()
        head = label("Limits: checks," if self.asked.any_set else "Limits: checks", "head")
        head.setToolTip("An output is acceptable when it passes its checks and meets every limit")
        self.row.addWidget(head)
        for key, value in self.asked.values:
            self.row.addWidget(self._chip(LIMIT_KINDS[key], value))
        for key, wanted in ((PLAYS, self.asked.plays), (UNSEEN, self.asked.unseen)):
            if wanted:
                self.row.addWidget(self._passed(key))
        self.more.clear()
        self.more.addItem("Add a limit", "")
        for key, kind in LIMIT_KINDS.items():
            if self.asked.get(key) is None:
                self.more.addItem(f"{kind.heading} {'≥' if kind.floor else '≤'}", key)
        for key, wanted in ((PLAYS, self.asked.plays), (UNSEEN, self.asked.unseen)):
            if not wanted:
                self.more.addItem(PASSED[key][0], key)
        for box, letters in ((self.more, 8), (self.ready, 8)):
            box.setMinimumContentsLength(letters)
            box.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        self.ready.setCurrentIndex(0)

    def _chip(self, kind: LimitKind, value: float) -> QWidget:
        field, said = QDoubleSpinBox(), label("", "soft")
        field.setRange(kind.least, kind.most)
        field.setDecimals(kind.digits)
        field.setSingleStep(kind.step)
        field.setSuffix(f" {kind.unit}" if kind.unit else "")
        field.setButtonSymbols(QDoubleSpinBox.ButtonSymbols.NoButtons)
        field.setKeyboardTracking(False)
        field.setValue(value)
        bound = "at least" if kind.floor else "at most"
        field.setAccessibleName(f"{kind.title} {bound}")
        field.setFixedWidth(
            field.fontMetrics().horizontalAdvance(f"{max(value, 10):.{kind.digits}f}00 {kind.unit}")
            + theme.scaled(20)
        )
        field.valueChanged.connect(partial(self._set, kind.key))
        gone = button("✕", partial(self._set, kind.key, None), "chip", f"Take the limit on {kind.title} away")
        gone.setAccessibleName(f"Take away the limit on {kind.title}")
        self.fields[kind.key], self._said[kind.key] = field, said
        return together(label(f"{kind.heading} {'≥' if kind.floor else '≤'}"), field, said, gone)

    def _passed(self, key: str) -> QWidget:
        box = QCheckBox(PASSED[key][0])
        box.setChecked(True)
        box.setToolTip(PASSED[key][1])
        box.clicked.connect(partial(self._pass, key))
        self.boxes[key] = box
        return box

    def _set(self, key: str, value: float | None) -> None:
        self._ask(self.asked.having(key, value))

    def _pass(self, key: str, wanted: bool) -> None:
        values = dict(self.asked.values)
        plays = wanted if key == PLAYS else self.asked.plays
        self._ask(limits_from(values, plays, wanted if key == UNSEEN else self.asked.unseen))

    def _add(self, _at: int) -> None:
        key = self._added = self.more.currentData() or ""
        if key in (PLAYS, UNSEEN):
            self._pass(key, True)
        elif key:
            self._set(key, LIMIT_KINDS[key].usual)

    def _begin_with(self, _at: int) -> None:
        name = self.ready.currentData()
        if name:
            self._ask(READY_LIMITS[name][1])

    def _ask(self, asked: Limits) -> None:
        if asked != self.asked:
            self.changed.emit(asked)
