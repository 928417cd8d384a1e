"""Line-up: what varies and what is held; contenders one by one, or as a grid of levels."""

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QVBoxLayout

from ovrik.desk.model.study import DeskModel
from ovrik.desk.widgets.pages import MARGINS, PagedStation, PageEntry
from ovrik.desk.widgets.text import button, label
from ovrik.report.words.numbers import estimate_words

HERE = __package__
PAGES = (
    PageEntry("contenders", "Contenders", "One by one", f"{HERE}.contenders.ContendersPage"),
    PageEntry("grid", "Grid", "Levels of factors, combined", f"{HERE}.grid.GridPage"),
)


class LineupStation(PagedStation):
    """Two pages under one line: how long the line-up will take.

    Signals: `try_wanted`, one second of each; `combinations_wanted` with contenders to be added."""

    try_wanted = pyqtSignal()
    combinations_wanted = pyqtSignal(list)

    def __init__(self, model: DeskModel) -> None:
        super().__init__()
        self.model = model
        self.plan = label("", "soft", elide=True)
        self.try_them = button(
            "Try each briefly",
            self.try_wanted.emit,
            hint="Export one second with each contender that has no runs yet",
        )
        row = self.rows_of(PAGES)
        row.row.addWidget(self.plan)
        row.row.addWidget(self.try_them)
        column = QVBoxLayout(self)
        column.setContentsMargins(*MARGINS)
        column.addWidget(row)
        model.evidence_changed.connect(self.follow)
        self.follow()

    def show_contenders(self) -> None:
        """Go to the contenders, one by one."""
        self.turn_to("contenders")

    def follow(self) -> None:
        """Take in what is new."""
        plan = self.model.plan
        if plan is None:
            return
        rounds = self.model.evidence.facts.rounds
        self.plan.setText(f"To {rounds} rounds: {estimate_words(plan)}")
        self.try_them.setEnabled(plan.missing > 0)
