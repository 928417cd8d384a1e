"""A row that breaks into several where there is not room enough for one."""

from PyQt6.QtCore import QMargins, QRect, QSize, Qt
from PyQt6.QtWidgets import QHBoxLayout, QLayout, QLayoutItem, QSizePolicy, QSpacerItem, QWidget

MOST_BETWEEN_LINES = 8
"""Pixels, however far apart things stand in a line."""


class Flow(QLayout):
    """Items from left to right, in as many lines as they need; what comes after the stretch stands at the right
    end of its line. An item whose size policy expands takes what its line leaves."""

    def __init__(self, spacing: int = 6) -> None:
        super().__init__()
        self._items: list[QLayoutItem] = []
        self._heights: dict[int, int] = {}
        self._between_lines = min(spacing, MOST_BETWEEN_LINES)
        self.setContentsMargins(QMargins())
        self.setSpacing(spacing)

    def add(self, *parts: QWidget | None) -> "Flow":
        """Add widgets in order; None is the stretch."""
        for part in parts:
            if part is None:
                policy = QSizePolicy.Policy
                self.addItem(QSpacerItem(0, 0, policy.Expanding, policy.Minimum))
            else:
                self.addWidget(part)
        return self

    def addItem(self, item: QLayoutItem | None) -> None:
        """Part of Qt's interface of layouts, as are those below."""
        if item is not None:
            self._items.append(item)

    def count(self) -> int:
        return len(self._items)

    def itemAt(self, index: int) -> QLayoutItem | None:
        return self._items[index] if 0 <= index < len(self._items) else None

    def takeAt(self, index: int) -> QLayoutItem | None:
        return self._items.pop(index) if 0 <= index < len(self._items) else None

    def expandingDirections(self) -> Qt.Orientation:
        return Qt.Orientation.Horizontal

    def hasHeightForWidth(self) -> bool:
        return True

    def heightForWidth(self, width: int) -> int:
        # Asked for by every layout above it, several times each: worked out once until something in it changes.
        if width not in self._heights:
            self._heights[width] = self._arrange(QRect(0, 0, width, 0), place=False)
        return self._heights[width]

    def invalidate(self) -> None:
        self._heights.clear()
        super().invalidate()

    def setGeometry(self, rect: QRect) -> None:
        super().setGeometry(rect)
        self._arrange(rect, place=True)

    def sizeHint(self) -> QSize:
        shown = [_wanted(i) for i in self._items if not i.isEmpty()]
        gaps = self.spacing() * max(0, len(shown) - 1)
        return QSize(sum(s.width() for s in shown) + gaps, max((s.height() for s in shown), default=0))

    def minimumSize(self) -> QSize:
        sizes = [_least(i) for i in self._items if not i.isEmpty()]
        return QSize(max((s.width() for s in sizes), default=0), max((s.height() for s in sizes), default=0))

    def _arrange(self, rect: QRect, place: bool) -> int:
        y = rect.y()
        for line in self._lines(rect.width()):
            height = max(_wanted(i).height() for i in line if not i.spacerItem())
            if place:
                self._place(line, QRect(rect.x(), y, rect.width(), height))
            y += height + self._between_lines
        return max(0, y - rect.y() - self._between_lines)

    def _lines(self, width: int) -> list[list[QLayoutItem]]:
        lines: list[list[QLayoutItem]] = []
        used = 0
        for item in self._items:
            spacer = item.spacerItem() is not None
            if item.isEmpty() and not spacer:
                continue
            need = 0 if spacer else _wanted(item).width() + self.spacing()
            if not lines or (
                used + need > width + self.spacing() and any(not i.spacerItem() for i in lines[-1])
            ):
                # The stretch goes with what comes after it.
                last = lines[-1] if lines else []
                lines.append([last.pop()] if last and last[-1].spacerItem() else [])
                used = 0
            lines[-1].append(item)
            used += need
        return [line for line in lines if any(not i.spacerItem() for i in line)]

    def _place(self, line: list[QLayoutItem], rect: QRect) -> None:
        widths = [0 if i.spacerItem() else min(_wanted(i).width(), rect.width()) for i in line]
        gaps = self.spacing() * (sum(not i.spacerItem() for i in line) - 1)
        spare = max(0, rect.width() - sum(widths) - gaps)
        greedy = [n for n, i in enumerate(line) if i.expandingDirections() & Qt.Orientation.Horizontal]
        if greedy:
            widths[greedy[0]] += spare
        x = rect.x()
        for item, width in zip(line, widths, strict=True):
            if item.spacerItem():
                x += width
                continue
            height = min(_wanted(item).height(), rect.height())
            item.setGeometry(QRect(x, rect.y() + (rect.height() - height) // 2, width, height))
            x += width + self.spacing()


def _wanted(item: QLayoutItem) -> QSize:
    return item.sizeHint().expandedTo(item.minimumSize())


def _least(item: QLayoutItem) -> QSize:
    return item.minimumSize() if item.minimumSize().width() else item.sizeHint()


def together(*parts: QWidget) -> QWidget:
    """Widgets side by side that a flow does not part."""
    made = QWidget()
    row = QHBoxLayout(made)
    row.setContentsMargins(QMargins())
    row.setSpacing(8)
    for part in parts:
        row.addWidget(part)
    return made
