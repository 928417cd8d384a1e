"""The ranking as a table over the whole page: sorted, filtered, its columns chosen, copied as text or CSV."""

from functools import partial

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QAction, QGuiApplication
from PyQt6.QtWidgets import QComboBox, QDoubleSpinBox, QLineEdit, QMenu, QToolButton, QVBoxLayout, QWidget

from ovrik.desk.model.ranking import COLUMNS, DRAWN, RankingColumn, as_rows, columns_of, ranked, rates
from ovrik.desk.model.study import DeskModel
from ovrik.desk.widgets.flow import Flow
from ovrik.desk.widgets.intervals import IntervalColumn
from ovrik.desk.widgets.table import Cell, DeskTable
from ovrik.desk.widgets.text import button, label, sheet
from ovrik.report.forms.as_csv import csv_rows, tab_text
from ovrik.report.words.numbers import (
    ANSWERS,
    how_timed,
    left_out_words,
    ratio_words,
    saved_words,
    spread_formula,
    together_words,
    usual_words,
)
from ovrik.report.words.reasons import bound_words, reasons_words
from ovrik.work.answers.pairs import compare
from ovrik.work.evidence.gathered import Evidence
from ovrik.work.evidence.summary import Summary

USUAL_SORT = "time"


class RankingPage(QWidget):
    """Follows the model. A click on a heading sorts by it, a second one turns the order round."""

    def __init__(self, model: DeskModel) -> None:
        super().__init__()
        self.model = model
        self.columns = columns_of(model.evidence)
        self.hidden = {c.key for c in self.columns if not c.usual}
        self.sorted_by, self.falling = USUAL_SORT, False
        self.found: list[Summary] = []
        self._drawn: object = None
        self.table = DeskTable(
            [c.title for c in self.columns], "Ranking against the baseline", last_fills=True
        )
        self.table.setAutoScroll(False)  # it opens at the top, wherever the selected row is
        self.intervals = IntervalColumn(self.table)
        self.table.itemSelectionChanged.connect(lambda: model.select(self.table.chosen))
        heading = self.table.horizontalHeader()
        assert heading is not None
        heading.setSectionsClickable(True)
        heading.sectionClicked.connect(self.sort_by)
        self.filter = QLineEdit()
        self.filter.setPlaceholderText("Filter: x265 -slow")
        self.filter.setAccessibleName("Filter the ranking by words of labels, settings and reasons")
        self.filter.setClearButtonEnabled(True)
        for clear in self.filter.findChildren(QToolButton):
            clear.setAccessibleName("Clear the filter")
        self.filter.textChanged.connect(lambda _t: self._from_the_top())
        self.count, self.together = label("", "soft"), label("", "soft", elide=True)
        self.band = QDoubleSpinBox()
        self.chooser = self._chooser()
        self.pair = PairLine(model)
        self._lay_out()
        model.evidence_changed.connect(self.follow)
        model.selected.connect(self._selected)
        self.follow()

    def _chooser(self) -> QToolButton:
        made = QToolButton()
        made.setText("Columns ▾")
        made.setAccessibleName("Choose columns")
        made.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        made.setProperty("role", "menu")
        made.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        made.setMenu(QMenu(made))
        return made

    def _lay_out(self) -> None:
        self.band.setRange(0.0, 20.0)
        self.band.setDecimals(1)
        self.band.setSuffix(" %")
        self.band.setButtonSymbols(QDoubleSpinBox.ButtonSymbols.NoButtons)
        self.band.setKeyboardTracking(False)
        self.band.setAccessibleName("Tie band")
        self.band.setToolTip("It is a tie when the whole interval lies this close to 1")
        self.band.valueChanged.connect(lambda v: self.model.set_tie_band(v / 100))
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        frame, inner = sheet()
        bar = QWidget()
        bar.setObjectName("bar")
        row = Flow(6).add(self.filter, self.count, self.chooser)
        row.add(
            button("Copy as text", lambda: self.copy(tab_text), hint="The rows on show, separated by tabs"),
            button("Copy as CSV", lambda: self.copy(csv_rows), hint="The rows on show, separated by commas"),
        )
        row.add(None, label("tie within ±", "soft"), self.band)
        bar.setLayout(row)
        inner.addWidget(bar)
        inner.addWidget(self.table, 1)
        inner.addWidget(self.together)
        inner.addWidget(self.pair)
        column.addWidget(frame)

    def lock(self, _locked: bool, fixed: bool) -> None:
        """The band is the study's own: it changes nothing in one that can't be written."""
        self.band.setEnabled(not fixed)

    # What is shown

    def follow(self) -> None:
        """Take in what is new."""
        e = self.model.evidence
        self.columns = columns_of(e)
        known = {c.key for c in COLUMNS}
        own = {c.key for c in self.columns if c.key not in known and not c.usual}  # of this line-up alone
        self.hidden |= own - self._asked
        if self.table.columnCount() != len(self.columns):
            self.table.set_headings([c.title for c in self.columns])
        self.band.blockSignals(True)
        self.band.setValue(100 * e.facts.tie_band)
        self.band.blockSignals(False)
        several = any(s.apart.warning and s.ratio for s in e.summaries)
        star = " * differs from the baseline in more than one thing." if several else ""
        self.together.setText(together_words(e.comparisons, e.looks) + star)
        self._fill_chooser()
        bar = self.table.verticalScrollBar()
        at = bar.value() if bar is not None else 0
        self.fill()
        if bar is not None:
            bar.setValue(at)

    _asked: frozenset[str] = frozenset()

    def fill(self) -> None:
        """The rows, as they are filtered and sorted now."""
        e = self.model.evidence
        by = next((c for c in self.columns if c.key == self.sorted_by), None)
        self.found = ranked(e, by, self.falling, self.filter.text())
        places = {c.key: n for n, c in enumerate(self.columns)}
        drawn = places[DRAWN]
        self.table.setItemDelegateForColumn(drawn, self.intervals)
        self.intervals.show([(s.contender.contender_id, s.ratio) for s in self.found], e.facts.tie_band)
        shown = [c.key not in self.hidden for c in self.columns]
        rows = [
            [self._cell(s, e, c) if on else None for c, on in zip(self.columns, shown, strict=True)]
            for s in self.found
        ]
        self.table.fill(rows, [s.contender.contender_id for s in self.found], self.model.selection)
        self.table.show_columns(shown)
        self.table.first_gives_way(222)
        self.table.two_lines_if_there_is_room()
        self._mark_heading()
        every = len(e.summaries)
        self.count.setText(f"{len(self.found)} of {every}" if len(self.found) < every else f"{every}")

    def _mark_heading(self) -> None:
        """Say in the heading by which column the rows are sorted, and which way."""
        for n, c in enumerate(self.columns):
            item = self.table.horizontalHeaderItem(n)
            if item is not None:
                way = "" if c.key != self.sorted_by else " ▼" if self.falling else " ▲"
                item.setText(c.title + way)
                item.setToolTip(c.hint)

    def _cell(self, s: Summary, e: Evidence, c: RankingColumn) -> Cell:
        text = c.text(s, e)
        if c.key == "label":
            return Cell(
                text, " · ".join(s.contender.factors().values()), bold=True, mark=s.contender.contender_id
            )
        if c.key == "verdict":
            tone = "act" if s.standing in ("choice", "tie") else "trouble" if s.reasons else ""
            return Cell(
                text, "\n".join([*reasons_words(s.reasons), _standing(s, self.model.evidence)]).strip(), tone
            )
        if c.key == "time":
            hint = f"{usual_words(s)}; {rates(s, e)}\n{spread_formula(s)}\n{how_timed(s)}".strip()
            return Cell(text, hint, "trouble" if s.erratic else "", bold=True, right=True)
        tone = "trouble" if c.key == "spread" and s.erratic else ""
        hint = s.apart.warning if c.key == "speed" and s.apart.warning else c.hint
        return Cell(text, hint, tone, right=c.number)

    def _fill_chooser(self) -> None:
        menu = self.chooser.menu()
        assert menu is not None
        keys = [c.key for c in self.columns]
        if [a.data() for a in menu.actions()] == keys:
            return
        menu.clear()
        for c in self.columns[1:]:
            act = QAction(c.title or "Speed, drawn", menu)
            act.setData(c.key)
            act.setCheckable(True)
            act.setChecked(c.key not in self.hidden)
            act.toggled.connect(partial(self.show_column, c.key))
            menu.addAction(act)

    # What is asked for

    def show_column(self, key: str, wanted: bool) -> None:
        """Show or hide a column."""
        self.hidden = self.hidden - {key} if wanted else self.hidden | {key}
        self._asked = self._asked | {key} if wanted else self._asked - {key}
        self.fill()

    def sort_by(self, column: int) -> None:
        """Sort by a column; asked again, the other way round."""
        key = self.columns[column].key
        self.falling = not self.falling if key == self.sorted_by else False
        self.sorted_by = key
        self._from_the_top()

    def _from_the_top(self) -> None:
        self.fill()
        self.table.scrollToTop()

    def copy(self, form: object) -> None:
        """Put the rows on show on the clipboard."""
        board = QGuiApplication.clipboard()
        if board is not None:
            shown = [c for c in self.columns if c.key not in self.hidden]
            board.setText(form(as_rows(self.model.evidence, shown, self.found)))  # type: ignore[operator]

    def _selected(self, number: int) -> None:
        blocked = self.table.blockSignals(True)
        self.table.choose(number)
        self.table.blockSignals(blocked)


