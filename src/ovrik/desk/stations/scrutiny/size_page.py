"""Size beside quality."""

import math

import numpy as np
import pyqtgraph as pg
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from ovrik.analysis.scores.equal_quality import EqualQuality
from ovrik.desk.model.study import DeskModel
from ovrik.desk.style import marks, theme
from ovrik.desk.widgets.chart import Chart
from ovrik.desk.widgets.table import Cell, DeskTable
from ovrik.desk.widgets.text import label
from ovrik.work.answers.size_quality import (
    Curve,
    SizeQuality,
    base_of,
    curves,
    difference_words,
    size_against,
    size_quality,
)

HEADINGS = ("Contender", "Mb/s", "Busiest second", "Bits per pixel", "VMAF", "5 %")
SERIES = ("Same settings, other rates", "Points", "Size at equal VMAF", "VMAF at equal size")
MARK_PX, NEAR_PX = 12, 14
MOST_ROWS = 13
DECADE = 8.0
"""Sizes that span so much are drawn on a logarithmic axis."""
NO_SERIES = (
    "To compare at equal quality, time at least three rates of the same settings: Line-up, Grid, with several values "
    "of the rate control."
)


class SizePage(QWidget):
    """A chart of quality over size, a row for each output, and what equal quality takes."""

    def __init__(self, model: DeskModel) -> None:
        super().__init__()
        self.model = model
        self.found: list[SizeQuality] = []
        self.chart = Chart("Quality over size", "picture, Mb/s", "VMAF, mean")
        self.chart.setMouseEnabled(x=False, y=False)
        self.chart.scene().sigMouseMoved.connect(self._hovered)
        self.chart.scene().sigMouseClicked.connect(self._clicked)
        self.said = label("hover over a mark to read it, click to select it", "soft", wrap=True)
        self.table = DeskTable(HEADINGS, "Size and quality of each output", last_fills=False)
        self.table.setObjectName("tight")
        self.table.first_gives_way(120)
        self.table.itemSelectionChanged.connect(lambda: model.select(self.table.chosen))
        self.series = DeskTable(SERIES, "Size at equal quality", last_fills=True)
        self.series.setObjectName("tight")
        self.series.first_gives_way(120)
        self.no_series = label(NO_SERIES, "soft", wrap=True)
        left = QVBoxLayout()
        left.addWidget(self.chart, 1)
        left.addWidget(self.said)
        right = QVBoxLayout()
        right.addWidget(self.table)
        right.addWidget(label("At equal quality", "head"))
        right.addWidget(self.series, 2)
        right.addWidget(self.no_series)
        right.addStretch(1)
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(14)
        row.addLayout(left, 5)
        row.addLayout(right, 6)

    def draw(self) -> None:
        """Show what is on file."""
        self.found = size_quality(self.model.evidence)
        rows = [_cells(one) for one in self.found]
        numbers = [one.summary.contender.contender_id for one in self.found]
        self.table.fill(rows, numbers, self.model.selection)
        drawn = curves(self.found)
        self.table.fit(MOST_ROWS)
        self._fill_series(drawn)
        self._draw_chart(drawn)

    def _fill_series(self, drawn: list[Curve]) -> None:
        base = base_of(drawn, self.model.evidence)
        rows = []
        for curve in drawn:
            cells = [Cell("the baseline's"), Cell("")]
            if base is not None and curve is not base:
                cells = _difference(size_against(base, curve))
            rows.append([Cell(curve.name, curve.name), Cell(str(len(curve.points)), right=True), *cells])
        self.series.fill(rows, range(1, len(rows) + 1))
        self.series.setVisible(bool(drawn))
        self.no_series.setVisible(not drawn)

    def _draw_chart(self, drawn: list[Curve]) -> None:
        self.chart.clear()
        sizes = [one.mbit_s for one in self.found]
        log = bool(sizes) and max(sizes) > DECADE * min(sizes)
        self.chart.getPlotItem().setLogMode(x=log)
        self.chart.getPlotItem().getAxis("bottom").setTicks(_ticks(min(sizes), max(sizes)) if log else None)
        for curve in drawn:
            tint = marks.pen(curve.points[0].summary.contender.contender_id, 1.2)
            self.chart.plot(curve.sizes, curve.qualities, pen=tint, antialias=True)
        for one in self.found:
            number = one.summary.contender.contender_id
            chosen = number == self.model.selection
            self.chart.plot(
                [one.mbit_s],
                [one.vmaf],
                pen=None,
                symbol=marks.shape(number),
                symbolSize=MARK_PX * (1.5 if chosen else 1),
                symbolBrush=marks.colour(number),
                symbolPen=pg.mkPen(theme.tones().ink if chosen else theme.tones().sheet, width=1.6),
            )
        floor = self.model.evidence.facts.limits.get("vmaf_mean")
        if floor is not None:
            opts = {"color": theme.tones().trouble, "position": 0.95, "anchors": [(1, 0), (1, 0)]}
            pen = pg.mkPen(theme.tones().trouble, width=1.4, style=Qt.PenStyle.DashLine)
            self.chart.addItem(
                pg.InfiniteLine(floor, angle=0, pen=pen, label=f"floor {floor:g}", labelOpts=opts)
            )
        self.chart.enableAutoRange()

    def _nearest(self, place: QPointF) -> SizeQuality | None:
        view = self.chart.getPlotItem().vb
        if not self.found or not view.sceneBoundingRect().contains(place):
            return None
        log = self.chart.getPlotItem().ctrl.logXCheck.isChecked()
        points = [QPointF(np.log10(o.mbit_s) if log else o.mbit_s, o.vmaf) for o in self.found]
        gaps = [(view.mapViewToScene(p) - place).manhattanLength() for p in points]
        at = int(np.argmin(gaps))
        return self.found[at] if gaps[at] <= NEAR_PX * 2 else None

    def _hovered(self, place: QPointF) -> None:
        one = self._nearest(place)
        if one is not None:
            self.said.setText(f"{one.summary.contender.label}: VMAF {one.vmaf:.1f} for {one.mbit_s:.2f} Mb/s")

    def _clicked(self, event: object) -> None:
        one = self._nearest(event.scenePos())  # type: ignore[attr-defined]
        if one is not None:
            self.model.select(one.summary.contender.contender_id)


def _ticks(low: float, high: float) -> list[list[tuple[float, str]]]:
    """Marks of a logarithmic axis, far enough apart to be read: 1, 2 and 5 of each decade."""
    decades = range(math.floor(math.log10(low)) - 1, math.ceil(math.log10(high)) + 1)
    return [[(math.log10(m) + d, f"{m * 10.0**d:g}") for d in decades for m in (1, 2, 5)]]


def _difference(found: EqualQuality) -> list[Cell]:
    said = difference_words(found)
    if found.rate is None:
        return [Cell("can't be told", said), Cell("")]
    more = f"{abs(100 * found.rate):.1f} % {'more' if found.rate > 0 else 'less'}"
    better = "" if found.quality is None else f"{found.quality:+.1f}".replace("-", "−")
    return [Cell(more, said), Cell(better, said)]


def _cells(one: SizeQuality) -> list[Cell]:
    figures = (
        f"{one.mbit_s:.3g}",
        f"{one.peak_mbit_s:.3g}",
        f"{one.bits_per_pixel:.3f}",
        f"{one.vmaf:.1f}",
        f"{one.p5:.1f}",
    )
    name = one.summary.contender.label
    return [
        Cell(name, name, mark=one.summary.contender.contender_id),
        *(Cell(f, "", right=True) for f in figures),
    ]
