"""The grid: levels of every factor on the left, the combinations they come to on the right."""

from collections.abc import Sequence
from functools import partial
from pathlib import Path
from typing import Any

from PyQt6.QtCore import Qt, QTimer, pyqtSignal
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QComboBox,
    QGridLayout,
    QHBoxLayout,
    QHeaderView,
    QLineEdit,
    QMenu,
    QTableView,
    QWidget,
)

from ovrik.desk.model.study import DeskModel
from ovrik.desk.style import theme
from ovrik.desk.widgets.combinations import CombinationModel
from ovrik.desk.widgets.flow import Flow
from ovrik.desk.widgets.pages import Pages
from ovrik.desk.widgets.text import button, label, set_role, sheet
from ovrik.errors import OvrikError
from ovrik.study.contender.contender import FACTOR_TITLES, FACTORS
from ovrik.study.contender.grid import COMBINE, Combination, combined, expanded, filtered, in_order, level_of
from ovrik.study.programme.methods import PREFIX
from ovrik.work.lineup.able import judged_able
from ovrik.work.lineup.grid_levels import KEYS, for_key, of_contender

WAIT_MS = 200
GROUPS = (
    (
        "Settings",
        "Build, encoder and what most vary",
        (
            "build",
            "encoder",
            "preset",
            "rate_control",
            "quality",
            "bit_rate",
            "pixel_format",
            "container",
            "sound",
        ),
    ),
    (
        "How it runs",
        "Acceleration, threads, and what is rendered before",
        ("decode", "treatments", "prerendered", "threads", *(key for key in KEYS if key.startswith(PREFIX))),
    ),
)
"""Pages of levels: what belongs to neither is on a third."""
TAKEN = "CGM"
"""Letters that mean something else in this station with Alt."""


