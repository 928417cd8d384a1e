"""Verdict: the choice and the picture of the trade-off, and page by page what it rests on."""

from typing import Any

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QVBoxLayout, QWidget

from ovrik.desk.model.study import DeskModel
from ovrik.desk.widgets.pages import PageEntry, Pages

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
KEYS = [entry.key for entry in PAGES]
WISHES = ("footage_wanted", "sitting_wanted", "search_wanted", "more_wanted")


class VerdictStation(QWidget):
    """Everything the decision rests on. The window opens on it: every page but the first is made when it is wanted,
    and is then an attribute by its key. A page that has one of the signals below is heard; one that has a `lock` is
    told whether a job runs, or nothing may be changed at all.

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
        self._made: dict[str, Any] = {}
        self._places = {key: QWidget() for key in KEYS}
        for place in self._places.values():
            QVBoxLayout(place).setContentsMargins(0, 0, 0, 0)
        self.pages = Pages([(entry.title, self._places[entry.key], entry.hint) for entry in PAGES])
        self.page(KEYS[0])
        self.more_wanted.connect(lambda: self.turn_to("reasons"))
        self.pages.turned.connect(lambda n: self.page(KEYS[n]))
        column = QVBoxLayout(self)
        column.setContentsMargins(16, 12, 16, 12)
        column.addWidget(self.pages)

    def page(self, key: str) -> Any:
        """A page by its key, made now if nobody wanted it before."""
        if key not in self._made:
            self._made[key] = self._put(key, PAGES[KEYS.index(key)].made(self.model))
        return self._made[key]

    def __getattr__(self, key: str) -> Any:
        if key in KEYS:
            return self.page(key)
        raise AttributeError(key)

    def _put(self, key: str, page: Any) -> Any:
        for wish in WISHES:
            if hasattr(page, wish):
                getattr(page, wish).connect(getattr(self, wish))
        self._tell(page)
        layout = self._places[key].layout()
        assert layout is not None
        layout.addWidget(page)
        if self.isVisible():
            page.show()  # at once, not when the layout comes to it
        return page

    def _tell(self, page: Any) -> None:
        if hasattr(page, "lock"):
            page.lock(self._locked, self._fixed)

    @property
    def page_key(self) -> str:
        """Key of the page on show."""
        return KEYS[self.pages.number]

    def show_page(self, number: int) -> None:
        """Show a page by its number, from 0."""
        self.pages.turn_to(number)

    def turn_to(self, key: str) -> None:
        """Show a page by its key."""
        self.pages.turn_to(KEYS.index(key))

    def set_busy(self, busy: bool, locked: bool) -> None:
        """While a job runs no other footage is chosen and nothing is searched; limits may change all the same, but
        for a study that can't be written."""
        self._locked, self._fixed = locked, locked and not busy
        for page in self._made.values():
            self._tell(page)
