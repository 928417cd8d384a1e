"""Pages one of which is on show, under a row of buttons that turn to them."""

from collections.abc import Sequence
from dataclasses import dataclass
from functools import partial
from importlib import import_module
from typing import Any

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QButtonGroup, QStackedWidget, QVBoxLayout, QWidget

from ovrik.desk.widgets.flow import Flow
from ovrik.desk.widgets.text import button


@dataclass(frozen=True)
class PageEntry:
    """Fields: `key`, its name in the code; `title`; `hint`, what its button says; `made_by`, module and class, taken
    in when the page is first wanted."""

    key: str
    title: str
    hint: str
    made_by: str

    def made(self, *given: Any) -> Any:
        """The page."""
        module, _dot, name = self.made_by.rpartition(".")
        return getattr(import_module(module), name)(*given)


class Pages(QWidget):
    """Signal: `turned` with the number of the page that is on show now, from 0."""

    turned = pyqtSignal(int)

    def __init__(self, pages: Sequence[tuple[str, QWidget, str]], spacing: int = 6) -> None:
        """`pages`: title, page, and what the button's hint says."""
        super().__init__()
        self.stack, self._group = QStackedWidget(), QButtonGroup(self)
        bar, flow = QWidget(), Flow(4)
        bar.setObjectName("bar")
        for number, (title, page, hint) in enumerate(pages):
            made = button(title, partial(self.turn_to, number), hint=hint)
            made.setCheckable(True)
            self._group.addButton(made, number)
            flow.addWidget(made)
            self.stack.addWidget(page)
        bar.setLayout(flow)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(spacing)
        column.addWidget(bar)
        column.addWidget(self.stack, 1)
        self.turn_to(0)

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
