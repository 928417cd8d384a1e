"""Pages one of which is on show, under a row of buttons that turn to them."""

from collections.abc import Sequence
from dataclasses import dataclass
from functools import partial
from importlib import import_module
from typing import Any

from PyQt6.QtCore import QSize, pyqtSignal
from PyQt6.QtGui import QKeySequence, QShortcut
from PyQt6.QtWidgets import QAbstractButton, QButtonGroup, QStackedWidget, QVBoxLayout, QWidget

from ovrik.desk.widgets.flow import Flow
from ovrik.desk.widgets.text import button, scrolling, sheet


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
    framed: bool = False

    def made(self, station: QWidget) -> Any:
        """The page."""
        module, _dot, name = self.made_by.rpartition(".")
        return getattr(import_module(module), name)(*(getattr(station, name) for name in self.given))


MARGINS = (16, 12, 16, 12)
"""Of every station, pixels."""


def letter_of(title: str, taken: str) -> str:
    """The first letter of a title that no other page has, "" where all are taken; words' first letters go before."""
    first = [word[0] for word in title.split()] + list(title)
    return next((x for x in map(str.upper, first) if x.isalpha() and x not in taken), "")


class Stack(QStackedWidget):
    """Pages of which only the one on show says how much room it needs."""

    def __init__(self) -> None:
        super().__init__()
        self.currentChanged.connect(lambda _n: self.updateGeometry())

    def sizeHint(self) -> QSize:
        """Of the page on show."""
        shown = self.currentWidget()
        return shown.sizeHint() if shown is not None else super().sizeHint()

    def minimumSizeHint(self) -> QSize:
        """Of the page on show."""
        shown = self.currentWidget()
        return shown.minimumSizeHint() if shown is not None else super().minimumSizeHint()


class Place(QWidget):
    """Where a page stands: while it is not on show it asks for no height."""

    def heightForWidth(self, width: int) -> int:
        """Of what is in it; -1 for none."""
        return -1 if self.isHidden() else super().heightForWidth(width)


class Pages(QWidget):
    """Alt with a letter turns to a page; so do Ctrl+Page Up and Ctrl+Page Down, one by one.

    Attributes: `bar`, the row of buttons, which may stand elsewhere; `between`, what stands between it and every
    page; `letters` of the pages.
    Signal: `turned` with the number of the page that is on show now, from 0."""

    turned = pyqtSignal(int)

    def __init__(self, pages: Sequence[tuple[str, QWidget, str]], spacing: int = 8, taken: str = "") -> None:
        """`pages`: title, page, and what the button's hint says; `taken`, letters that mean something else here."""
        super().__init__()
        self.stack, self._group, self.between = Stack(), QButtonGroup(self), QVBoxLayout()
        self.letters = taken
        self.bar, self.row = QWidget(), Flow(4)
        self.bar.setObjectName("bar")
        for number, (title, page, hint) in enumerate(pages):
            letter = letter_of(title, self.letters)
            self.letters += letter
            key = f"Alt+{letter}" if letter else ""
            made = button(title, partial(self.turn_to, number), "page", hint, key)
            made.setCheckable(True)
            self._group.addButton(made, number)
            self.row.addWidget(made)
            self.stack.addWidget(page)
        self.bar.setLayout(self.row)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(spacing)
        column.addWidget(self.bar)
        column.addLayout(self.between)
        column.addWidget(self.stack, 1)
        self.turn_to(0)

    def turn_by_keys(self) -> None:
        """Take Ctrl+Page Up and Ctrl+Page Down: of a station only its main row does."""
        for key, step in (("Ctrl+PgUp", -1), ("Ctrl+PgDown", 1)):
            QShortcut(QKeySequence(key), self).activated.connect(partial(self._turn_by, step))

    def _turn_by(self, step: int) -> None:
        self.turn_to((self.number + step) % self.stack.count())

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

    def __init__(
        self, entries: Sequence[PageEntry], station: "PagedStation", spacing: int = 8, taken: str = ""
    ) -> None:
        self.entries, self._station = entries, station
        self.keys = [entry.key for entry in entries]
        self.made: dict[str, Any] = {}
        self._places = {key: Place() for key in self.keys}
        for place in self._places.values():
            QVBoxLayout(place).setContentsMargins(0, 0, 0, 0)
        rows = [(entry.title, self._places[entry.key], entry.hint) for entry in entries]
        super().__init__(rows, spacing, taken)
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
        if entry.framed:
            frame, column = sheet()
            column.addWidget(shown)
            shown = frame
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


RESERVED = "M"
"""Letters that mean something else with Alt: More settings."""


class PagedStation(QWidget):
    """A station that has pages: each is an attribute by its key, and what a page wants (a signal `…_wanted` that its
    station has too) its station wants."""

    def __init__(self) -> None:
        super().__init__()
        self.page_rows: list[EntryPages] = []

    def rows_of(self, entries: Sequence[PageEntry], main: bool = True) -> EntryPages:
        """A row of pages; the first one is made. The main one is made last, of whatever else there is."""
        row = EntryPages(entries, self, taken=RESERVED + "".join(r.letters for r in self.page_rows))
        if main:
            row.turn_by_keys()
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
