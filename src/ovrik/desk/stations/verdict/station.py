"""Verdict: the choice and the picture of the trade-off, and page by page what it rests on."""

from functools import cached_property
from typing import TYPE_CHECKING, TypeVar

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QVBoxLayout, QWidget

from ovrik.desk.model.study import DeskModel
from ovrik.desk.stations.verdict.choice_page import ChoicePage
from ovrik.desk.widgets.pages import Pages

if TYPE_CHECKING:
    from ovrik.desk.stations.verdict.equal_page import EqualPage
    from ovrik.desk.stations.verdict.factor_page import FactorPage
    from ovrik.desk.stations.verdict.history_page import HistoryPage
    from ovrik.desk.stations.verdict.kinds_page import KindsPage
    from ovrik.desk.stations.verdict.ranking_page import RankingPage
    from ovrik.desk.stations.verdict.reasons_page import ReasonsPage
    from ovrik.desk.stations.verdict.worth_page import WorthPage

Page = TypeVar("Page", bound=QWidget)
PAGES = (
    ("choice", "Choice", "The choice, the limits and the picture of the trade-off"),
    ("ranking", "Ranking", "Everybody in a table"),
    ("factors", "By factor", "What the version, the preset, the acceleration brings"),
    ("equal", "Equal quality", "Each encoder at the setting that just meets a floor"),
    ("kinds", "All footage", "Several kinds of footage, and a verdict over all of them"),
    ("history", "History", "Sittings of this study, and what changed between them"),
    ("worth", "Worth", "Hours a week, upload, storage, and when a price has paid for itself"),
    ("reasons", "Reasons", "All that was faster, all that ties, all that would change it"),
)
"""Name of the page here, its title, and what its button's hint says."""


class VerdictStation(QWidget):
    """Everything the decision rests on. The window opens on it: every page but the first is made when it is wanted.

    Signals: `footage_wanted` for another kind of footage; `sitting_wanted` for another sitting; `search_wanted`
    with contenders' numbers, the key of a floor, and the floor."""

    footage_wanted = pyqtSignal()
    sitting_wanted = pyqtSignal()
    search_wanted = pyqtSignal(list, str, float)

    def __init__(self, model: DeskModel) -> None:
        super().__init__()
        self.model = model
        self._locked = self._fixed = False
        self._places = {key: QWidget() for key, _title, _hint in PAGES}
        for place in self._places.values():
            QVBoxLayout(place).setContentsMargins(0, 0, 0, 0)
        self.pages = Pages([(title, self._places[key], hint) for key, title, hint in PAGES])
        self.choice = self._put("choice", ChoicePage(model))
        self.choice.more_wanted.connect(lambda: self.show_page(len(PAGES) - 1))
        self.pages.turned.connect(lambda n: getattr(self, PAGES[n][0]))
        column = QVBoxLayout(self)
        column.setContentsMargins(16, 12, 16, 12)
        column.addWidget(self.pages)

    def _put(self, key: str, page: Page) -> Page:
        layout = self._places[key].layout()
        assert layout is not None
        layout.addWidget(page)
        if self.isVisible():
            page.show()  # at once, not when the layout comes to it
        return page

    @cached_property
    def ranking(self) -> "RankingPage":
        """Everybody in a table."""
        from ovrik.desk.stations.verdict.ranking_page import RankingPage

        made = self._put("ranking", RankingPage(self.model))
        made.band.setEnabled(not self._fixed)
        return made

    @cached_property
    def factors(self) -> "FactorPage":
        """What each level of a factor brings."""
        from ovrik.desk.stations.verdict.factor_page import FactorPage

        return self._put("factors", FactorPage(self.model))

    @cached_property
    def equal(self) -> "EqualPage":
        """Each encoder at equal quality."""
        from ovrik.desk.stations.verdict.equal_page import EqualPage

        made = self._put("equal", EqualPage(self.model))
        made.search_wanted.connect(self.search_wanted)
        made.lock(self._locked)
        return made

    @cached_property
    def kinds(self) -> "KindsPage":
        """Several kinds of footage."""
        from ovrik.desk.stations.verdict.kinds_page import KindsPage

        made = self._put("kinds", KindsPage(self.model))
        made.add_wanted.connect(self.footage_wanted)
        made.lock(self._locked)
        return made

    @cached_property
    def history(self) -> "HistoryPage":
        """The study's sittings."""
        from ovrik.desk.stations.verdict.history_page import HistoryPage

        made = self._put("history", HistoryPage(self.model))
        made.sitting_wanted.connect(self.sitting_wanted)
        made.lock(self._locked)
        return made

    @cached_property
    def worth(self) -> "WorthPage":
        """What it is worth."""
        from ovrik.desk.stations.verdict.worth_page import WorthPage

        made = self._put("worth", WorthPage(self.model))
        made.let_change(not self._fixed)
        return made

    @cached_property
    def reasons(self) -> "ReasonsPage":
        """All that the choice says in short."""
        from ovrik.desk.stations.verdict.reasons_page import ReasonsPage

        return self._put("reasons", ReasonsPage(self.model))

    @property
    def page_key(self) -> str:
        """Name of the page on show."""
        return PAGES[self.pages.number][0]

    def show_page(self, number: int) -> None:
        """Show a page by its number, from 0."""
        self.pages.turn_to(number)

    def turn_to(self, key: str) -> None:
        """Show a page by its name."""
        self.pages.turn_to([name for name, _title, _hint in PAGES].index(key))

    def set_busy(self, busy: bool, locked: bool) -> None:
        """While a job runs no other footage is chosen and nothing is searched; limits may change all the same, but
        for a study that can't be written."""
        self._locked, self._fixed = locked, locked and not busy
        self.choice.limits.setEnabled(not self._fixed)
        self.choice.aim.setEnabled(not self._fixed)
        self.choice.chart.let_limits_move(not self._fixed)
        there = vars(self)
        if "ranking" in there:
            self.ranking.band.setEnabled(not self._fixed)
        if "worth" in there:
            self.worth.let_change(not self._fixed)
        if "kinds" in there:
            self.kinds.lock(locked)
        if "equal" in there:
            self.equal.lock(locked)
        if "history" in there:
            self.history.lock(locked)
