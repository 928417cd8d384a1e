"""Traces: what went on during the runs of the selected contender, over the same zero; the current run grows."""

from collections.abc import Mapping

import numpy as np
import pyqtgraph as pg
from PyQt6.QtCore import QEvent, QObject, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QKeyEvent
from PyQt6.QtWidgets import QComboBox, QHBoxLayout, QVBoxLayout, QWidget

from ovrik.desk.model.study import DeskModel
from ovrik.desk.stations.timing.run_rows import round_words
from ovrik.desk.style import marks, theme
from ovrik.desk.widgets.chart import Chart
from ovrik.desk.widgets.flow import Flow
from ovrik.desk.widgets.text import button, label
from ovrik.export.run.trace import Trace
from ovrik.store.records.run import RunRecord
from ovrik.work.timing.series import TimingUpdate

TITLES = {
    "fps": "frames per second",
    "frames": "frames written",
    "cpu": "all processors, %",
    "read": "disks read, MB/s",
    "written": "disks written, MB/s",
    "memory": "memory in use, MiB",
    "disk": "busiest disk, %",
    "memory share": "memory in use, %",
    "own cpu": "the export's own processors, %",
    "own memory": "the export's own memory, MiB",
    "own read": "the export itself read, MB/s",
    "own written": "the export itself wrote, MB/s",
    "own graphics": "the export's own graphics engine, %",
    "fan": "fastest fan, rpm",
    "watts": "processors, W",
    "clock": "processor clock, MHz",
    "temperature": "warmest sensor, °C",
}
MOST_RUNS = 12
STYLES = (
    ("solid", Qt.PenStyle.SolidLine),
    ("dots", Qt.PenStyle.DotLine),
    ("dashes and dots", Qt.PenStyle.DashDotLine),
    ("dashes and two dots", Qt.PenStyle.DashDotDotLine),
)
"""Lines of runs that are laid over one another: runs of one contender have one colour."""
ROWS_A_DRAWING = 4
"""Readings come twice a second; the growing line is not drawn with each, for drawing loads the timed run too."""


