"""Lanes: every contender's run times on a common axis, the present run growing."""

from collections.abc import Callable

import pyqtgraph as pg
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QColor, QKeyEvent, QPen, QShowEvent
from PyQt6.QtWidgets import QGraphicsRectItem

from ovrik.analysis.times.spread import Spread
from ovrik.desk.model.study import DeskModel
from ovrik.desk.stations.timing.run_rows import round_words
from ovrik.desk.style import marks, theme
from ovrik.desk.widgets.chart import Chart, axis_words, ink
from ovrik.desk.widgets.labels import cut
from ovrik.report.words.numbers import number, own_time_words, spread_words
from ovrik.report.words.reasons import device_words, odd_words
from ovrik.store.records.run import RunRecord
from ovrik.work.evidence.summary import Summary
from ovrik.work.timing.series import TimingUpdate

MOST_LANES = 40
LANE_KEYS: dict[int, int] = {Qt.Key.Key_Up: -1, Qt.Key.Key_Down: 1}
RUN_KEYS: dict[int, int] = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1}
LANE_PX, RULER_PX, LABELS_PX, FEWEST_LANES = 15, 46, 176, 4
LEAST_GROWTH_S = 0.9
MOST_MARKS = 400
"""More than so many in a lane would lie on one another."""
MOST_LABEL = 26
"""So many characters of a label stand beside a lane."""


