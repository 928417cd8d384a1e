"""Thousands of combinations in a table that only draws what is in view."""

from collections.abc import Sequence
from typing import Any

from PyQt6.QtCore import QAbstractTableModel, QModelIndex, Qt
from PyQt6.QtGui import QColor

from ovrik.desk.style import theme
from ovrik.study.contender.grid import Combination

COLUMNS = ("Combination", "Here")
NOWHERE = QModelIndex()


class CombinationModel(QAbstractTableModel):
    """Rows of combinations; those that can't run are struck through and say why."""

    def __init__(self) -> None:
        super().__init__()
        self.listed: Sequence[Combination] = ()
        self._plain, self._struck = theme.font(10), theme.font(10)
        self._struck.setStrikeOut(True)

    def show_combinations(self, listed: Sequence[Combination]) -> None:
        """Show these."""
        self.beginResetModel()
        self.listed = listed
        self.endResetModel()

    def rowCount(self, parent: QModelIndex = NOWHERE) -> int:
        """How many combinations."""
        return 0 if parent.isValid() else len(self.listed)

    def columnCount(self, parent: QModelIndex = NOWHERE) -> int:
        """Label, and whether it can run."""
        return 0 if parent.isValid() else len(COLUMNS)

    def headerData(self, section: int, way: Qt.Orientation, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        """Column titles."""
        if way == Qt.Orientation.Horizontal and role == Qt.ItemDataRole.DisplayRole:
            return COLUMNS[section]
        return None

    def data(self, index: QModelIndex, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        """One cell."""
        c = self.listed[index.row()]
        first = index.column() == 0
        if role == Qt.ItemDataRole.DisplayRole:
            label = c.contender.label if c.contender else c.words
            return label if first else f"✕ {c.reason}" if c.reason else "✓ runs"
        if role == Qt.ItemDataRole.ToolTipRole:
            return c.reason or " · ".join(f"{k} {v}" for k, v in c.values.items())
        if role == Qt.ItemDataRole.FontRole:
            return self._struck if first and c.reason else self._plain
        if role == Qt.ItemDataRole.ForegroundRole:
            t = theme.tones()
            return QColor(
                t.soft if c.reason and first else t.trouble if c.reason else t.ink if first else t.act
            )
        return None
