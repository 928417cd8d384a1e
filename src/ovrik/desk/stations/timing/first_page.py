"""What comes first of any contender, timed and ranked by itself: pre-renders and analyses."""

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QSpinBox, QVBoxLayout, QWidget

from ovrik.desk.model.study import DeskModel
from ovrik.desk.style import theme
from ovrik.desk.widgets.flow import Flow, together
from ovrik.desk.widgets.table import Cell, DeskTable
from ovrik.desk.widgets.text import button, label
from ovrik.report.words.numbers import NONE, size_words
from ovrik.report.words.whole_cost import name_of, step_words
from ovrik.work.campaign.first_steps import FirstRanked, ranked_first

HEADINGS = ("What comes first", "Usual", "95 %", "Times", "Size", "For")
MOST_TIMES = 20
ABOUT = "Made once for a film, before its exports: pre-renders and stabilisation analyses. Timing it makes no export."
NOTHING = (
    "Nothing that comes first has been timed. Add a contender that is pre-rendered, or stabilise a shot."
)


class FirstPage(QWidget):
    """A button that makes it so often, and a row for each thing.

    Signal: `first_wanted` with how often each is to have been made."""

    first_wanted = pyqtSignal(int)

    def __init__(self, model: DeskModel) -> None:
        super().__init__()
        self.model = model
        self.times = QSpinBox()
        self.times.setRange(1, MOST_TIMES)
        self.times.setValue(model.evidence.facts.conduct.first_times)
        self.times.setButtonSymbols(QSpinBox.ButtonSymbols.NoButtons)
        self.times.setFixedWidth(theme.scaled(48))
        self.times.setAccessibleName("Times that each is to have been made")
        self.begin = button(
            "Time what comes first",
            lambda: self.first_wanted.emit(self.times.value()),
            hint="All of it, in an order shuffled anew each time, until each was made so often",
        )
        self.table = DeskTable(
            HEADINGS, "What comes first, the quickest of each kind on top", last_fills=True
        )
        self.said = label("", "soft", wrap=True)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(8)
        column.addLayout(
            Flow(8).add(self.begin, together(label("until each was made"), self.times, label("times")))
        )
        column.addWidget(self.said)
        column.addWidget(self.table, 1)
        model.evidence_changed.connect(self.draw)

    def set_busy(self, _busy: bool, locked: bool) -> None:
        """Whether nothing may be begun."""
        self.begin.setEnabled(not locked)

    def draw(self) -> None:
        """Show what is on file."""
        found = ranked_first(self.model.evidence)
        self.said.setText(ABOUT if found else NOTHING)
        self.table.fill(list(map(_cells, found)), list(range(1, len(found) + 1)), self.table.chosen)


def _cells(found: FirstRanked) -> list[Cell]:
    step, hint = found.step, step_words(found.step)
    timed = found.seconds is not None and found.low is not None and found.high is not None
    return [
        Cell(name_of(step).capitalize(), hint, bold=True),
        Cell(f"{found.seconds:.2f} s" if timed else NONE, hint, right=True),
        Cell(f"{found.low:.2f} to {found.high:.2f} s" if timed else NONE, hint, right=True),
        Cell(str(len(step.times)), hint, right=True),
        Cell(size_words(step.bytes) if step.bytes else NONE, hint, right=True),
        Cell("; ".join(found.labels), "\n".join(found.labels)),
    ]
