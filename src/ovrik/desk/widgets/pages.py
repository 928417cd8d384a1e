"""Pages one of which is on show, under a row of buttons that turn to them."""

from collections.abc import Sequence
from dataclasses import dataclass
from functools import partial
from importlib import import_module
from typing import Any

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QAbstractButton, QButtonGroup, QStackedWidget, QVBoxLayout, QWidget

from ovrik.desk.widgets.flow import Flow
from ovrik.desk.widgets.text import button, scrolling


@dataclass(frozen=True)
class PageEntry:
    """Fields: `key`, its name in the code; `title`; `hint`, what its button says; `made_by`, module and class, taken
    in when the page is first wanted; `given`, the attributes of its station that it is made of; `scrolls`, whether it
    is as high as it likes."""

    key: str
    title: str
    hint: str
    made_by: str
    given: tuple[str, ...] = ("model",)
    scrolls: bool = False

    def made(self, station: QWidget) -> Any:
        """The page."""
        module, _dot, name = self.made_by.rpartition(".")
        return getattr(import_module(module), name)(*(getattr(station, name) for name in self.given))


class Pages(QWidget):
    """Signal: `turned` with the number of the page that is on show now, from 0."""

    turned = pyqtSignal(int)

    def __init__(self, pages: Sequence[tuple[str, QWidget, str]], spacing: int = 6) -> None:
        """`pages`: title, page, and what the button's hint says."""
        super().__init__()
        self.stack, self._group = QStackedWidget(), QButtonGroup(self)
        bar, self.row = QWidget(), Flow(4)
        bar.setObjectName("bar")
        for number, (title, page, hint) in enumerate(pages):
            made = button(title, partial(self.turn_to, number), hint=hint)
            made.setCheckable(True)
            self._group.addButton(made, number)
            self.row.addWidget(made)
            self.stack.addWidget(page)
        bar.setLayout(self.row)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(spacing)
        column.addWidget(bar)
        column.addWidget(self.stack, 1)
        self.turn_to(0)

    @property
    def buttons(self) -> list[QAbstractButton]:
        """Those that turn to the pages."""
        return self._group.buttons()

    @property
    def number(self) -> int:
        """The page on show."""
        return self.stack.currentIndex()

    def turn_to(self, number: int) -> None:
        """Show a page."""
        self.stack.setCurrentIndex(number)
        chosen = self._group.button(number)
        if chosen is not None:
            chosen.setChecked(True)
        self.turned.emit(number)


class EntryPages(Pages):
    """Pages by their entries, each made when it is first wanted, for a window shows one of them at a time.

    Attributes: `made`, those that were, by key; `keys` of all, in order."""

    def __init__(self, entries: Sequence[PageEntry], station: "PagedStation", spacing: int = 6) -> None:
        self.entries, self._station = entries, station
        self.keys = [entry.key for entry in entries]
        self.made: dict[str, Any] = {}
        self._places = {key: QWidget() for key in self.keys}
        for place in self._places.values():
            QVBoxLayout(place).setContentsMargins(0, 0, 0, 0)
        super().__init__([(entry.title, self._places[entry.key], entry.hint) for entry in entries], spacing)
        self.turned.connect(lambda number: self.page(self.keys[number]))

    @property
    def key(self) -> str:
        """Of the page on show."""
        return self.keys[self.number]

    def page(self, key: str) -> Any:
        """A page by its key, made now if nobody wanted it before."""
        if key in self.made:
            return self.made[key]
        entry = self.entries[self.keys.index(key)]
        page = self.made[key] = entry.made(self._station)
        self._station.meet(page)
        layout = self._places[key].layout()
        assert layout is not None
        shown = scrolling(page) if entry.scrolls else page
        layout.addWidget(shown)
        if self.isVisible():
            shown.show()  # at once, not when the layout comes to it
        return page

    def turn_to_key(self, key: str) -> None:
        """Show a page by its key."""
        self.turn_to(self.keys.index(key))

    def tell(self, wish: str, *given: Any) -> None:
        """Call a method on every page that was made and has it."""
        for page in list(self.made.values()):
            if hasattr(page, wish):
                getattr(page, wish)(*given)


class PagedStation(QWidget):
    """A station that has pages: each is an attribute by its key, and what a page wants (a signal `…_wanted` that its
    station has too) its station wants."""

    def __init__(self) -> None:
        super().__init__()
        self.page_rows: list[EntryPages] = []

    def rows_of(self, entries: Sequence[PageEntry], spacing: int = 6) -> EntryPages:
        """A row of pages; the first one is made."""
        row = EntryPages(entries, self, spacing)
        self.page_rows.append(row)
        row.page(row.keys[0])
        return row

    def meet(self, page: Any) -> None:
        """A page was made."""
        for name in dir(type(page)):
            if name.endswith("_wanted") and hasattr(type(self), name):
                getattr(page, name).connect(getattr(self, name))

    def __getattr__(self, key: str) -> Any:
        for row in self.__dict__.get("page_rows", ()):
            if key in row.keys:
                return row.page(key)
        raise AttributeError(key)

    @property
    def pages(self) -> EntryPages:
        """The row that fills the station: it is made last, of whatever else there is."""
        return self.page_rows[-1]

    @property
    def page_key(self) -> str:
        """Key of the page on show."""
        return self.pages.key

    def page(self, key: str) -> Any:
        """A page by its key."""
        return next(row for row in self.page_rows if key in row.keys).page(key)

    def show_page(self, number: int) -> None:
        """Show a page by its number, from 0."""
        self.pages.turn_to(number)

    def turn_to(self, key: str) -> None:
        """Show a page by its key."""
        self.pages.turn_to_key(key)