def _standing(s: Summary, e: Evidence) -> str:
    """How a contender stands against the choice, and why it is not timed any more."""
    if s.gain is None or not s.standing:
        return ""
    most = "the choice" if s.standing == "choice" else bound_words(s.gain, "the choice")
    left = left_out_words(s, e)
    return f"{most} (95 %, all together)" + (f"; left out: {left}" if left else "")


class PairLine(QWidget):
    """Two choices and what comes of them; the second follows what is selected in the roster."""

    def __init__(self, model: DeskModel) -> None:
        super().__init__()
        self.model = model
        self.first, self.second = QComboBox(), QComboBox()
        self.first.setAccessibleName("Compared with")
        self.second.setAccessibleName("This contender")
        self.result = label("", elide=True)
        row = Flow()
        row.setContentsMargins(0, 4, 0, 0)
        self.setLayout(
            row.add(label("Any pair", "head"), self.second, label("against"), self.first, self.result)
        )
        for box in (self.first, self.second):
            box.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
            box.setMinimumContentsLength(19)
            box.activated.connect(lambda _n: self.show_pair())
        model.evidence_changed.connect(self.follow)
        model.selected.connect(self._selected)
        self.follow()

    def follow(self) -> None:
        """Take in what is new; what was chosen stays."""
        timed = [s.contender for s in self.model.evidence.summaries if s.counted]
        base = self.model.evidence.facts.baseline_id or 0
        others = [c.contender_id for c in timed if c.contender_id != base]
        chosen = self.model.selection if self.model.selection in others else next(iter(others), 0)
        for box, usual in ((self.first, base), (self.second, chosen)):
            now = box.currentData() or usual
            box.clear()
            for c in timed:
                box.addItem(c.label, c.contender_id)
            box.setCurrentIndex(max(0, box.findData(now)))
        self.show_pair()

    def _selected(self, contender_id: int) -> None:
        at = self.second.findData(contender_id)
        if at >= 0:
            self.second.setCurrentIndex(at)
            self.show_pair()

    def show_pair(self) -> None:
        """Say how the second compares with the first."""
        one, other = self.first.currentData() or 0, self.second.currentData() or 0
        found = compare(self.model.evidence, one, other) if one != other else None
        if found is None:
            self.result.setText("Choose two that were timed")
            self.result.setToolTip("")
            return
        things = len(found.apart.differ)
        unlike = f"; they differ in {things} things" if found.apart.warning else ""
        said = f"{ANSWERS[found.answer]}: {ratio_words(found.ratio)}, {saved_words(found.ratio)}{unlike}"
        self.result.setText(said)
        rounds = found.ratio.pairs if found.ratio else 0
        self.result.setToolTip(
            f"{said}\nThe quotient of their usual times; {rounds} rounds shared. "
            f"{together_words(found.among, self.model.evidence.looks)} "
            f"{found.apart.warning}"
        )
