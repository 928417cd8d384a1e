"""History: the study's sittings along time, what changed between two of them, and what else did."""

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QComboBox, QHeaderView, QVBoxLayout, QWidget

from ovrik.desk.model.history import HistoryPlace, courses, places
from ovrik.desk.model.study import DeskModel
from ovrik.desk.stations.verdict.history_courses import WIDEST_PX, CourseDelegate, percent, told
from ovrik.desk.style import theme
from ovrik.desk.widgets.flow import Flow
from ovrik.desk.widgets.table import Cell, DeskTable
from ovrik.desk.widgets.text import button, label, sheet
from ovrik.report.words.numbers import NONE
from ovrik.report.words.sittings import HEAD, TOGETHER, pair_sentences, row_of, shift_words
from ovrik.work.answers.sittings import Changed, SittingPair

ONE_ONLY = (
    "One sitting so far. Begin another after an update of a build, driver or kernel, or with a build in another's "
    "place. The same line-up is then timed again, and what changed is said. A sitting with nothing changed is worth "
    "having too: it shows what this machine does from day to day."
)
COURSE, BUILDS, WORSE = 1, 8, 9
"""Columns: the course over the sittings, and those that are shown where they say something."""
ROW_PX, COURSE_PX = 36, 200
HEADINGS = (HEAD[0], "over the sittings", *HEAD[1:])


