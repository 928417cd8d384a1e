"""Labels of contenders in less room than they take: that one is simulated is never cut."""

from PyQt6.QtCore import QModelIndex, Qt
from PyQt6.QtGui import QFontMetrics, QPainter
from PyQt6.QtWidgets import QStyledItemDelegate, QStyleOptionViewItem

from ovrik.study.contender.contender import SIMULATED

BESIDE_PX = 12
"""What an item's own margins take."""


def fitted(
    metrics: QFontMetrics, label: str, room: float, mode: Qt.TextElideMode = Qt.TextElideMode.ElideMiddle
) -> str:
    """A label in so many pixels: what stands before "(simulated)" gives way, that does not."""
    head, mark, tail = label.partition(SIMULATED)
    kept = mark + tail
    return metrics.elidedText(head, mode, max(int(room) - metrics.horizontalAdvance(kept), 0)) + kept


class LabelDelegate(QStyledItemDelegate):
    """Draws texts of a table so."""

    _room: int | None = None

    def paint(self, painter: QPainter | None, option: QStyleOptionViewItem, index: QModelIndex) -> None:
        """As usual, in the room that there is."""
        self._room = option.rect.width()
        super().paint(painter, option, index)
        self._room = None

    def initStyleOption(self, option: QStyleOptionViewItem | None, index: QModelIndex) -> None:
        """Only while it is painted: a column's usual width holds the whole label."""
        super().initStyleOption(option, index)
        if option is None or self._room is None or not option.text or SIMULATED not in option.text:
            return
        mark = option.decorationSize.width() + BESIDE_PX // 2 if not option.icon.isNull() else 0
        option.text = fitted(
            option.fontMetrics, option.text, self._room - mark - BESIDE_PX, Qt.TextElideMode.ElideRight
        )