class GridPage(QWidget):
    """Levels are written with commas between them, or chosen from what is known."""

    combinations_wanted = pyqtSignal(list)

    def __init__(self, model: DeskModel) -> None:
        super().__init__()
        self.model = model
        self.found: list[Combination] = []
        self.fields: dict[str, QLineEdit] = {}
        self.combine = QComboBox()
        self.combine.addItems(COMBINE)
        self.combine.setAccessibleName("How levels are combined")
        self.combine.activated.connect(lambda _n: self.expand())
        self.order = QComboBox()
        self.order.addItem("as combined", "")
        for f in FACTORS:
            self.order.addItem(f"by {FACTOR_TITLES[f].lower()}", f)
        self.order.setAccessibleName("Order of the combinations")
        self.order.activated.connect(lambda _n: self._show())
        self.filter = QLineEdit()
        self.filter.setPlaceholderText("Filter: x265 -slow")
        self.filter.setAccessibleName("Filter the combinations")
        self.filter.textChanged.connect(lambda _t: self._show())
        self.shown = CombinationModel()
        self.view = QTableView()
        self.view.setModel(self.shown)
        self.says = label("", "soft", wrap=True)
        self.put = button("Put in the line-up", self._put, "main", "Add the combinations shown that can run")
        self._wait = QTimer(self)
        self._wait.setSingleShot(True)
        self._wait.setInterval(WAIT_MS)
        self._wait.timeout.connect(self.expand)
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(10)
        row.addWidget(self._levels())
        row.addWidget(self._combinations(), 1)
        self.take_baseline()

    def _levels(self) -> QWidget:
        frame, column = sheet()
        frame.setFixedWidth(theme.scaled(340))
        head = QHBoxLayout()
        head.addWidget(label("Levels", "head"))
        head.addWidget(label("commas between several", "soft", elide=True), 1)
        head.addWidget(
            button("From baseline", self.take_baseline, hint="Start again from the baseline's settings")
        )
        column.addLayout(head)
        grouped = {key for _title, _hint, keys in GROUPS for key in keys}
        rest = tuple(key for key in KEYS if key not in grouped)
        pages = [(title, self._fields(keys), hint) for title, hint, keys in GROUPS]
        pages.append(("Further", self._fields(rest), "Tune, GOP, size and the rest of the recipe"))
        column.addWidget(Pages(pages, taken=TAKEN), 1)
        return frame

    def _fields(self, keys: Sequence[str]) -> QWidget:
        inside = QWidget()
        grid = QGridLayout(inside)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setHorizontalSpacing(8)
        grid.setVerticalSpacing(4)
        for n, key in enumerate(keys):
            title = KEYS[key]
            field = QLineEdit()
            field.setPlaceholderText("left open")
            field.setAccessibleName(f"Levels of {title.lower()}")
            field.textEdited.connect(lambda _t: self._wait.start())
            self.fields[key] = field
            grid.addWidget(label(title, "soft"), n, 0)
            grid.addWidget(field, n, 1)
            more = button("▾", partial(self._offer, key), hint=f"Known levels of {title.lower()}")
            more.setAccessibleName(f"Known levels of {title.lower()}")
            more.setFixedWidth(theme.scaled(34))
            grid.addWidget(more, n, 2)
        grid.setRowStretch(len(keys), 1)
        return inside

    def _combinations(self) -> QWidget:
        frame, column = sheet()
        column.addLayout(
            Flow().add(
                label("Combine", "soft"), self.combine, label("order", "soft"), self.order, self.filter
            )
        )
        self.view.setAccessibleName("Combinations")
        self.view.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.view.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.view.setShowGrid(False)
        self.view.setWordWrap(False)
        self.view.setTabKeyNavigation(False)
        down, across = self.view.verticalHeader(), self.view.horizontalHeader()
        assert down is not None
        assert across is not None
        down.hide()
        down.setDefaultSectionSize(theme.scaled(24))
        across.setDefaultAlignment(Qt.AlignmentFlag.AlignLeft)
        across.setSectionResizeMode(0, QHeaderView.ResizeMode.Interactive)
        across.resizeSection(0, theme.scaled(300))
        across.setStretchLastSection(True)
        column.addWidget(self.view, 1)
        foot = QHBoxLayout()
        foot.addWidget(self.says, 1)
        foot.addWidget(self.put)
        column.addLayout(foot)
        return frame

    # Levels

    def take_baseline(self) -> None:
        """Every factor at the baseline's level: vary from there."""
        e = self.model.evidence
        base = e.of(e.facts.baseline_id or 0)
        for key, text in of_contender(base.contender if base else None).items():
            self.fields[key].setText(text)
        self.expand()

    def _offer(self, key: str) -> None:
        """The known levels, each to be put in or taken out."""
        field, menu = self.fields[key], QMenu(self)
        now = self._words(key)
        for word in for_key(key, self._words("encoder"), self.model.builds):
            action = menu.addAction(word)
            if action is None:
                continue
            action.setCheckable(True)
            action.setChecked(word in now)
            action.toggled.connect(lambda on, w=word: self.toggle(key, w, on))
        menu.exec(field.mapToGlobal(field.rect().bottomLeft()))

    def toggle(self, key: str, word: str, on: bool) -> None:
        """Put a level in, or take it out."""
        words = [w for w in self._words(key) if w != word] + ([word] if on else [])
        self.fields[key].setText(", ".join(words))
        self.expand()

    def _words(self, key: str) -> list[str]:
        return [w.strip() for w in self.fields[key].text().split(",") if w.strip()]

    def levels(self) -> dict[str, list[Any]]:
        """Levels by key; a factor left empty is not set. Raises OvrikError."""
        out: dict[str, list[Any]] = {}
        for key in KEYS:
            values = [level_of(key, w) for w in self._words(key)]
            if values:
                out[key] = values
        return out

    def _around(self) -> dict[str, Any]:
        """The baseline's levels."""
        e = self.model.evidence
        base = e.of(e.facts.baseline_id or 0)
        said = of_contender(base.contender) if base and not base.contender.outside else {}
        return {key: level_of(key, text) for key, text in said.items() if text}

    # Combinations

    def expand(self) -> None:
        """Combine the levels anew."""
        try:
            rows = combined(self.levels(), self.combine.currentText(), self._around())
            found = expanded(rows, Path.home())
        except OvrikError as exc:
            set_role(self.says, "warning")
            self.says.setText(str(exc))
            self.put.setEnabled(False)
            return
        e = self.model.evidence
        self.found = judged_able(found, e.programme, e.facts.excerpt, self.model.builds)
        self._show()

    def _show(self) -> None:
        listed = filtered(self.found, self.filter.text())
        if self.order.currentData():
            listed = in_order(listed, self.order.currentData())
        self.shown.show_combinations(listed)
        able = sum(not c.reason for c in listed)
        set_role(self.says, "soft")
        self.says.setText(f"{len(listed)} of {len(self.found)} combinations; {len(listed) - able} can't run")
        self.put.setText(f"Put {able} in the line-up")
        self.put.setEnabled(able > 0)

    def _put(self) -> None:
        self.combinations_wanted.emit(
            [c.contender for c in self.shown.listed if c.contender and not c.reason]
        )
