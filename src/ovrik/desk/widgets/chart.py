"""Charts in the desk's own dress."""

import pyqtgraph as pg
from PyQt6.QtCore import QSize
from PyQt6.QtGui import QColor, QContextMenuEvent, QWheelEvent
from PyQt6.QtWidgets import QGraphicsItem

from ovrik.desk.style import theme
from ovrik.desk.widgets.copying import copy_picture, copy_text, offer
from ovrik.report.forms.as_csv import tab_text


class Chart(pg.PlotWidget):
    """An empty chart with titled axes and no buttons of its own; the wheel scrolls what is around it."""

    def __init__(self, name: str, across: str, up: str, axes: dict[str, pg.AxisItem] | None = None) -> None:
        """`axes`: by side, those that are drawn in a way of their own."""
        t = theme.tones()
        super().__init__(background=t.sheet, enableMenu=False, axisItems=axes)
        self.setAccessibleName(name)
        item = self.getPlotItem()
        item.hideButtons()
        item.showGrid(x=True, y=True, alpha=0.16)
        for side, title in (("bottom", across), ("left", up)):
            axis = item.getAxis(side)
            axis.setPen(pg.mkPen(t.line))
            axis.setTextPen(pg.mkPen(t.soft))
            axis.setStyle(tickFont=theme.font(9), tickTextOffset=6)
            if title:
                axis.setLabel(title, color=t.soft, **{"font-size": "9.5pt"})
            axis.enableAutoSIPrefix(False)
            # An axis with its grid lies under everything: without a picture of it kept, each mark that moves would
            # have its text set anew, which is most of the work.
            axis.setCacheMode(QGraphicsItem.CacheMode.DeviceCoordinateCache)
        self.setProperty("role", "chart")

    def contextMenuEvent(self, event: QContextMenuEvent | None) -> None:
        """Offer it as a picture, and as text where the chart can say what it shows."""
        texts = ("Copy as text", lambda: copy_text(self.as_text()))
        offer(self, event, [("Copy as a picture", lambda: copy_picture(self)), texts])

    def as_text(self) -> str:
        """What it shows: here, the points of everything that is drawn, two columns for each."""
        item = self.getPlotItem()
        heads = [item.getAxis(side).labelText or side for side in ("bottom", "left")]
        parts = []
        for drawn in item.items:
            across, up = drawn.getData() if hasattr(drawn, "getData") else (None, None)
            if across is not None and up is not None and len(across):
                rows = [[f"{x:.6g}", f"{y:.6g}"] for x, y in zip(across, up, strict=False)]
                parts.append(tab_text([heads, *rows]))
        return "\n\n".join(parts)

    def sizeHint(self) -> QSize:
        """What can just be read; it takes what more there is."""
        return QSize(theme.scaled(240), max(theme.scaled(110), self.minimumHeight()))

    def minimumSizeHint(self) -> QSize:
        """Likewise."""
        return self.sizeHint()

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        """Pass it on: nothing is zoomed here."""
        if event:
            event.ignore()


def ink(alpha: int = 255) -> QColor:
    """The ink, more or less see-through."""
    made = QColor(theme.tones().ink)
    made.setAlpha(alpha)
    return made


def axis_words(
    text: str,
    tone: str = "ink",
    points: float = 9.5,
    weight: int = 500,
    anchor: tuple[float, float] = (0, 0.5),
) -> pg.TextItem:
    """A text in a chart."""
    made = pg.TextItem(text, color=getattr(theme.tones(), tone), anchor=anchor)
    made.textItem.document().setDocumentMargin(1)
    made.setFont(theme.font(points, weight))
    return made
