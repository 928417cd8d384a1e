"""Lanes: every contender's run times on a common axis, the present run growing."""

from collections.abc import Callable

import pyqtgraph as pg
from PyQt6.QtCore import QEvent, QPointF, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QHelpEvent, QKeyEvent, QPen, QShowEvent, QWheelEvent
from PyQt6.QtWidgets import QGraphicsRectItem, QScrollBar, QToolTip

from ovrik.analysis.times.spread import Spread
from ovrik.desk.model.lanes import Lane, Lanes, lanes_of
from ovrik.desk.model.study import DeskModel
from ovrik.desk.stations.timing.lane_rows import ANSWERS_PX, Headings, label_px, paint_answer, paint_head
from ovrik.desk.stations.timing.run_rows import round_words
from ovrik.desk.style import marks, theme
from ovrik.desk.widgets.chart import Chart, axis_words, ink
from ovrik.desk.widgets.row_axis import RowAxis
from ovrik.report.words.numbers import number, own_time_words
from ovrik.report.words.reasons import device_words, odd_words
from ovrik.store.records.run import RunRecord
from ovrik.work.timing.series import TimingUpdate

LANE_KEYS: dict[int, int] = {Qt.Key.Key_Up: -1, Qt.Key.Key_Down: 1}
RUN_KEYS: dict[int, int] = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1}
LANE_PX, TALLEST_PX, RULER_PX = 24, 40, 42
LEAST_GROWTH_S = 0.9
MOST_MARKS = 400
"""More than so many in a lane would lie on one another."""
ZOOM = 0.7


