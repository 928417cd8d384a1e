"""Copying what is on show: a table as text or CSV, anything as a picture."""

from collections.abc import Callable, Sequence

from PyQt6.QtGui import QContextMenuEvent, QGuiApplication
from PyQt6.QtWidgets import QMenu, QTableWidget, QWidget

from ovrik.report.forms.as_csv import csv_rows, tab_text


def copy_picture(widget: QWidget) -> None:
    """Put a widget, as it looks, on the clipboard."""
    board = QGuiApplication.clipboard()
    if board:
        board.setPixmap(widget.grab())


def copy_text(text: str) -> None:
    """Put a text on the clipboard."""
    board = QGuiApplication.clipboard()
    if board:
        board.setText(text)


def table_rows(table: QTableWidget) -> list[list[str]]:
    """Headings and every row on show, hidden columns left out."""
    columns = [c for c in range(table.columnCount()) if not table.isColumnHidden(c)]
    heads = [item.text() if (item := table.horizontalHeaderItem(c)) else "" for c in columns]
    rows = [
        [item.text() if (item := table.item(r, c)) else "" for c in columns]
        for r in range(table.rowCount())
        if not table.isRowHidden(r)
    ]
    return [heads, *rows]


def offer(
    widget: QWidget, event: QContextMenuEvent | None, acts: Sequence[tuple[str, Callable[[], object]]]
) -> None:
    """A menu where the mouse is, or where the Menu key asks for one."""
    if event is None:
        return
    menu = QMenu(widget)
    for text, act in acts:
        chosen = menu.addAction(text)
        if chosen is not None:
            chosen.triggered.connect(lambda _checked=False, act=act: act())
    menu.popup(event.globalPos())
    event.accept()


def table_acts(table: QTableWidget) -> list[tuple[str, Callable[[], object]]]:
    """What a table offers."""
    return [
        ("Copy the table as text", lambda: copy_text(tab_text(table_rows(table)))),
        ("Copy the table as CSV", lambda: copy_text(csv_rows(table_rows(table)))),
        ("Copy as a picture", lambda: copy_picture(table)),
    ]