class Lanes(Chart):
    """Finished runs as marks over the interval of the usual time; `say` takes what the pointer is over."""

    def __init__(self, model: DeskModel, say: Callable[[str], None]) -> None:
        super().__init__("Lanes: run times of every contender", "", "")
        self.ruler = Ruler(self)
        self.model, self._say = model, say
        self.setMouseEnabled(x=False, y=False)
        self._behind = False
        self.live_bar = QGraphicsRectItem()
        self.live_bar.setPen(pg.mkPen(None))
        self.live: TimingUpdate | None = None
        self.at = -1
        self.ring = pg.ScatterPlotItem(
            size=20, symbol="s", pen=pg.mkPen(theme.tones().ink, width=1.6), brush=None
        )
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleDescription("Up and Down go from lane to lane, Left and Right from run to run")

    def draw(self) -> None:
        """Draw them all anew, now or when they are next on show."""
        self._behind = not self.isVisible()
        if self._behind:
            return
        self.clear()
        self.getPlotItem().vb.addItem(self.live_bar, ignoreBounds=True)
        shown = self._in_lanes()
        ticks = []
        longest = max((r.wall_s or 0 for s in shown for r in s.runs if r.state == "done"), default=1.0)
        for place, s in enumerate(shown):
            y = len(shown) - place
            ticks.append((y, cut(s.contender.label, MOST_LABEL)))
            self._draw_lane(s, y, longest)
        axis = self.getPlotItem().getAxis("left")
        axis.setTicks([ticks])
        axis.setWidth(theme.scaled(LABELS_PX))
        axis.setTextPen(pg.mkPen(theme.tones().ink))
        self.setMinimumHeight(theme.scaled(LANE_PX * max(len(shown), FEWEST_LANES)))
        self.setXRange(-0.01 * longest, longest * 1.25, padding=0)
        self.setYRange(0.4, len(shown) + 0.6, padding=0)
        self.ring.setData([])
        self.addItem(self.ring)

    def showEvent(self, event: QShowEvent | None) -> None:
        """What came while they were not on show is drawn."""
        super().showEvent(event)
        if self._behind:
            self.draw()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Up and Down go from lane to lane, Left and Right from run to run, the one in hand last."""
        key = event.key() if event else 0
        if key in LANE_KEYS:
            self._to_lane(LANE_KEYS[key])
        elif key in RUN_KEYS:
            self._to_run(RUN_KEYS[key])
        else:
            super().keyPressEvent(event)

    def _to_lane(self, step: int) -> None:
        ids = [s.contender.contender_id for s in self._in_lanes()]
        if not ids:
            return
        now = ids.index(self.model.selection) if self.model.selection in ids else 0
        self.at = -1
        self.model.select(ids[max(0, min(now + step, len(ids) - 1))])
        chosen = self.model.summary
        if chosen:
            usual = f"usual time {own_time_words(chosen)} s" if chosen.usual_s is not None else "not timed"
            self._tell(f"{chosen.contender.label}: {usual}")

    def _to_run(self, step: int) -> None:
        chosen = self.model.summary
        runs = (
            sorted((r for r in chosen.runs if r.state == "done" and r.wall_s), key=lambda r: r.wall_s or 0)
            if chosen
            else []
        )
        live = self._live_of(self.model.selection)
        last = len(runs) - 1 + bool(live)
        if last < 0:
            return
        self.at = max(0, min(self.at + step, last))
        ids = [s.contender.contender_id for s in self._in_lanes()]
        y = len(ids) - ids.index(self.model.selection)
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
        """A line for each run."""
        return "\n".join(
            f"{s.contender.label}: {run_said(r)}" for s in self._in_lanes() for r in s.runs if r.wall_s
        )

    def _in_lanes(self) -> list[Summary]:
        """Contenders that get a lane: those with runs, and as many of the others as can be read."""
        every = self.model.evidence.summaries
        room = max(0, MOST_LANES - sum(bool(s.runs) for s in every))
        idle = [s.contender.contender_id for s in every if not s.runs][:room]
        return [s for s in every if s.runs or s.contender.contender_id in idle]

    def _draw_lane(self, s: Summary, y: float, longest: float) -> None:
        cid = s.contender.contender_id
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
        done = [r for r in s.runs if r.state == "done" and r.wall_s]
        if s.usual_s is not None:
            self.plot([min(s.times), max(s.times)], [y, y], pen=marks.pen(cid, 1.5))
            if s.spread:
                self._draw_interval(s.spread, y, cid)
            self.plot([s.usual_s] * 2, [y - 0.36, y + 0.36], pen=pg.mkPen(ink(), width=2))
            out = ("  set aside" if s.reasons else "  left out") if s.left_out else ""
            run_said = axis_words(
                f"{own_time_words(s)} s  {spread_words(s) if s.spread else ''}{out}", points=9.5, weight=600
            )
            run_said.setPos(max(*(r.wall_s or 0 for r in done), s.spread.high if s.spread else 0.0), y)
            run_said.setAnchor((-0.14, 0.5))
            self.addItem(run_said)
        elif why := self.model.barred.get(cid) or _failure(s):
            run_said = axis_words(f"can't run: {why}" if cid in self.model.barred else why, "trouble", 9)
            run_said.setPos(0, y)
            self.addItem(run_said)
        if done:
            spots = [
                {"pos": (r.wall_s, y), "data": r, "brush": _brush(r, cid), "pen": _pen(r, cid)}
                for r in apart(done, longest / MOST_MARKS)
            ]
            dots = pg.ScatterPlotItem(spots=spots, size=11, symbol=marks.shape(cid), hoverable=True, tip=None)
            dots.sigHovered.connect(self._hovered)
            dots.sigClicked.connect(lambda _i, _points, _e=None, cid=cid: self.model.select(cid))
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
        ids = [s.contender.contender_id for s in self._in_lanes()]
        shown = update is not None and update.progress is not None and not update.ended
        if update is None or update.progress is None or not shown or update.planned.contender_id not in ids:
            self.live_bar.hide()
            return
        grown = update.progress.at_s - self.live_bar.rect().width()
        if self.live_bar.isVisible() and 0 <= grown < LEAST_GROWTH_S:
            return
        y = len(ids) - ids.index(update.planned.contender_id)
        tint = marks.colour(update.planned.contender_id)
        tint.setAlpha(90)
        self.live_bar.setBrush(tint)
        self.live_bar.setRect(0, y - 0.25, update.progress.at_s, 0.5)
        self.live_bar.show()


class Ruler(Chart):
    """The axis of the lanes, which stays in view while they scroll."""

    def __init__(self, lanes: Chart) -> None:
        super().__init__("Seconds", "seconds from start to the exit of the process", "")
        self.setMouseEnabled(x=False, y=False)
        self.setFixedHeight(theme.scaled(RULER_PX))
        self.setProperty("role", "bare")
        self.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        own, theirs = self.getPlotItem(), lanes.getPlotItem()
        own.getAxis("left").setWidth(theme.scaled(LABELS_PX))
        own.getAxis("left").setTicks([[]])
        own.showGrid(x=False, y=False)
        own.setXLink(theirs)
        theirs.getAxis("bottom").setStyle(showValues=False)
        theirs.getAxis("bottom").setHeight(6)


def apart(runs: list[RunRecord], least_s: float) -> list[RunRecord]:
    """Of runs whose marks would cover one another, one for each `least_s` seconds; those that are marked stay."""
    if len(runs) <= MOST_MARKS:
        return runs
    seen = {round((r.wall_s or 0) / least_s): r for r in runs if not (r.disturbed or r.fell_back)}
    return [*seen.values(), *(r for r in runs if r.disturbed or r.fell_back)]


def _failure(s: Summary) -> str:
    """Why the last run of a contender that has no time failed, or ""."""
    last = s.runs[-1] if s.runs else None
    return f"failed: {cut(last.reason, 100)}" if last and last.state == "failed" else ""


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
