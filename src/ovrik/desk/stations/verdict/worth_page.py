"""What it is worth: how the times and sizes come out in use, and when a price has paid for itself."""

from dataclasses import replace
from functools import partial
from typing import Any

from PyQt6.QtGui import QShowEvent
from PyQt6.QtWidgets import QCheckBox, QDoubleSpinBox, QVBoxLayout, QWidget

from ovrik.desk.model.study import DeskModel
from ovrik.desk.style import theme
from ovrik.desk.widgets.flow import Flow, together
from ovrik.desk.widgets.table import Cell, DeskTable
from ovrik.desk.widgets.text import label, sheet
from ovrik.errors import OvrikError
from ovrik.report.words.explained import open_words
from ovrik.report.words.numbers import NONE
from ovrik.report.words.phrases import seconds_words
from ovrik.report.words.reasons import first_reason
from ovrik.report.words.whole_cost import payoff_words
from ovrik.report.words.worth import DELIVERED, HEADINGS, UPLOAD, WorthRow, worth_rows, worth_sentence
from ovrik.study.question.worth import MOST, Worth
from ovrik.work.answers.worth import programme_worth
from ovrik.work.evidence.gathered import Evidence

FIELDS = (
    ("exports_a_week", "exports a week", 0, 1.0, ""),
    ("exports_a_film", "of a film", 0, 1.0, ""),
    ("minutes", "of", 1, 1.0, " min"),
    ("line_mbit_s", "upload line", 1, 5.0, " Mb/s"),
    ("years_kept", "kept for", 1, 1.0, " years"),
    ("an_hour", "an hour costs", 2, 10.0, ""),
)
PROGRAMME = "Programme"
LEAST = {"upload line": 0.1, "of a film": 1.0}
ABOUT = (
    "One export = what every export pays once + the rest of the usual time · minutes / the excerpt's; what is paid "
    "once is known where segments were timed (Timing, Parts and whole), else everything is drawn out. First, each = "
    "what comes first of a film of that length, over the exports that it gets. Upload = 8 · bytes / line. The whole "
    "programme is forecast from the same segments."
)


