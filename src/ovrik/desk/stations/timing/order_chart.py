"""Runs in the order in which they were made: drift and disturbance where they were."""

from collections.abc import Callable

import numpy as np
import pyqtgraph as pg
from PyQt6.QtGui import QShowEvent

from ovrik.desk.model.lanes import InOrder, in_order
from ovrik.desk.model.study import DeskModel
from ovrik.desk.style import marks, theme
from ovrik.desk.widgets.chart import Chart, ink
from ovrik.work.evidence.order_effects import Along

HIGH_PX, LEAST_REACH = 104, 5.0
MOST_DRAWN, MOST_ROUNDS_DRAWN = 2000, 40
"""The last so many are drawn: more marks could not be told apart."""


class OrderChart(Chart):
    """A mark for each run, up by how much longer than its contender's usual time it took; `say` takes the run that
    the pointer is over, with its contender's label."""

    def __init__(self, model: DeskModel, say: Callable[[InOrder], None]) -> None:
        super().__init__("Runs in order, beside each contender's usual time", "", "% longer")
        self.model, self._say = model, say
        self.setFixedHeight(theme.scaled(HIGH_PX))
        self.setMouseEnabled(x=False, y=False)
        self.dots = pg.ScatterPlotItem(hoverable=True, tip=None)
        self.dots.sigHovered.connect(self._hovered)
        self._trend = pg.PlotCurveItem(pen=pg.mkPen(theme.tones().act, width=2))
        self._usual = pg.InfiniteLine(0.0, angle=0, pen=pg.mkPen(ink(110), width=1))
        self._rounds: list[pg.InfiniteLine] = []
        self.shown: list[InOrder] = []
        for item in (self._usual, self._trend, self.dots):
            self.addItem(item)
        self._behind = False

    def draw(self) -> None:
        """Draw what is on file, now or when it is next on show."""
        self._behind = not self.isVisible()
        if self._behind:
            return
        self.shown = in_order(self.model.evidence)[-MOST_DRAWN:]
        self.dots.setData(
            [
                {
                    "pos": (x.place, 100 * x.beside),
                    "data": x,
                    "size": 13 if x.run.contender_id == self.model.selection else 9,
                    "symbol": marks.shape(x.run.contender_id),
                    "brush": theme.tones().sheet if x.run.warmup else marks.colour(x.run.contender_id),
                    "pen": pg.mkPen(theme.tones().trouble, width=2.6)
                    if x.run.disturbed or x.run.fell_back
                    else marks.pen(x.run.contender_id),
                }
                for x in self.shown
            ]
        )
        self._draw_rounds()
        self._draw_trend()
        counted = [100 * x.beside for x in self.shown]
        reach = max(LEAST_REACH, *map(abs, counted)) if counted else LEAST_REACH
        places = [x.place for x in self.shown] or [1]
        self.setYRange(-1.3 * reach, 1.3 * reach, padding=0)
        self.setXRange(min(places) - 1, max(places) + 1, padding=0)

    def _draw_rounds(self) -> None:
        """A line where each round begins."""
        for line in self._rounds:
            self.removeItem(line)
        begins = [
            after.place - 0.5
            for before, after in zip(self.shown, self.shown[1:], strict=False)
            if after.run.round != before.run.round
        ]
        self._rounds = [
            pg.InfiniteLine(at, angle=90, pen=pg.mkPen(theme.tones().line))
            for at in (begins if len(begins) <= MOST_ROUNDS_DRAWN else ())
        ]
        for line in self._rounds:
            line.setZValue(-10)
            self.addItem(line, ignoreBounds=True)

    def _draw_trend(self) -> None:
        """The drift by the hour where it is clear: the line that its change and the runs' times give."""
        clear = [o for o in self.model.evidence.order if o.along is Along.HOUR and o.trend.clear]
        counted = [x for x in self.shown if x.run.counts]
        if not clear or len(counted) < 2:
            self._trend.setData([], [])
            return
        began = np.array([np.datetime64(x.run.started_utc[:23]) for x in counted])
        share = (began - began.min()) / max(began.max() - began.min(), np.timedelta64(1, "ms"))
        logs = np.log1p(clear[0].trend.change) * (share - share.mean())
        self._trend.setData([x.place for x in counted], 100 * np.expm1(logs))

    def showEvent(self, event: QShowEvent | None) -> None:
        """What came while it was not on show is drawn."""
        super().showEvent(event)
        if self._behind:
            self.draw()

    def _hovered(self, _item: object, points: object, _event: object = None) -> None:
        found = list(points) if points is not None else []  # type: ignore[call-overload]
        if found:
            self._say(found[0].data())

    def as_text(self) -> str:
        """A line for each run."""
        e = self.model.evidence
        return "\n".join(
            f"{x.place}\t{e.label(x.run.contender_id)}\t{x.run.wall_s:.3f} s\t{100 * x.beside:+.1f} %"
            for x in self.shown
        )
