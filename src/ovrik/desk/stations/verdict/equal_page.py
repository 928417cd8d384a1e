"""At equal quality: search the setting that just meets a floor, and see each encoder's quality over size and time."""

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import (
    QComboBox,
    QDoubleSpinBox,
    QHBoxLayout,
    QListWidget,
    QListWidgetItem,
    QVBoxLayout,
    QWidget,
)

from ovrik.analysis.scores.search import MOST_ENCODES
from ovrik.desk.model.study import DeskModel
from ovrik.desk.model.tradeoff import quality_of
from ovrik.desk.style import theme
from ovrik.desk.widgets.flow import Flow
from ovrik.desk.widgets.table import Cell, DeskTable
from ovrik.desk.widgets.text import button, label, sheet
from ovrik.report.words.numbers import NONE, number
from ovrik.study.question.limit_kinds import LIMIT_KINDS
from ovrik.work.answers.equal_curves import (
    SIZE,
    TIME,
    EqualCurve,
    equal_base,
    equal_curves,
    equal_quality_words,
)
from ovrik.work.campaign.equal_quality import searchable

HEADINGS = (
    "Series",
    "Points",
    "At the floor",
    "MB a minute",
    "Time, s",
    "Size at equal quality",
    "Time at equal quality",
)
ABOUT = (
    "Settings numbers mean nothing across encoders. A search encodes the excerpt a few times to find the setting "
    f"that just meets the floor (at most {MOST_ENCODES} encodes each), and puts it in the line-up, to be timed like "
    "any other."
)


