"""A table whose cells can be copied and whose rows can be chosen by key."""

from collections.abc import Sequence
from dataclasses import dataclass

from PyQt6.QtCore import QPointF, QRect, QSize, Qt
from PyQt6.QtGui import (
    QColor,
    QContextMenuEvent,
    QGuiApplication,
    QKeyEvent,
    QKeySequence,
    QPainter,
    QPixmap,
    QResizeEvent,
)
from PyQt6.QtWidgets import QAbstractItemView, QHeaderView, QTableWidget, QTableWidgetItem

from ovrik.desk.style import marks, theme
from ovrik.desk.widgets.copying import offer, table_acts
from ovrik.desk.widgets.labels import LabelDelegate

ROW_PX, TWO_LINES_PX, LEAST_NAME_PX = 25, 42, 170
"""Height of a row, of one with two lines, and the least width of a name, at the usual text size."""


@dataclass(frozen=True)
class Cell:
    """Fields: `text`; `hint` on hover; `tone`, "" or "soft", "trouble", "act"; `bold`;
    `right`, aligned as a number; `mark`, a contender's number to show its mark; `struck`, crossed out."""

    text: str
    hint: str = ""
    tone: str = ""
    bold: bool = False
    right: bool = False
    mark: int = 0
    struck: bool = False


