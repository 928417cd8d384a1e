"""The score of every frame of every output, or a kind of loss, or what each second takes."""

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
import pyqtgraph as pg
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtGui import QShowEvent
from PyQt6.QtWidgets import QComboBox, QHBoxLayout, QVBoxLayout, QWidget

from ovrik.analysis.scores.bit_rate import around
from ovrik.analysis.scores.pooling import under
from ovrik.analysis.signals.loss_kinds import LOSS_KINDS
from ovrik.desk.model.study import DeskModel
from ovrik.desk.style import marks, theme
from ovrik.desk.widgets.chart import Chart
from ovrik.desk.widgets.text import label, sheet
from ovrik.quality.scores.metric_table import METRICS
from ovrik.store.records.score import BITS, NO_VALUES, ScoreRecord
from ovrik.study.contender.delivery import delivery
from ovrik.work.evidence.summary import Summary


@dataclass(frozen=True)
class ScoreSeries:
    """What can be drawn. Fields: `key`; `axis`, title and unit; `digits` after the point; `read`, its values from a
    score and the frames in a second, shape (frames,); `more_is_better`, whether the lowest is the worst."""

    key: str
    axis: str
    digits: int
    read: Callable[[ScoreRecord, float], np.ndarray]
    more_is_better: bool = False

    def worst(self, values: np.ndarray) -> int | None:
        """Where it is at its worst; None where no frame has a value."""
        if not np.isfinite(values).any():
            return None
        return int(np.nanargmin(values) if self.more_is_better else np.nanargmax(values))


def _megabits(score: ScoreRecord, rate: float) -> np.ndarray:
    return around(score.of(BITS), rate) / 1e6


def _as_kept(key: str) -> Callable[[ScoreRecord, float], np.ndarray]:
    return lambda score, _rate: score.of(key)


def every_series() -> list[ScoreSeries]:
    """All that can be drawn: metrics, kinds of loss, and the bit rate."""
    return [
        *(ScoreSeries(m.key, m.axis, m.digits, _as_kept(m.key), True) for m in METRICS),
        *(ScoreSeries(k.key, k.axis, k.digits, _as_kept(k.key)) for k in LOSS_KINDS),
        ScoreSeries(BITS, "Bit rate, Mb/s", 2, _megabits),
    ]


class ScoreChart(QWidget):
    """A line for each contender; a click goes to that frame."""

    def __init__(self, model: DeskModel) -> None:
        super().__init__()
        self.model = model
        self.box = QComboBox()
        self._series = every_series()
        self._drawn: dict[int, np.ndarray] = {}
        self._behind = False
        self.box.addItems([s.axis for s in self._series])
        self.box.setAccessibleName("Shown in the chart")
        self.box.activated.connect(lambda _i: self.draw())
        self.hover = label("click to see that frame", "soft")
        self.chart = Chart("Score of every frame, over the frames of the excerpt", "", "")
        self.chart.setMouseEnabled(x=False, y=False)
        self.chart.scene().sigMouseClicked.connect(self._clicked)
        self.chart.scene().sigMouseMoved.connect(self._hovered)
        self.playhead = pg.InfiniteLine(0, pen=pg.mkPen(theme.tones().trouble, width=2))
        frame, inner = sheet(8, 4)
        row = QHBoxLayout()
        row.addWidget(label("Every frame", "head"))
        row.addWidget(self.box)
        row.addStretch(1)
        row.addWidget(self.hover)
        inner.addLayout(row)
        inner.addWidget(self.chart, 1)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.addWidget(frame)

    @property
    def series(self) -> ScoreSeries:
        """What is in the chart."""
        return self._series[self.box.currentIndex()]

    def values(self, s: Summary) -> np.ndarray:
        """What a contender has of it, shape (frames,)."""
        if s.score is None:
            return NO_VALUES
        e = self.model.evidence
        return self.series.read(
            s.score, float(delivery(e.programme, e.facts.excerpt, s.contender.recipe).rate)
        )

    def showEvent(self, event: QShowEvent | None) -> None:
        """What came while it was not on show is drawn."""
        super().showEvent(event)
        if self._behind:
            self.draw()

    def draw(self) -> None:
        """Draw it anew, now or when it is next on show."""
        self._behind = not self.isVisible()
        if self._behind:
            return
        self.chart.clear()
        e = self.model.evidence
        lowest, highest = [], []
        self._drawn = {s.contender.contender_id: self.values(s) for s in e.summaries}
        for s in e.summaries:
            values = self._drawn[s.contender.contender_id]
            known = np.flatnonzero(np.isfinite(values))
            if len(known) == 0:
                continue
            chosen = s.contender.contender_id == self.model.selection
            pen = marks.pen(s.contender.contender_id, 2.4 if chosen else 1)
            if not chosen:
                tint = pen.color()
                tint.setAlpha(85)
                pen.setColor(tint)
            line = self.chart.plot(known, values[known], pen=pen, antialias=True)
            line.setZValue(5 if chosen else 0)
            lowest.append(float(values[known].min()))
            highest.append(float(values[known].max()))
        floor = e.facts.limits.get("vmaf_p5")
        if self.series.key == "vmaf" and floor is not None:
            self._draw_floor(floor)
        self.playhead.setPos(self.model.frame)
        self.chart.addItem(self.playhead)
        self.chart.setXRange(0, max(e.facts.excerpt.frames - 1, 1), padding=0.01)
        if lowest:
            self.chart.setYRange(min(lowest), max(highest), padding=0.06)

    def _draw_floor(self, floor: float) -> None:
        chosen = self.model.summary
        scores = self.values(chosen) if chosen else NO_VALUES
        share = f"; {100 * under(scores, floor):.0f} % of the frames are under it" if len(scores) else ""
        tone = theme.tones().trouble
        self.chart.addItem(
            pg.InfiniteLine(
                floor,
                angle=0,
                pen=pg.mkPen(tone, width=1, style=Qt.PenStyle.DashLine),
                label=f"floor of the 5th percentile: {floor:g}{share}",
                labelOpts={"color": tone, "position": 0.99, "anchors": [(1, 0), (1, 0)]},
            )
        )

    def _clicked(self, event: object) -> None:
        place = event.scenePos()  # type: ignore[attr-defined]
        view = self.chart.getPlotItem().vb
        if view.sceneBoundingRect().contains(place):
            self.model.move(round(view.mapSceneToView(place).x()))

    def _hovered(self, place: QPointF) -> None:
        view = self.chart.getPlotItem().vb
        if not view.sceneBoundingRect().contains(place):
            return
        point = view.mapSceneToView(place)
        frame = round(point.x())
        known = [
            (float(v[frame]), s.contender.label)
            for s in self.model.evidence.summaries
            if 0 <= frame < len(v := self._drawn.get(s.contender.contender_id, NO_VALUES))
            and np.isfinite(v[frame])
        ]
        if known:
            value, name = min(known, key=lambda k: abs(k[0] - point.y()))
            self.hover.setText(f"frame {frame}: {name} {value:.{self.series.digits}f}")