class EqualPage(QWidget):
    """Follows the model. Signal: `search_wanted` with contenders' numbers, the key of a floor, and the floor."""

    search_wanted = pyqtSignal(list, str, float)

    def __init__(self, model: DeskModel) -> None:
        super().__init__()
        self.model = model
        self.curves: list[EqualCurve] = []
        self._locked = False
        self._stamp: object = None
        self.kind, self.floor = QComboBox(), QDoubleSpinBox()
        self.list = QListWidget()
        self.start = button(
            "Search", self._start, "main", "Find the setting of each that just meets the floor"
        )
        self.table = DeskTable(HEADINGS, "Each encoder at the floor", last_fills=True)
        self.table.setObjectName("tight")
        self._lay_out()
        model.evidence_changed.connect(self.follow)
        self.follow()

    def _lay_out(self) -> None:
        self.kind.setAccessibleName("Which quality")
        for key, kind in LIMIT_KINDS.items():
            if kind.metric:
                self.kind.addItem(kind.heading, key)
        self.kind.activated.connect(lambda _n: self._chose_kind())
        self.floor.setAccessibleName("Floor")
        self.floor.setButtonSymbols(QDoubleSpinBox.ButtonSymbols.NoButtons)
        self.floor.valueChanged.connect(lambda _v: self._draw())
        self.list.setAccessibleName("What is searched for")
        self.list.setMinimumWidth(theme.scaled(200))
        self.list.setMaximumHeight(theme.scaled(112))
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(10)
        frame, inner = sheet()
        row = QHBoxLayout()
        row.setSpacing(12)
        left = QVBoxLayout()
        bar = QWidget()
        bar.setObjectName("bar")
        bar.setLayout(
            Flow(8).add(label("Just meets", "head"), self.kind, label("of"), self.floor, self.start)
        )
        left.addWidget(bar)
        left.addWidget(label(ABOUT, "soft", wrap=True))
        left.addStretch(1)
        row.addLayout(left, 3)
        row.addWidget(self.list, 2)
        inner.addLayout(row)
        column.addWidget(frame)
        frame, inner = sheet()
        self.said = label("", "soft", wrap=True)
        inner.addWidget(self.said)
        inner.addWidget(self.table, 1)
        column.addWidget(frame, 1)
        key = quality_of(self.model.evidence)
        self.kind.setCurrentIndex(max(0, self.kind.findData(key)))
        self._chose_kind()

    def _chose_kind(self) -> None:
        kind = LIMIT_KINDS[self.kind.currentData()]
        blocked = self.floor.blockSignals(True)
        self.floor.setRange(kind.least, kind.most)
        self.floor.setDecimals(kind.digits)
        self.floor.setSingleStep(kind.step)
        self.floor.setSuffix(f" {kind.unit}" if kind.unit else "")
        self.floor.setValue(self.model.evidence.facts.limits.get(kind.key) or kind.usual)
        self.floor.blockSignals(blocked)
        self._stamp = None
        self.follow()

    def follow(self) -> None:
        """Take in what is new."""
        e = self.model.evidence
        points = self.model.study.search_points(e.programme.checksum, e.facts.excerpt)
        if (e.stamp, len(points)) == self._stamp:
            return
        self._stamp = (e.stamp, len(points))
        self.curves = equal_curves(e, points, self.kind.currentData())
        self._list()
        self._draw()

    def _list(self) -> None:
        wanted = searchable(self.model.evidence)
        able = {s.contender.contender_id for s in self.model.driven}
        off = {
            self.list.item(n).data(Qt.ItemDataRole.UserRole)  # type: ignore[union-attr]
            for n in range(self.list.count())
            if self.list.item(n).checkState() == Qt.CheckState.Unchecked  # type: ignore[union-attr]
        }
        self.list.clear()
        for c in wanted:
            if c.contender_id in able:
                item = QListWidgetItem(c.label)
                item.setData(Qt.ItemDataRole.UserRole, c.contender_id)
                item.setFlags(item.flags() | Qt.ItemFlag.ItemIsUserCheckable)
                item.setCheckState(
                    Qt.CheckState.Unchecked if c.contender_id in off else Qt.CheckState.Checked
                )
                self.list.addItem(item)
        self.start.setEnabled(not self._locked and self.list.count() > 0)

    def lock(self, locked: bool, _fixed: bool) -> None:
        """Let nothing be searched while a job runs, or in a study that can't be written."""
        self._locked = locked
        self.start.setEnabled(not locked and self.list.count() > 0)

    def _start(self) -> None:
        chosen = [
            item.data(Qt.ItemDataRole.UserRole)
            for n in range(self.list.count())
            if (item := self.list.item(n)) is not None and item.checkState() == Qt.CheckState.Checked
        ]
        if chosen:
            self.search_wanted.emit(chosen, self.kind.currentData(), self.floor.value())

    def _draw(self) -> None:
        self._fill()
        self.said.setText(f"{self._nearest_words()} Their curves are drawn on Choice, with size across.")

    def _nearest_words(self) -> str:
        count = sum(len([p for p in c.points if p.searched]) for c in self.curves)
        return f"{count} encodes of searches are on file." if count else "No search was made yet."

    def _fill(self) -> None:
        e, floor = self.model.evidence, self.floor.value()
        base = equal_base(self.curves, e.facts.baseline_id)
        rows = []
        for c in self.curves:
            just = min((p for p in c.points if p.quality >= floor), key=lambda p: p.quality, default=None)
            scale = c.contender.recipe.facts.quality.name
            at = (
                f"{scale} {just.setting:g}: {just.quality:.{LIMIT_KINDS[self.kind.currentData()].digits}f}"
                if just
                else NONE
            )
            rows.append(
                [
                    Cell(c.name, c.name, bold=True, mark=c.contender.contender_id),
                    Cell(str(len(c.points)), right=True),
                    Cell(at, "the setting on file that meets the floor most closely"),
                    Cell(number(just.mb_per_minute if just else None, 1), right=True),
                    Cell(
                        number(just.seconds if just else None),
                        "once" if just and just.searched else "",
                        right=True,
                    ),
                    *(_difference(c, base, what) for what in (SIZE, TIME)),
                ]
            )
        self.table.fill(rows, [c.contender.contender_id for c in self.curves])
        self.table.first_gives_way(120)


def _difference(c: EqualCurve, base: EqualCurve | None, what: str) -> Cell:
    if base is None or c is base:
        return Cell("the base" if c is base else NONE)
    found = c.against(base, what)
    said = equal_quality_words(found, what)
    if found.rate is None:
        return Cell(NONE, said)
    return Cell(
        f"{abs(100 * found.rate):.1f} % {'more' if found.rate > 0 else 'less'}",
        f"{said}, against {base.name}",
    )
