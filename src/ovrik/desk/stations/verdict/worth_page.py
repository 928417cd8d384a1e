"""What it is worth: how the times and sizes come out in use, and when a price has paid for itself."""

from dataclasses import replace
from functools import partial
from typing import Any

from PyQt6.QtGui import QShowEvent
from PyQt6.QtWidgets import QDoubleSpinBox, QVBoxLayout, QWidget

from ovrik.desk.model.study import DeskModel
from ovrik.desk.style import theme
from ovrik.desk.widgets.flow import Flow, together
from ovrik.desk.widgets.table import Cell, DeskTable
from ovrik.desk.widgets.text import label, sheet
from ovrik.errors import OvrikError
from ovrik.report.words.numbers import NONE, payoff_words, size_words
from ovrik.report.words.phrases import seconds_words
from ovrik.report.words.reasons import first_reason
from ovrik.study.question.worth import MOST, Worth
from ovrik.work.answers.worth import Used, programme_worth, used
from ovrik.work.evidence.gathered import Evidence

FIELDS = (
    ("exports_a_week", "exports a week", 0, 1.0, ""),
    ("minutes", "of", 1, 1.0, " min"),
    ("line_mbit_s", "upload line", 1, 5.0, " Mb/s"),
    ("years_kept", "kept for", 1, 1.0, " years"),
    ("an_hour", "an hour costs", 2, 10.0, ""),
)
HEADINGS = (
    "Contender",
    "Programme",
    "One export",
    "Upload",
    "Delivered",
    "Hours a week",
    "Saved a week",
    "Stored",
    "Price paid after",
)
ABOUT = (
    "One export = what every export pays once + the rest of the usual time · minutes / the excerpt's; what is paid "
    "once is known where segments were timed (Timing, Parts and whole), else everything is drawn out. Upload = "
    "8 · bytes / line. The whole programme is forecast from the same segments."
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
        self.price, self.price_of = QDoubleSpinBox(), label("", "soft")
        self.table = DeskTable(HEADINGS, "What each contender comes to in use", last_fills=True)
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
        self.price.setRange(0.0, 1e9)
        self.price.setDecimals(2)
        self.price.setButtonSymbols(QDoubleSpinBox.ButtonSymbols.NoButtons)
        self.price.setKeyboardTracking(False)
        self.price.setAccessibleName("Price of the selected contender")
        self.price.setToolTip("What a licence or a device costs once, in the same currency as the hour")
        self.price.setFixedWidth(theme.scaled(84))
        self.price.valueChanged.connect(self._set_price)
        row.addWidget(together(self.price_of, self.price))
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
        inner.addWidget(label(ABOUT, "soft", wrap=True))
        inner.addWidget(self.table, 1)
        column.addWidget(frame, 1)

    def lock(self, _locked: bool, fixed: bool) -> None:
        """Let nothing be changed in a study that can't be written."""
        for field in (*self.fields.values(), self.price):
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
        found = used(e)
        self.sentence.setText(sentence(found, e))
        self.payoffs.setText(
            " ".join(f"{s.contender.label}: {payoff_words(s.payoff)}." for s in e.summaries if s.payoff)
        )
        self.payoffs.setVisible(bool(self.payoffs.text()))
        ranked = sorted(found, key=lambda u: u.found.week_h if u.found else float("inf"))
        rows = [self._cells(u, e) for u in ranked]
        self.table.fill(rows, [u.summary.contender.contender_id for u in ranked], self.model.selection)
        self.table.first_gives_way(140)
        self._show_price()

    def _cells(self, u: Used, e: Evidence) -> list[Cell]:
        s, f = u.summary, u.found
        whole = programme_worth(self.model.study, e, s)
        forecast = Cell(NONE, "no segments were timed", right=True)
        if whole:
            seconds, low, high, basis = whole
            forecast = Cell(
                seconds_words(seconds), f"{seconds_words(low)} to {seconds_words(high)}: {basis}", right=True
            )
        if f is None:
            return [
                Cell(s.contender.label, bold=True, mark=s.contender.contender_id),
                forecast,
                *[Cell(NONE, right=True)] * 7,
            ]
        pays = NONE if not u.price else "never" if f.pays_exports is None else f"{f.pays_exports} exports"
        weeks = (
            f.pays_exports / e.facts.worth.exports_a_week
            if f.pays_exports and e.facts.worth.exports_a_week
            else None
        )
        return [
            Cell(s.contender.label, first_reason(s.reasons), bold=True, mark=s.contender.contender_id),
            forecast,
            Cell(seconds_words(f.export_s), right=True),
            Cell(seconds_words(f.upload_s) if f.upload_s is not None else NONE, right=True),
            Cell(seconds_words(f.delivered_s) if f.delivered_s is not None else NONE, right=True),
            Cell(f"{f.week_h:.2f}", right=True, bold=True),
            Cell(f"{f.saved_week_h:+.2f} h".replace("-", "−"), "against the baseline", right=True),
            Cell(size_words(round(f.stored_bytes)) if f.stored_bytes is not None else NONE, right=True),
            Cell(
                pays,
                f"{weeks:.0f} weeks" if weeks else "set an hour's cost" if u.price and not pays else "",
                right=True,
            ),
        ]

    # What is asked for

    def _set(self, key: str, value: float) -> None:
        changed: dict[str, Any] = {key: value}
        self._keep(replace(self.model.evidence.facts.worth, **changed))

    def _set_price(self, value: float) -> None:
        worth = self.model.evidence.facts.worth
        prices = {**dict(worth.prices), self.model.selection: value}
        self._keep(replace(worth, prices=tuple(sorted((k, v) for k, v in prices.items() if v > 0))))

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
        blocked = self.price.blockSignals(True)
        self.price_of.setText(f"price of {s.contender.label}" if s else "price")
        self.price.setValue(worth.price_of(s.contender.contender_id) if s else 0.0)
        self.price.blockSignals(blocked)


def _field(title: str, most: float, digits: int, step: float, suffix: str) -> QDoubleSpinBox:
    made = QDoubleSpinBox()
    made.setRange(0.0 if title != "upload line" else 0.1, most)
    made.setDecimals(digits)
    made.setSingleStep(step)
    made.setSuffix(suffix)
    made.setButtonSymbols(QDoubleSpinBox.ButtonSymbols.NoButtons)
    made.setKeyboardTracking(False)
    made.setAccessibleName(title if title != "of" else "minutes of each export")
    made.setFixedWidth(theme.scaled(84))
    return made


def sentence(found: list[Used], e: Evidence) -> str:
    """What the choice saves in a week, and what is delivered first."""
    able = [u for u in found if u.found and u.summary.acceptable]
    if not able:
        return "Nothing acceptable was timed yet."
    choice = next((u for u in able if u.summary.standing == "choice"), able[0])
    w = e.facts.worth
    assert choice.found is not None
    saved = choice.found.saved_week_h
    how = f"saves {saved:.1f} hours" if saved >= 0 else f"costs {-saved:.1f} hours more"
    out = (
        f"{choice.summary.contender.label} {how} a week against the baseline, at {w.exports_a_week:g} exports of "
        f"{w.minutes:g} min."
    )
    sent = [u for u in able if u.found and u.found.delivered_s is not None]
    first = min(sent, key=lambda u: u.found.delivered_s or 0.0, default=None)  # type: ignore[union-attr]
    if first is not None and first is not choice:
        out += f" On a line of {w.line_mbit_s:g} Mb/s {first.summary.contender.label} is delivered first."
    return out