class WorthPage(QWidget):
    """Follows the model while it is on show."""

    def __init__(self, model: DeskModel) -> None:
        super().__init__()
        self.model = model
        self._stamp: object = None
        self.fields: dict[str, QDoubleSpinBox] = {}
        self.sentence, self.payoffs = (
            label("", "sentence", wrap=True, copy=True),
            label("", wrap=True, copy=True),
        )
        self.trouble = label("", "trouble", wrap=True)
        self.trouble.hide()
        self.price, self.yearly, self.price_of = QDoubleSpinBox(), QDoubleSpinBox(), label("", "soft")
        self.waits = QCheckBox("wait for what comes first")
        heads = (HEADINGS[0], PROGRAMME, *(h for h in HEADINGS[1:] if h != UPLOAD))
        self.table = DeskTable(heads, "What each contender comes to in use", last_fills=True)
        self.table.itemSelectionChanged.connect(lambda: model.select(self.table.chosen))
        self._lay_out()
        model.evidence_changed.connect(self.follow)
        model.selected.connect(self._selected)

    def _lay_out(self) -> None:
        row = Flow(14)
        for key, title, digits, step, suffix in FIELDS:
            field = _field(title, MOST[key], digits, step, suffix)
            field.valueChanged.connect(partial(self._set, key))
            self.fields[key] = field
            row.addWidget(together(label(title), field))
        self.waits.setToolTip(
            "Off where pre-renders and analyses are made while nobody waits: they cost no hours"
        )
        self.waits.toggled.connect(lambda on: self._set("first_waits", on))
        row.addWidget(self.waits)
        for field, often in ((self.price, "once"), (self.yearly, "a year")):
            field.setRange(0.0, 1e9)
            field.setDecimals(2)
            field.setButtonSymbols(QDoubleSpinBox.ButtonSymbols.NoButtons)
            field.setKeyboardTracking(False)
            field.setAccessibleName(f"Price of the selected contender, {often}")
            field.setToolTip(f"What a licence or a device costs {often}, in the same currency as the hour")
            field.setFixedWidth(theme.scaled(84))
        self.price.valueChanged.connect(partial(self._set_price, "prices"))
        self.yearly.valueChanged.connect(partial(self._set_price, "yearly"))
        row.addWidget(together(self.price_of, self.price, label("once"), self.yearly, label("a year")))
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(10)
        frame, inner = sheet()
        inner.addWidget(self.sentence)
        inner.addLayout(row)
        inner.addWidget(self.payoffs)
        inner.addWidget(self.trouble)
        column.addWidget(frame)
        frame, inner = sheet()
        self.table.setToolTip(ABOUT)
        inner.addWidget(self.table, 1)
        column.addWidget(frame, 1)

    def lock(self, _locked: bool, fixed: bool) -> None:
        """Let nothing be changed in a study that can't be written."""
        for field in (*self.fields.values(), self.price, self.yearly, self.waits):
            field.setEnabled(not fixed)

    def showEvent(self, event: QShowEvent | None) -> None:
        """Catch up with what happened meanwhile."""
        super().showEvent(event)
        self.follow()

    def follow(self) -> None:
        """Take in what is new; forecasts are worked out only when they are looked at."""
        e = self.model.evidence
        if not self.isVisible() or e.stamp == self._stamp:
            return
        self._stamp = e.stamp
        for key, field in self.fields.items():
            blocked = field.blockSignals(True)
            field.setValue(getattr(e.facts.worth, key))
            field.blockSignals(blocked)
        blocked = self.waits.blockSignals(True)
        self.waits.setChecked(e.facts.worth.first_waits)
        self.waits.blockSignals(blocked)
        self.sentence.setText(worth_sentence(e))
        self.payoffs.setText(
            " ".join(f"{s.contender.label}: {payoff_words(s.payoff)}." for s in e.summaries if s.payoff)
        )
        self.payoffs.setVisible(bool(self.payoffs.text()))
        ranked = worth_rows(e)
        rows = [self._cells(row, e) for row in ranked]
        ids = [row.used.summary.contender.contender_id for row in ranked]
        self.table.fill(rows, ids, self.model.selection)
        self.table.first_gives_way(140)
        self._show_price()

    def _cells(self, row: WorthRow, e: Evidence) -> list[Cell]:
        s = row.used.summary
        whole = programme_worth(self.model.study, s)
        forecast = Cell(NONE, "no segments were timed", right=True)
        if whole:
            span = f"{seconds_words(whole.low)} to {seconds_words(whole.high)}"
            hint = f"{span}: {whole.basis}" if whole.close else f"{open_words(whole)}: {whole.basis}"
            if s.first_s:
                before = s.first_s * e.programme.frames / e.facts.excerpt.frames
                hint += f"; and about {seconds_words(before)} for what comes first"
            forecast = Cell(seconds_words(whole.seconds) if whole.close else span, hint, right=True)
        cells = dict(zip(HEADINGS, zip(row.cells, row.hints, strict=True), strict=True))
        sent = f"{cells[UPLOAD][0]} of it upload"
        label = Cell(s.contender.label, first_reason(s.reasons), bold=True, mark=s.contender.contender_id)
        told = [
            Cell(text, sent if head == DELIVERED else hint, right=True)
            for head, (text, hint) in cells.items()
            if head not in (HEADINGS[0], UPLOAD)
        ]
        return [label, forecast, *told]

    # What is asked for

    def _set(self, key: str, value: float | bool) -> None:
        changed: dict[str, Any] = {key: value}
        self._keep(replace(self.model.evidence.facts.worth, **changed))

    def _set_price(self, often: str, value: float) -> None:
        worth = self.model.evidence.facts.worth
        prices = {**dict(getattr(worth, often)), self.model.selection: value}
        changed: dict[str, Any] = {often: tuple(sorted((k, v) for k, v in prices.items() if v > 0))}
        self._keep(replace(worth, **changed))

    def _keep(self, worth: Worth) -> None:
        try:
            self.model.set_worth(worth)
            self.trouble.hide()
        except OvrikError as exc:
            self.trouble.setText(str(exc))
            self.trouble.show()

    def _selected(self, chosen: int) -> None:
        blocked = self.table.blockSignals(True)
        self.table.choose(chosen)
        self.table.blockSignals(blocked)
        self._show_price()

    def _show_price(self) -> None:
        s, worth = self.model.summary, self.model.evidence.facts.worth
        self.price_of.setText(f"price of {s.contender.label}" if s else "price")
        for field, of in ((self.price, worth.price_of), (self.yearly, worth.yearly_of)):
            blocked = field.blockSignals(True)
            field.setValue(of(s.contender.contender_id) if s else 0.0)
            field.blockSignals(blocked)


def _field(title: str, most: float, digits: int, step: float, suffix: str) -> QDoubleSpinBox:
    made = QDoubleSpinBox()
    made.setRange(LEAST.get(title, 0.0), most)
    made.setDecimals(digits)
    made.setSingleStep(step)
    made.setSuffix(suffix)
    made.setButtonSymbols(QDoubleSpinBox.ButtonSymbols.NoButtons)
    made.setKeyboardTracking(False)
    made.setAccessibleName(title if title != "of" else "minutes of each export")
    made.setFixedWidth(theme.scaled(84))
    return made
