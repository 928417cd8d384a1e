"""Verdict: the choice and the picture of the trade-off, and page by page what it rests on."""

from typing import Any

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QVBoxLayout

from ovrik.desk.model.study import DeskModel
from ovrik.desk.widgets.pages import MARGINS, PagedStation, PageEntry

HERE = __package__
PAGES = (
    PageEntry(
        "choice",
        "Choice",
        "The choice, the limits and the picture of the trade-off",
        f"{HERE}.choice_page.ChoicePage",
    ),
    PageEntry("ranking", "Ranking", "Everybody in a table", f"{HERE}.ranking_page.RankingPage"),
    PageEntry(
        "factors",
        "By factor",
        "What the version, the preset, the acceleration brings",
        f"{HERE}.factor_page.FactorPage",
    ),
    PageEntry(
        "equal",
        "Equal quality",
        "Each encoder at the setting that just meets a floor",
        f"{HERE}.equal_page.EqualPage",
    ),
    PageEntry(
        "kinds",
        "All footage",
        "Several kinds of footage, and a verdict over all of them",
        f"{HERE}.kinds_page.KindsPage",
    ),
    PageEntry(
        "history",
        "History",
        "Sittings of this study, and what changed between them",
        f"{HERE}.history_page.HistoryPage",
    ),
    PageEntry(
        "worth",
        "Worth",
        "Hours a week, upload, storage, and when a price has paid for itself",
        f"{HERE}.worth_page.WorthPage",
    ),
    PageEntry(
        "reasons",
        "Reasons",
        "All that was faster, all that ties, all that would change it",
        f"{HERE}.reasons_page.ReasonsPage",
    ),
)


class VerdictStation(PagedStation):
    """Everything the decision rests on. The window opens on it. A page that has a `lock` is told whether a job runs,
    or nothing may be changed at all.

    Signals: `footage_wanted` for another kind of footage; `sitting_wanted` for another sitting; `search_wanted`
    with contenders' ids, the key of a floor, and the floor; `more_wanted` for all the reasons."""

    footage_wanted = pyqtSignal()
    sitting_wanted = pyqtSignal()
    search_wanted = pyqtSignal(list, str, float)
    more_wanted = pyqtSignal()

    def __init__(self, model: DeskModel) -> None:
        super().__init__()
        self.model = model
        self._locked = self._fixed = False
        column = QVBoxLayout(self)
        column.setContentsMargins(*MARGINS)
        column.addWidget(self.rows_of(PAGES))
        self.more_wanted.connect(lambda: self.turn_to("reasons"))

    def meet(self, page: Any) -> None:
        """A page was made."""
        super().meet(page)
        if hasattr(page, "lock"):
            page.lock(self._locked, self._fixed)

    def set_busy(self, busy: bool, locked: bool) -> None:
        """While a job runs no other footage is chosen and nothing is searched; limits may change all the same, but
        for a study that can't be written."""
        self._locked, self._fixed = locked, locked and not busy
        self.pages.tell("lock", self._locked, self._fixed)