class Traces(QWidget):
    """One or two quantities against time; the chosen run bold, the contender's others thin, beside them the last run
    of another contender if wished, and any runs that are laid over; the current run is dashed. Left and Right move a
    cursor, as the pointer does. Signal: `laid_over`, when other runs are."""

    laid_over = pyqtSignal()

    def __init__(self, model: DeskModel) -> None:
        super().__init__()
        self.model = model
        self.run_id = 0
        self._read: dict[int, Trace | None] = {}
        self.in_hand = 0
        self.over: dict[int, RunRecord] = {}
        self.over_it = button(
            "Lay over", self._toggle, hint="Keep the chosen run in the chart, whatever is chosen next"
        )
        self.over_it.setCheckable(True)
        self.none_over = button("Clear", self._clear, hint="Lay no run over any more")
        self.rows: list[Mapping[str, float]] = []
        self.growing: list[pg.PlotDataItem] = []
        self.first, self.second = QComboBox(), QComboBox()
        self.first.setAccessibleName("Quantity on the left")
        self.second.setAccessibleName("Quantity on the right")
        self.beside = QComboBox()
        self.beside.setAccessibleName("A contender to show beside it")
        self.beside.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        self.beside.setMinimumContentsLength(15)
        for box in (self.first, self.second, self.beside):
            box.activated.connect(lambda _n: self.draw())
        self.at_s = 0.0
        self.cursors: list[pg.InfiniteLine] = []
        self.hover = label("Hover over the chart for values", "soft", elide=True)
        self.left = Chart("Trace of the first quantity", "seconds since the start of the run", "")
        self.right = Chart("Trace of the second quantity", "seconds since the start of the run", "")
        self.right.setXLink(self.left)
        for made in (self.left, self.right):
            made.setMouseEnabled(x=False, y=False)
            made.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
            made.installEventFilter(self)
            made.scene().sigMouseMoved.connect(lambda pos, m=made: self._answer(m, pos))
        for box in (self.first, self.second, self.beside):
            box.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
            box.setMinimumContentsLength(18)
        row = Flow().add(self.first, self.second, self.beside, self.over_it, self.none_over, self.hover)
        both = QHBoxLayout()
        both.addWidget(self.left, 1)
        both.addWidget(self.right, 1)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.addLayout(row)
        column.addLayout(both, 1)

    def show_run(self, run_id: int) -> None:
        """Make this run the bold one."""
        self.run_id = run_id
        self._say_over()
        if self.isVisible():
            self.draw()

    def toggle_over(self, run: RunRecord) -> None:
        """Lay a run over the others, or no more."""
        if self.over.pop(run.id, None) is None:
            self.over[run.id] = run
        self._over_changed()

    def _toggle(self) -> None:
        chosen = self.model.summary
        run = next((r for r in chosen.runs if r.id == self.run_id), None) if chosen else None
        if run is not None:
            self.toggle_over(run)
        self._say_over()

    def _clear(self) -> None:
        self.over.clear()
        self._over_changed()

    def _over_changed(self) -> None:
        self._say_over()
        self.laid_over.emit()
        if self.isVisible():
            self.draw()

    def _say_over(self) -> None:
        self.over_it.setChecked(self.run_id in self.over)
        self.over_it.setEnabled(self.run_id > 0)
        self.none_over.setEnabled(bool(self.over))

    def follow_live(self, update: TimingUpdate | None) -> None:
        """Take the newest reading of the current run; its line goes when the run ends."""
        if update is None or update.ended or update.progress is None:
            self._let_go()
            return
        if "t" not in update.now or (self.rows and self.rows[-1]["t"] == update.now["t"]):
            return
        self.in_hand = update.planned.contender_id
        self.rows.append(update.now)
        if not self.isVisible() or len(self.rows) % ROWS_A_DRAWING:
            return
        if not self.first.count():
            self.draw()
        elif not self.growing:
            self._begin_growing()
        self._grow()

    def _let_go(self) -> None:
        """The current run has ended: with the study read anew, it is one of those on file."""
        if not self.rows:
            return
        for made, line in zip((self.left, self.right), self.growing, strict=False):
            made.removeItem(line)
        self.rows, self.growing, self.in_hand = [], [], 0
        self.hover.setText(self._invitation(bool(self.cursors)))

    def _begin_growing(self) -> None:
        pen = pg.mkPen(marks.colour(self.in_hand), width=2.4, style=Qt.PenStyle.DashLine)
        self.growing = [made.plot([], [], pen=pen) for made in (self.left, self.right)]
        self.hover.setText(self._invitation(True))

    def _grow(self) -> None:
        t = Trace.of_rows(self.rows)
        for line, box in zip(self.growing, (self.first, self.second), strict=False):
            name = box.currentData()
            if name in t.columns:
                line.setData(t.columns["t"], t.columns[name], connect="finite")

    def trace(self, run_id: int) -> Trace | None:
        """A run's series, read once."""
        if run_id not in self._read:
            if len(self._read) > 200:
                self._read.clear()
            data = self.model.study.series(run_id)
            self._read[run_id] = Trace.unpacked(data) if data else None
        return self._read[run_id]

    def _runs(self) -> list[RunRecord]:
        chosen = self.model.summary
        runs = [r for r in chosen.runs if r.state == "done"] if chosen else []
        return runs[-MOST_RUNS:]

    def draw(self) -> None:
        """Read the series that are not read yet, and draw the two quantities."""
        found = [
            (r, t)
            for r in self._runs()
            if (t := self.trace(r.id)) is not None and len(t.columns.get("t", ()))
        ]
        found += [x for x in self._laid_beside() if x[0].id not in self.over]
        there = {r.id for r, _t in found}
        found += [
            (r, t)
            for r in self.over.values()
            if r.id not in there and (t := self.trace(r.id)) is not None and len(t.columns.get("t", ()))
        ]
        words = [t for _r, t in found] + ([Trace.of_rows(self.rows)] if self.rows else [])
        names = list(dict.fromkeys(n for t in words for n in t.columns if n != "t"))
        for box, usual in ((self.first, "fps"), (self.second, "cpu")):
            now = box.currentData() or usual
            box.clear()
            for name in names:
                box.addItem(TITLES.get(name, name), name)
            box.setCurrentIndex(max(0, box.findData(now)))
        self.cursors, self.growing = [], []
        for made, box in ((self.left, self.first), (self.right, self.second)):
            made.clear()
            name = box.currentData()
            for run, t in found:
                if name in t.columns:
                    self._line(made, run, t.columns["t"], t.columns[name])
            cursor = pg.InfiniteLine(self.at_s, pen=pg.mkPen(theme.tones().act, width=1))
            cursor.setVisible(False)
            made.addItem(cursor)
            self.cursors.append(cursor)
        self.hover.setText(self._invitation(bool(found)))
        if self.rows:
            self._begin_growing()
            self._grow()

    def _invitation(self, found: bool) -> str:
        if self.rows:
            e = self.model.evidence.of(self.in_hand)
            return f"Dashed: the current run, {e.contender.label}" if e else "Dashed: the current run"
        if self.over:
            return f"Laid over: {'; '.join(self._named(r) for r in self.over.values())}"
        if found:
            return "Hover over the chart for values"
        return (
            "No series on file for these runs: they were made before series were kept, or were shorter than "
            "half a second"
        )

    def _named(self, run: RunRecord) -> str:
        s = self.model.evidence.of(run.contender_id)
        label = s.contender.label if s else "a contender that is gone"
        style = STYLES[list(self.over).index(run.id) % len(STYLES)][0]
        return f"{label}, round {round_words(run)} ({style})"

    def _laid_beside(self) -> list[tuple[RunRecord, Trace]]:
        """The last run with series of the contender chosen to be laid beside."""
        now = self.beside.currentData() or 0
        self.beside.clear()
        self.beside.addItem("compare: none", 0)
        for s in self.model.evidence.summaries:
            if s.counted and s.contender.contender_id != self.model.selection:
                self.beside.addItem(s.contender.label, s.contender.contender_id)
        self.beside.setCurrentIndex(max(0, self.beside.findData(now)))
        other = self.model.evidence.of(self.beside.currentData() or 0)
        for run in reversed(other.counted if other else []):
            t = self.trace(run.id)
            if t is not None and len(t.columns.get("t", ())):
                return [(run, t)]
        return []

    def _line(self, made: pg.PlotWidget, run: RunRecord, t: np.ndarray, values: np.ndarray) -> None:
        over = list(self.over).index(run.id) % len(STYLES) if run.id in self.over else 0
        bold = run.id == self.run_id or run.id in self.over or run.contender_id != self.model.selection
        tone = marks.colour(run.contender_id) if bold else QColor(theme.tones().soft)
        tone.setAlpha(255 if bold else 110)
        pen = pg.mkPen(tone, width=2.4 if bold else 1, style=STYLES[over][1])
        made.plot(t, values, pen=pen, connect="finite")

    def _answer(self, made: pg.PlotWidget, pos: object) -> None:
        """What the bold run's series say at the pointer."""
        self._say(made.getPlotItem().vb.mapSceneToView(pos).x())

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        """Left and Right move the cursor from one reading to the next."""
        if isinstance(event, QKeyEvent) and event.type() == QEvent.Type.KeyPress:
            step = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1}.get(Qt.Key(event.key()))
            t = self._bold()
            if step and t is not None:
                times = t.columns["t"]
                n = int(np.clip(np.argmin(np.abs(times - self.at_s)) + step, 0, len(times) - 1))
                self._say(float(times[n]))
                return True
        return super().eventFilter(watched, event)

    def _bold(self) -> Trace | None:
        t = self.trace(self.run_id) if self.run_id > 0 else None
        return t if t is not None and len(t.columns.get("t", ())) else None

    def _say(self, at_s: float) -> None:
        t = self._bold()
        if t is None:
            return
        n = int(np.argmin(np.abs(t.columns["t"] - at_s)))
        self.at_s = float(t.columns["t"][n])
        said = [f"at {self.at_s:.1f} s"]
        for box in (self.first, self.second):
            name = box.currentData()
            if name in t.columns:
                said.append(f"{TITLES.get(name, name)} {t.columns[name][n]:.1f}")
        self.hover.setText("; ".join(said))
        for cursor in self.cursors:
            cursor.setValue(self.at_s)
            cursor.setVisible(True)