class HistoryPage(QWidget):
    """Follows the model. Signal: `sitting_wanted` to begin another one."""

    sitting_wanted = pyqtSignal()

    def __init__(self, model: DeskModel) -> None:
        super().__init__()
        self.model = model
        self._stamp: object = None
        self.places: list[HistoryPlace] = []
        self.pair: SittingPair | None = None
        self.sentence = label("", "sentence", wrap=True, copy=True)
        self.notes = label("", "soft", wrap=True, copy=True)
        self.then, self.now = QComboBox(), QComboBox()
        for box, name in ((self.then, "Compare this sitting"), (self.now, "With this sitting")):
            box.setAccessibleName(name)
            box.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToContents)
            box.activated.connect(lambda _n: self._compare())
        self.begin = button(
            "New sitting…", self.sitting_wanted.emit, "main", "Time the same line-up again, from now on"
        )
        self.table = DeskTable(list(HEADINGS), "What changed, contender by contender", last_fills=True)
        self.courses = CourseDelegate(self.table)
        self.table.setItemDelegateForColumn(COURSE, self.courses)
        self.table.row_px = theme.scaled(ROW_PX)
        rows = self.table.verticalHeader()
        assert rows is not None
        rows.setDefaultSectionSize(self.table.row_px)
        self.table.itemSelectionChanged.connect(lambda: model.select(self.table.chosen))
        self.bar = QWidget()
        self.bar.setObjectName("bar")
        self.bar.setLayout(
            Flow(8).add(
                label("Sitting", "head"), self.now, label("against", "head"), self.then, None, self.begin
            )
        )
        self.along = label("", "soft", wrap=True, copy=True)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(10)
        frame, inner = sheet()
        inner.addWidget(self.bar)
        inner.addWidget(self.sentence)
        column.addWidget(frame)
        self.listed, inner = sheet()
        inner.addWidget(self.table, 1)
        inner.addWidget(self.along)
        inner.addWidget(self.notes)
        column.addWidget(self.listed, 1)
        column.addStretch(0)
        model.evidence_changed.connect(self.follow)
        model.selected.connect(self._selected)
        self.follow()

    def follow(self) -> None:
        """Take in what is new."""
        over = self.model.sittings
        if (self.model.evidence.stamp, over) == self._stamp:
            return
        self._stamp = (self.model.evidence.stamp, over)
        several = over is not None and len(over.each) > 1
        for box, usual in ((self.then, -2), (self.now, -1)):
            chosen = box.currentData()
            box.clear()
            for sat in over.each if over else ():
                box.addItem(f"{sat.sitting.id}: {sat.sitting.words}", sat.sitting.id)
            at = box.findData(chosen)
            box.setCurrentIndex(at if at >= 0 else max(0, box.count() + usual))
            box.setEnabled(several)
        self.listed.setVisible(several)
        self.places = places(over) if over and several else []
        drawn = courses(over) if over and several else []
        self.courses.show_courses(drawn, len(self.places))
        self.along.setText(_along(self.places, self.courses.reach))
        if not several:
            self.pair = None
            begun = len(self.model.evidence.sittings) > 1
            said = (
                "Nothing has been timed in the new sitting yet: Ctrl+R times the line-up."
                if begun
                else ONE_ONLY
            )
            self.sentence.setText(said)
            self.notes.setText("")
            return
        self._compare()

    def _compare(self) -> None:
        over = self.model.sittings
        if over is None or len(over.each) < 2:
            return
        self.pair = over.pair(self.then.currentData(), self.now.currentData())
        first, *rest = pair_sentences(self.pair)
        self.sentence.setText(first)
        notes = [*rest, *(f"New build: {words}." for words in self.pair.new_builds)]
        notes += [f"{self.pair.unfair}."] if self.pair.unfair else []
        notes += [shift_words(over.shift)] + ([TOGETHER] if self.pair.new_builds else [])
        self.notes.setText(" ".join(notes))
        ids = [sat.sitting.id for sat in over.each]
        self.courses.pair = (ids.index(self.then.currentData()), ids.index(self.now.currentData()))
        every = self.pair.changed
        self.table.fill(
            [self._cells(c) for c in every],
            [c.now.contender.contender_id for c in every],
            self.model.selection,
        )
        for row, c in enumerate(every):
            cell = self.table.item(row, COURSE)
            if cell is not None:
                cell.setData(Qt.ItemDataRole.UserRole, c.now.contender.contender_id)
        said = [row_of(c) for c in every]
        shown = [True] * len(HEADINGS)
        shown[BUILDS] = False  # said along the bottom, and by hovering
        shown[WORSE] = any(texts[WORSE - 1] != NONE for texts in said)
        self.table.show_columns(shown)
        heading = self.table.horizontalHeader()
        if heading is not None:
            heading.setSectionResizeMode(COURSE, QHeaderView.ResizeMode.Fixed)
            wide = min(COURSE_PX, max(WIDEST_PX * len(self.places), 120))
            heading.resizeSection(COURSE, theme.scaled(wide))
        self.table.first_gives_way(130)

    def _cells(self, c: Changed) -> list[Cell | None]:
        texts = row_of(c)
        tones = {"slower": "trouble", "faster": "act"}
        course = self.courses.courses.get(c.now.contender.contender_id)
        made: list[Cell | None] = [
            Cell(texts[0], f"build {texts[7]}", bold=True, mark=c.now.contender.contender_id),
            Cell("", told(self.places, course) if course else "not timed in both"),
        ]
        made += [Cell(text, right=True) for text in texts[1:4]]
        made.append(Cell(MARK.get(texts[4], texts[4]), "", tones.get(texts[4], "")))
        made += [Cell(text, right=True) for text in texts[5:7]]
        made += [Cell(texts[7]), Cell(texts[8], "", "trouble" if c.worse else "soft")]
        return made

    def _selected(self, chosen: int) -> None:
        blocked = self.table.blockSignals(True)
        self.table.choose(chosen)
        self.table.blockSignals(blocked)

    def lock(self, locked: bool, _fixed: bool) -> None:
        """Begin nothing while a job runs, or in a study that can't be written."""
        self.begin.setEnabled(not locked)


MARK = {"faster": "▲ faster", "slower": "▼ slower", "same": "= same", "can't tell": "? can't tell"}


def _along(along: list[HistoryPlace], reach: float) -> str:
    """Each sitting from left to right, with its builds and what of the machine changed before it; and the scale."""
    said = [
        f"{place.title} ({place.builds or 'builds unknown'})"
        + (f", changed before it: {'; '.join(place.machine)}" if place.machine else "")
        for place in along
    ]
    scale = f"A row's height is {percent(-reach)} to {percent(reach)} against each first time."
    return f"From left to right: {'; '.join(said)}. {scale}" if said else ""