class DeskTable(QTableWidget):
    """Rows of `Cell`; `keys` gives each row a number of its own."""

    def __init__(self, headings: Sequence[str], name: str, last_fills: bool = False) -> None:
        """With `last_fills` the last column takes what is left."""
        super().__init__(0, len(headings))
        self.setAccessibleName(name)
        self.setHorizontalHeaderLabels(list(headings))
        self.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        self.setShowGrid(False)
        self.setWordWrap(False)
        self.setTabKeyNavigation(False)
        self.setHorizontalScrollMode(QAbstractItemView.ScrollMode.ScrollPerPixel)
        self.setItemDelegate(LabelDelegate(self))
        self.keys: list[int] = []
        self._first_gives_way, self._least_name, self._two_lines = False, 0, False
        down, across = self.verticalHeader(), self.horizontalHeader()
        assert down is not None
        assert across is not None
        down.hide()
        self.row_px = theme.scaled(ROW_PX)
        down.setMinimumSectionSize(1)
        down.setDefaultSectionSize(self.row_px)
        across.setHighlightSections(False)
        across.setDefaultAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter)
        across.setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
        across.setResizeContentsPrecision(60)
        across.setStretchLastSection(last_fills)

    def fill(self, rows: Sequence[Sequence[Cell | None]], keys: Sequence[int], chosen: int = 0) -> None:
        """Show these rows; the row whose key is `chosen` is selected. None is a cell that is not shown."""
        blocked, across = self.blockSignals(True), self.horizontalHeader()
        assert across is not None
        modes = [across.sectionResizeMode(c) for c in range(self.columnCount())]
        across.setSectionResizeMode(
            QHeaderView.ResizeMode.Fixed
        )  # else each cell has all widths worked out anew
        self.keys = list(keys)
        self.setRowCount(len(rows))
        for r, cells in enumerate(rows):
            for c, cell in enumerate(cells):
                self.setItem(r, c, _item(cell) if cell else None)
        if rows:
            for c, cell in enumerate(rows[0]):
                heading = self.horizontalHeaderItem(c)
                if cell and cell.right and heading:
                    heading.setTextAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        for column, mode in enumerate(modes):
            across.setSectionResizeMode(column, mode)
        self.choose(chosen, show=False)
        self.blockSignals(blocked)

    def set_headings(self, headings: Sequence[str]) -> None:
        """Have other columns from now on; the rows are to be filled anew."""
        now = [
            item.text() if (item := self.horizontalHeaderItem(c)) else "" for c in range(self.columnCount())
        ]
        if now != list(headings):
            self.setColumnCount(len(headings))
            self.setHorizontalHeaderLabels(list(headings))
            across = self.horizontalHeader()
            if across is not None:  # new columns would be as wide as any
                across.setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)

    def show_columns(self, shown: Sequence[bool]) -> None:
        """Show or hide each column."""
        for column, wanted in enumerate(shown):
            self.setColumnHidden(column, not wanted)

    def share_width(self, but_first: bool = False) -> None:
        """All columns equally wide; with `but_first` the first is as wide as it needs to be."""
        heading = self.horizontalHeader()
        if heading is not None:
            heading.setStretchLastSection(False)
            heading.setSectionResizeMode(QHeaderView.ResizeMode.Stretch)
            if but_first:
                heading.setSectionResizeMode(0, QHeaderView.ResizeMode.ResizeToContents)

    def two_lines_if_there_is_room(self) -> None:
        """Rows are tall enough for two lines of text where all of them still fit."""
        self._two_lines = True
        self._share_height()

    def _share_height(self) -> None:
        down, port = self.verticalHeader(), self.viewport()
        if down is None or port is None or not self._two_lines:
            return
        tall = theme.scaled(TWO_LINES_PX)
        fits = tall * self.rowCount() <= port.height()
        self.setWordWrap(fits)
        down.setDefaultSectionSize(tall if fits else self.row_px)

    def sizeHint(self) -> QSize:
        """A few rows; it takes what more there is."""
        return QSize(super().sizeHint().width(), max(self.minimumHeight(), self.row_px * 4))

    def minimumSizeHint(self) -> QSize:
        """The heading and two rows."""
        return QSize(super().minimumSizeHint().width(), self.row_px * 3)

    def fit(self, most_rows: int) -> None:
        """Be as tall as the rows, up to so many."""
        heading = self.horizontalHeader()
        top = heading.sizeHint().height() if heading is not None else self.row_px
        self.setFixedHeight(top + self.row_px * min(max(self.rowCount(), 1), most_rows) + 4)

    def first_gives_way(self, least_px: int = LEAST_NAME_PX) -> None:
        """The first column, of names, takes what the others leave: all that it wants, or what can just be read, with
        the whole on hover."""
        heading = self.horizontalHeader()
        if heading is not None:
            heading.setSectionResizeMode(0, QHeaderView.ResizeMode.Interactive)
        self._first_gives_way, self._least_name = True, theme.scaled(least_px)
        self._share_out()

    def _share_out(self) -> None:
        heading, port = self.horizontalHeader(), self.viewport()
        if heading is None or port is None or not self._first_gives_way:
            return
        last = self.columnCount() - 1
        others = sum(
            max(self.sizeHintForColumn(c), heading.sectionSizeHint(c)) if c == last else self.columnWidth(c)
            for c in range(1, last + 1)
            if not self.isColumnHidden(c)
        )
        wanted = max(self.sizeHintForColumn(0), heading.sectionSizeHint(0))
        heading.resizeSection(0, min(wanted, max(port.width() - others, self._least_name)))

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        """The columns share what there is now."""
        super().resizeEvent(event)
        self._share_out()
        self._share_height()

    def fit_between(self, least_rows: int) -> None:
        """Take what height there is: no less than so many rows, no more than there are."""
        heading = self.horizontalHeader()
        top = (heading.sizeHint().height() if heading is not None else self.row_px) + 4
        bar = self.horizontalScrollBar()
        top += bar.sizeHint().height() if bar is not None and bar.isVisible() else 0
        self.setMinimumHeight(top + self.row_px * least_rows)
        self.setMaximumHeight(top + self.row_px * max(self.rowCount(), least_rows))

    def choose(self, key: int, show: bool = True) -> None:
        """Select the row of this key, and bring it into view."""
        if key in self.keys:
            self.selectRow(row := self.keys.index(key))
            if show:
                self.scrollToItem(self.item(row, 0))
        else:
            self.clearSelection()

    @property
    def chosen(self) -> int:
        """Key of the selected row, or 0."""
        row = self.currentRow()
        return self.keys[row] if 0 <= row < len(self.keys) else 0

    def contextMenuEvent(self, event: QContextMenuEvent | None) -> None:
        """Offer all of it, as text, as CSV, or as a picture."""
        offer(self, event, table_acts(self))

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Copy takes the selected row as tab-separated text."""
        if event and event.matches(QKeySequence.StandardKey.Copy):
            row = self.currentRow()
            texts = [self.item(row, c) for c in range(self.columnCount())]
            board = QGuiApplication.clipboard()
            if board and row >= 0:
                board.setText("\t".join(i.text() if i else "" for i in texts))
            return
        super().keyPressEvent(event)


def _item(cell: Cell) -> QTableWidgetItem:
    item = QTableWidgetItem(cell.text)
    t = theme.tones()
    item.setToolTip(cell.hint if cell.text in cell.hint else "\n".join(filter(None, (cell.text, cell.hint))))
    if cell.tone:
        item.setForeground(QColor(getattr(t, cell.tone)))
    if cell.bold or cell.struck:
        font = theme.font(10, 600 if cell.bold else 400)
        font.setStrikeOut(cell.struck)
        item.setFont(font)
    if cell.right:
        item.setTextAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
    if cell.mark:
        item.setData(Qt.ItemDataRole.DecorationRole, mark_picture(cell.mark))
    return item


def mark_picture(contender_id: int, size: int = 14) -> QPixmap:
    """A contender's mark as a small picture."""
    picture = QPixmap(size * 2, size * 2)
    picture.setDevicePixelRatio(2)
    picture.fill(Qt.GlobalColor.transparent)
    painter = QPainter(picture)
    centre = QRect(0, 0, size, size).center()
    marks.paint(painter, QPointF(centre.x() + 0.5, centre.y() + 0.5), size * 0.78, contender_id)
    painter.end()
    return picture
