"""The roster: the list of contenders under the study's title, and how it is arranged."""

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QComboBox, QHBoxLayout, QLineEdit, QScrollArea, QToolButton, QVBoxLayout, QWidget

from ovrik.desk.model.roster_order import LINE_UP, QUALITY, SIZE, TIME
from ovrik.desk.model.study import DeskModel
from ovrik.desk.roster.list import WIDTH_PX, RosterList
from ovrik.desk.style import theme
from ovrik.desk.widgets.text import label

MOST_SHARE = 0.29
"""The share of the window it takes at most."""


class Roster(QWidget):
    """Title of the study over the list."""

    def __init__(self, model: DeskModel) -> None:
        super().__init__()
        self.model = model
        self.setObjectName("rosterSide")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.fit(theme.scaled(WIDTH_PX) / MOST_SHARE)
        self.title, self.about = label("", "title", wrap=True), label("", "soft", wrap=True)
        self.list = RosterList(model)
        self.order, self.filter, self.fold = QComboBox(), QLineEdit(), QToolButton()
        area = self.area = QScrollArea()
        area.setWidgetResizable(True)
        area.setFrameShape(QScrollArea.Shape.NoFrame)
        area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        area.setProperty("role", "bare")
        area.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        inner = QWidget()
        column = QVBoxLayout(inner)
        column.setContentsMargins(0, 0, 0, 0)
        column.addWidget(self.list)
        column.addStretch(1)
        area.setWidget(inner)
        self.head = QVBoxLayout()
        self.head.setContentsMargins(16, 12, 12, 10)
        self.head.setSpacing(2)
        self.head.addWidget(self.title)
        self.head.addWidget(self.about)
        whole = QVBoxLayout(self)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.setSpacing(0)
        whole.addLayout(self.head)
        whole.addWidget(self._bar())
        whole.addWidget(area, 1)
        model.evidence_changed.connect(self.follow)
        model.selected.connect(self._selected)
        model.limits_tried.connect(lambda: self.list.follow_limits())
        model.live.connect(self.show_live)
        self.follow()

    def _bar(self) -> QWidget:
        """How the list is arranged."""
        self.order.setAccessibleName("Order of the roster")
        for key, words in ((LINE_UP, "line-up"), (TIME, "fastest"), (SIZE, "smallest"), (QUALITY, "best")):
            self.order.addItem(words, key)
        self.order.setToolTip("As in the line-up; or the fastest, smallest or best first")
        self.filter.setPlaceholderText("Filter")
        self.filter.setToolTip("Words of labels, settings and reasons: x265 -slow")
        self.filter.setAccessibleName("Filter the roster")
        self.filter.setClearButtonEnabled(True)
        for clear in self.filter.findChildren(QToolButton):
            clear.setAccessibleName("Clear the filter of the roster")
        self.fold.setText("fold")
        self.fold.setCheckable(True)
        self.fold.setChecked(self.list.is_folded)
        self.fold.setToolTip("One line for each contender")
        self.fold.setAccessibleName("Fold the roster to one line for each contender")
        self.fold.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.order.activated.connect(lambda _n: self._arrange())
        self.filter.textChanged.connect(lambda _t: self._arrange())
        self.fold.clicked.connect(self._fold)
        bar = QWidget()
        bar.setObjectName("bar")
        row = QHBoxLayout(bar)
        row.setContentsMargins(12, 0, 10, 8)
        row.setSpacing(6)
        row.addWidget(self.order)
        row.addWidget(self.filter, 1)
        row.addWidget(self.fold)
        return bar

    def _arrange(self) -> None:
        self.list.arrange(self.order.currentData(), self.filter.text(), self.list.folded)
        self.fold.setChecked(self.list.is_folded)
        self._show_selected()

    def _fold(self, wanted: bool) -> None:
        self.list.folded = wanted
        self._arrange()

    def _selected(self, _number: int) -> None:
        self.follow()
        self._show_selected()

    def _show_selected(self) -> None:
        """Scroll to the row of what is selected."""
        ids = [s.contender.contender_id for s in self.list.found]
        if self.model.selection in ids:
            box = self.list.box_of(ids.index(self.model.selection))
            self.area.ensureVisible(0, box.center().y(), 0, box.height())

    def follow(self) -> None:
        """Take in what is new."""
        e = self.model.evidence
        x = e.facts.excerpt
        rate = float(e.programme.rate)
        named = f", excerpt “{e.excerpt_name}”" if e.excerpt_name else ""
        self.title.setText(e.facts.title)
        self.about.setText(
            f"{e.programme.name}{named}, {x.frames} frames "
            f"({x.frames / rate:.2f} s) from {x.start_frame / rate:.2f} s"
        )
        self.list.follow()
        self.fold.setChecked(self.list.is_folded)

    def fit(self, window_width: float) -> None:
        """Take no more than a share of the window."""
        self.setFixedWidth(min(theme.scaled(WIDTH_PX), round(MOST_SHARE * window_width)))

    def show_live(self, update: object) -> None:
        """Mark what is being timed."""
        ended = update is None or bool(getattr(update, "ended", ""))
        self.list.show_live("" if ended else str(getattr(update, "label", "")))
