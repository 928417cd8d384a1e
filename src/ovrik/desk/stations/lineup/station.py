"""Line-up: what varies and what is held; contenders one by one, or as a grid of levels."""

from functools import partial

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QButtonGroup, QHBoxLayout, QStackedWidget, QVBoxLayout, QWidget

from ovrik.desk.model.study import DeskModel
from ovrik.desk.stations.lineup.contenders import ContendersPage
from ovrik.desk.stations.lineup.grid import GridPage
from ovrik.desk.widgets.text import button, label
from ovrik.report.words.numbers import estimate_words


class LineupStation(QWidget):
    """Two pages over one line: how long the line-up will take."""

    try_wanted = pyqtSignal()

    def __init__(self, model: DeskModel) -> None:
        super().__init__()
        self.model = model
        self.contenders = ContendersPage(model)
        self.grid = GridPage(model)
        self.form, self.table, self.held = self.contenders.form, self.contenders.table, self.contenders.held
        self.note, self.keep, self.undo = self.contenders.note, self.contenders.keep, self.contenders.undo
        self.command, self.approve = self.contenders.command, self.contenders.approve
        self.pages = QStackedWidget()
        self.pages.addWidget(self.contenders)
        self.pages.addWidget(self.grid)
        self.plan = label("", "soft", wrap=True)
        self.try_them = button(
            "Try each briefly",
            self.try_wanted.emit,
            hint="Export one second with each contender that has no runs yet",
        )
        row = QHBoxLayout()
        row.setSpacing(4)
        self.group = QButtonGroup(self)
        for n, (name, hint) in enumerate(
            (("Contenders", "One by one"), ("Grid", "Levels of factors, combined"))
        ):
            made = button(name, partial(self.show_page, n), hint=hint)
            made.setCheckable(True)
            made.setChecked(n == 0)
            self.group.addButton(made, n)
            row.addWidget(made)
        row.addSpacing(12)
        row.addWidget(self.plan, 1)
        row.addWidget(self.try_them)
        column = QVBoxLayout(self)
        column.setContentsMargins(16, 14, 16, 12)
        column.setSpacing(10)
        column.addLayout(row)
        column.addWidget(self.pages, 1)
        model.evidence_changed.connect(self.follow)
        self.follow()

    def show_page(self, number: int) -> None:
        """Contenders or grid."""
        self.pages.setCurrentIndex(number)
        chosen = self.group.button(number)
        if chosen:
            chosen.setChecked(True)

    def show_contenders(self) -> None:
        """Go to the contenders, one by one."""
        self.show_page(0)

    def follow(self) -> None:
        """Take in what is new."""
        plan = self.model.plan
        if plan is None:
            return
        rounds = self.model.evidence.facts.rounds
        self.plan.setText(f"To {rounds} rounds: {estimate_words(plan)}")
        self.try_them.setEnabled(plan.missing > 0)