class LanesChart(Chart):
    """Finished runs as marks over the interval of the usual time, as many lanes as have room; `bar` scrolls them, and
    `say` takes what the pointer is over.

    Attributes: `lanes` on file, in rows; `top`, the row that stands first; `room`, for so many. Signal: `drawn`, with
    what is on file now."""

    drawn = pyqtSignal()

    def __init__(self, model: DeskModel, say: Callable[[str], None]) -> None:
        self._left = RowAxis("left", lambda p, box, row: paint_head(p, box, self.lanes.rows[row], model))
        self._right = RowAxis(
            "right", lambda p, box, row: paint_answer(p, box, self.lanes.rows[row], model.selection)
        )
        super().__init__(
            "Lanes: run times of every contender",
            "seconds from start to the exit of the process",
            "",
            {"left": self._left, "right": self._right},
        )
        self.model, self._say = model, say
        self.folded, self.lanes, self.room = True, Lanes((), 0, 1.0), 1.0
        self.headings = Headings(self._right)
        self.bar = QScrollBar(Qt.Orientation.Vertical)
        self.bar.setAccessibleName("Further lanes")
        self.bar.valueChanged.connect(lambda _v: self._draw_rows())
        item = self.getPlotItem()
        item.showAxis("right")
        item.showGrid(x=True, y=False, alpha=0.16)
        item.getAxis("bottom").setHeight(theme.scaled(RULER_PX))
        self._right.setWidth(theme.scaled(ANSWERS_PX))
        item.vb.invertY(True)
        item.vb.setMouseEnabled(x=True, y=False)
        item.vb.sigResized.connect(lambda _v: self._draw_rows())
        self._behind = False
        self.live_bar = QGraphicsRectItem()
        self.live_bar.setPen(pg.mkPen(None))
        self.live_bar.hide()
        item.vb.addItem(self.live_bar, ignoreBounds=True)
        self.live: TimingUpdate | None = None
        self.at = -1
        self.ring = pg.ScatterPlotItem(
            size=20, symbol="s", pen=pg.mkPen(theme.tones().ink, width=1.6), brush=None
        )
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleDescription("Up and Down go from lane to lane, Left and Right from run to run")
        self.scene().sigMouseClicked.connect(self._clicked)

    @property
    def top(self) -> int:
        """The row that stands first."""
        return self.bar.value()

    def draw(self, anew: bool = True) -> None:
        """Draw them all anew, now or when they are next on show; `anew`: with all of the time in view."""
        self._behind = not self.isVisible()
        if self._behind:
            return
        longest = self.lanes.longest
        self.lanes = lanes_of(self.model.evidence, self.model.barred, self.folded, self.model.selection)
        widest = max((label_px(row.summary.contender.label) for row in self.lanes.rows), default=0)
        self._left.setWidth(min(max(widest, theme.scaled(120)), round(0.34 * max(self.width(), 400))))
        if anew or longest != self.lanes.longest:
            self.show_all()
        self._draw_rows()
        self.drawn.emit()

    def show_all(self) -> None:
        """All of the time, from 0."""
        self.setXRange(-0.01 * self.lanes.longest, 1.06 * self.lanes.longest, padding=0)

    def zoom(self, factor: float) -> None:
        """Nearer in time for a factor below 1, about the selected one's usual time if that is in view."""
        view, s = self.getPlotItem().vb, self.model.summary
        (low, high), _up = view.viewRange()
        usual = s.usual_s if s else None
        at = usual if usual is not None and low <= usual <= high else (low + high) / 2
        view.scaleBy((factor, 1.0), center=QPointF(at, 0.0))

    def _draw_rows(self) -> None:
        """Draw those that have room, from the one at the top."""
        if self._behind:
            return
        count, tall = len(self.lanes.rows), self.getPlotItem().vb.height()
        if tall <= 1:
            return
        fit = max(1, int(tall / theme.scaled(LANE_PX)))
        self.room = min(fit, max(count, tall / theme.scaled(TALLEST_PX)))
        self.bar.blockSignals(True)
        self.bar.setRange(0, max(0, count - fit))
        self.bar.setPageStep(fit)
        self.bar.blockSignals(False)
        self.bar.setVisible(count > fit)
        self.headings.update()
        rows = range(self.top, min(count, self.top + fit))
        self.clear()
        self.setYRange(self.top, self.top + self.room, padding=0)
        for axis in (self._left, self._right):
            axis.show_rows(rows, self.room)
        for row in rows:
            self._draw_lane(self.lanes.rows[row], row + 0.5)
        self.ring.setData([])
        self.addItem(self.ring)

    def showEvent(self, event: QShowEvent | None) -> None:
        """What came while they were not on show is drawn."""
        super().showEvent(event)
        if self._behind:
            self.draw()

    # Mouse and keys

    def row_at(self, place: QPointF) -> Lane | None:
        """Whose row a place of the scene is in."""
        row = int(self.getPlotItem().vb.mapSceneToView(place).y() // 1)
        inside = self.top <= row < min(len(self.lanes.rows), self.top + self.room)
        return self.lanes.rows[row] if inside else None

    def _clicked(self, event: object) -> None:
        found = self.row_at(event.scenePos())  # type: ignore[attr-defined]
        if found is not None:
            self.model.select(found.contender_id)

    def viewportEvent(self, event: QEvent | None) -> bool:
        """A label that is cut, and why one is set aside, are read by hovering."""
        if isinstance(event, QHelpEvent):
            found = self.row_at(self.mapToScene(event.pos()))
            if found is not None:
                said = "\n".join(filter(None, (found.summary.contender.label, found.aside)))
                QToolTip.showText(event.globalPos(), said, self)
                return True
        return bool(super().viewportEvent(event))

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        """It goes through the lanes; with Ctrl it zooms on time about the mouse."""
        if event is None:
            return
        turned = event.angleDelta().y()
        if event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            view = self.getPlotItem().vb
            at = view.mapSceneToView(self.mapToScene(event.position().toPoint()))
            view.scaleBy((ZOOM if turned > 0 else 1 / ZOOM, 1.0), center=at)
        else:
            self.bar.setValue(self.bar.value() - (1 if turned > 0 else -1))
        event.accept()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Up and Down go from lane to lane, Left and Right from run to run, the one in hand last; + and − zoom on
        time, 0 shows all of it."""
        key = event.key() if event else 0
        if key in LANE_KEYS:
            self._to_lane(LANE_KEYS[key])
        elif key in RUN_KEYS:
            self._to_run(RUN_KEYS[key])
        elif key in (Qt.Key.Key_Plus, Qt.Key.Key_Equal, Qt.Key.Key_Minus):
            self.zoom(1 / ZOOM if key == Qt.Key.Key_Minus else ZOOM)
        elif key == Qt.Key.Key_0:
            self.show_all()
        else:
            super().keyPressEvent(event)

    def show_selected(self) -> None:
        """Scroll to the lane of what is selected."""
        place = self.lanes.place_of(self.model.selection)
        if place is not None:
            self.bar.setValue(max(min(self.top, place), place + 1 - int(self.room)))

    def _to_lane(self, step: int) -> None:
        rows = self.lanes.rows
        if not rows:
            return
        now = self.lanes.place_of(self.model.selection) or 0
        self.at = -1
        self.model.select(rows[max(0, min(now + step, len(rows) - 1))].contender_id)
        chosen = self.model.summary
        if chosen:
            usual = f"usual time {own_time_words(chosen)} s" if chosen.usual_s is not None else "not timed"
            self._tell(f"{chosen.contender.label}: {usual}")

    def _to_run(self, step: int) -> None:
        place = self.lanes.place_of(self.model.selection)
        if place is None:
            return
        runs = sorted(self.lanes.rows[place].done, key=lambda r: r.wall_s or 0)
        live = self._live_of(self.model.selection)
        last = len(runs) - 1 + bool(live)
        if last < 0:
            return
        self.at = max(0, min(self.at + step, last))
        y = place + 0.5
        if self.at < len(runs):
            self.ring.setData([{"pos": (runs[self.at].wall_s, y)}])
            self._tell(run_said(runs[self.at]))
        elif live and live.progress:
            self.ring.setData([{"pos": (live.progress.at_s, y)}])
            p = live.progress
            self._tell(f"current run: {p.at_s:.1f} s, frame {p.frame} of {live.frames}, {p.fps:.0f} fps")

    def _live_of(self, contender_id: int) -> TimingUpdate | None:
        """The run in hand, if it is this contender's."""
        live = self.live
        return live if live and live.planned.contender_id == contender_id and live.progress else None

    def _tell(self, text: str) -> None:
        self._say(text)
        self.setAccessibleDescription(text)

    def as_text(self) -> str:
        """A line for each run, of those that are folded away too."""
        every = lanes_of(self.model.evidence, self.model.barred, folded=False)
        return "\n".join(
            f"{row.summary.contender.label}: {run_said(r)}"
            for row in every.rows
            for r in row.summary.runs
            if r.wall_s
        )

    # Drawing

    def _draw_lane(self, lane: Lane, y: float) -> None:
        s, cid = lane.summary, lane.contender_id
        if cid == self.model.selection:
            band = pg.LinearRegionItem(
                (y - 0.5, y + 0.5),
                "horizontal",
                movable=False,
                brush=QColor(theme.tones().act_wash),
                pen=pg.mkPen(None),
            )
            band.setZValue(-10)
            self.addItem(band)
        if s.usual_s is not None:
            self.plot([min(s.times), max(s.times)], [y, y], pen=marks.pen(cid, 1.5))
            if s.spread:
                self._draw_interval(s.spread, y, cid)
            self.plot([s.usual_s] * 2, [y - 0.36, y + 0.36], pen=pg.mkPen(ink(), width=2))
        elif lane.aside:
            said = axis_words(lane.aside, "trouble", 9)
            said.setPos(0, y)
            self.addItem(said)
        if not lane.done:
            return
        spots = [
            {"pos": (r.wall_s, y), "data": r, "brush": _brush(r, cid), "pen": _pen(r, cid)}
            for r in apart(lane.done, self.lanes.longest / MOST_MARKS)
        ]
        dots = pg.ScatterPlotItem(spots=spots, size=11, symbol=marks.shape(cid), hoverable=True, tip=None)
        dots.sigHovered.connect(self._hovered)
        self.addItem(dots)

    def _draw_interval(self, spread: Spread, y: float, cid: int) -> None:
        """The 95 % interval of the usual time, as a bar behind the marks."""
        tint = marks.colour(cid)
        tint.setAlpha(80)
        bar = QGraphicsRectItem(spread.low, y - 0.24, spread.high - spread.low, 0.48)
        bar.setPen(pg.mkPen(None))
        bar.setBrush(tint)
        bar.setZValue(-5)
        self.addItem(bar)

    def _hovered(self, _item: object, points: object, _event: object = None) -> None:
        found = list(points) if points is not None else []  # type: ignore[call-overload]
        if found:
            self._say(run_said(found[0].data()))

    def show_live(self, update: TimingUpdate | None) -> None:
        """Let the present run grow in its lane. Only one rectangle is drawn anew, about once a second:
        this happens while that run is timed."""
        self.live = update if update is not None and not update.ended else None
        live = self.live
        place = self.lanes.place_of(live.planned.contender_id) if live else None
        if live is None or live.progress is None or place is None:
            self.live_bar.hide()
            return
        grown = live.progress.at_s - self.live_bar.rect().width()
        if self.live_bar.isVisible() and 0 <= grown < LEAST_GROWTH_S:
            return
        tint = marks.colour(live.planned.contender_id)
        tint.setAlpha(90)
        self.live_bar.setBrush(tint)
        self.live_bar.setRect(0, place + 0.25, live.progress.at_s, 0.5)
        self.live_bar.show()


def apart(runs: list[RunRecord], least_s: float) -> list[RunRecord]:
    """Of runs whose marks would cover one another, one for each `least_s` seconds; those that are marked stay."""
    if len(runs) <= MOST_MARKS:
        return runs
    seen = {round((r.wall_s or 0) / least_s): r for r in runs if not (r.disturbed or r.fell_back)}
    return [*seen.values(), *(r for r in runs if r.disturbed or r.fell_back)]


def _brush(run: RunRecord, cid: int) -> QColor:
    return QColor(theme.tones().sheet) if run.warmup else marks.colour(cid)


def _pen(run: RunRecord, cid: int) -> QPen:
    """A disturbed run, or one that fell back, has a rim of its own."""
    odd = run.disturbed or run.fell_back
    return pg.mkPen(theme.tones().trouble, width=2.6) if odd else marks.pen(cid)


def run_said(r: RunRecord) -> str:
    """A run in a line."""
    where = "warm-up, does not count" if r.warmup else round_words(r) if not r.driven else f"round {r.round}"
    odd, on = odd_words(r), device_words(r)
    return (
        f"{where}: {r.wall_s:.3f} s, {number(r.fps, 1)} fps, first frame at "
        f"{number(r.first_frame_s, 1)} s{f'; {odd}' if odd else ''}{f'; {on}' if on else ''}"
    )
