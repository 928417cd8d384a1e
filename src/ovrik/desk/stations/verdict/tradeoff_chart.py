"""The picture of the trade-off: marks, intervals, the edge, and limits that are dragged."""

from collections.abc import Callable
from functools import partial

import numpy as np
import pyqtgraph as pg
from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QBrush, QColor, QKeyEvent, QWheelEvent

from ovrik.desk.model.tradeoff import Axis, LimitLine, TradeOff, TradeoffPoint, ticks
from ovrik.desk.style import marks, theme
from ovrik.desk.widgets.chart import Chart, axis_words
from ovrik.desk.widgets.chart_labels import Labels

NEAR_PX, RING_PX, ZOOM = 18.0, 12.0, 0.7
SEARCHED_PX, EDGE_PX = 8.0, 21.0
MARGIN = 0.07
BEYOND = 0.6
"""A limit that lies farther outside what was measured, as a share of its span, is not drawn into the picture."""
ARROWS: dict[int, tuple[int, int]] = {
    Qt.Key.Key_Left: (0, -1),
    Qt.Key.Key_Right: (0, 1),
    Qt.Key.Key_Down: (1, -1),
    Qt.Key.Key_Up: (1, 1),
}


NO_POINTS = "Nothing that was timed has both of these values yet"
SOLID = Qt.PenStyle.SolidLine


class TradeOffChart(Chart):
    """Takes a `TradeOff` and follows it.

    Signals: `limit_moved` with a `LimitLine` and a place in its axis' plain values while it is dragged,
    `limit_let_go` with the same at the end; `pointed` with the `Point` under the mouse, or None; `chosen` with a
    contender's number."""

    limit_moved = pyqtSignal(object, float)
    limit_let_go = pyqtSignal(object, float)
    pointed = pyqtSignal(object)
    chosen = pyqtSignal(int)

    def __init__(self) -> None:
        super().__init__("Trade-off", "", "")
        self.shown: TradeOff | None = None
        self.selection = 0
        self.labels = Labels(self)
        self._movable = True
        self._lines: dict[str, pg.InfiniteLine] = {}
        self.labels.others = self._limit_boxes
        self._named: tuple[object, ...] = ()
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        view = self.getPlotItem().vb
        view.setMouseMode(pg.ViewBox.RectMode)
        t = theme.tones()
        view.rbScaleBox.setPen(pg.mkPen(t.act, width=1))
        view.rbScaleBox.setBrush(
            pg.mkBrush(QColor(t.act).red(), QColor(t.act).green(), QColor(t.act).blue(), 40)
        )
        # What lies lower first: the wash beyond limits, intervals, edge, marks, rings.
        self._whiskers = pg.PlotCurveItem(pen=pg.mkPen(t.soft, width=1.4), connect="pairs")
        self._edge = pg.PlotCurveItem(pen=pg.mkPen(t.act, width=1.6))
        self.spots = pg.ScatterPlotItem(pxMode=True)
        self._rings = pg.ScatterPlotItem(pxMode=True)
        self._between: list[pg.PlotCurveItem] = []
        self.searched = pg.ScatterPlotItem(pxMode=True)
        self._all = True
        self._empty = axis_words("", "soft", 11, anchor=(0.5, 0.5))
        for z, item in enumerate((self._whiskers, self._edge, self.searched, self.spots, self._rings), 1):
            item.setZValue(z)
            self.addItem(item)
        self.addItem(self._empty, ignoreBounds=True)
        view.sigResized.connect(lambda _v: self._resized())
        view.sigRangeChangedManually.connect(lambda _sides: self._zoomed_by_hand())
        self.scene().sigMouseMoved.connect(self._hovered)
        self.scene().sigMouseClicked.connect(self._clicked)

    # What is shown

    def show_picture(self, shown: TradeOff, selection: int) -> None:
        """Draw another picture, all of it in view."""
        self.shown, self.selection = shown, selection
        for side, axis in (("bottom", shown.across), ("left", shown.up)):
            drawn = self.getPlotItem().getAxis(side)
            drawn.setLabel(axis.title, color=theme.tones().soft, **{"font-size": "9.5pt"})
            drawn.setTicks([ticks(axis.low, axis.high)] if axis.log else None)
        self._draw_curves()
        self._draw_marks()
        self._draw_lines()
        self.show_all()
        self._empty.setText(
            "" if shown.points else "Nothing has been timed yet" if not shown.unplaced else NO_POINTS
        )
        if not shown.points:
            (left, right), (low, high) = self.getPlotItem().vb.viewRange()
            self._empty.setPos((left + right) / 2, (low + high) / 2)
        for side in ("bottom", "left"):
            self.getPlotItem().getAxis(side).setStyle(showValues=bool(shown.points))
        self._name(always=True)

    def as_text(self) -> str:
        """A line for each mark."""
        return "\n".join(self.shown.said(p) for p in self.shown.points) if self.shown else ""

    def follow_limits(self, shown: TradeOff, but: str = "") -> None:
        """The same picture by limits that have moved; the line of the key `but` is in somebody's hand."""
        before, self.shown = self.shown, shown
        if before is None or _states(before) != _states(shown):
            self.spots.setBrush([self._brush(p) for p in shown.points])
            self._draw_rings()
        if [line.kind.key for line in shown.lines] != list(self._lines):
            self._draw_lines()
        for line in shown.lines:
            if line.kind.key != but:
                self._lines[line.kind.key].setValue(self._axis(line).place(line.at))
            self._say_limit(line)
        self._name()

    def select(self, number: int) -> None:
        """Mark another contender as the one that is looked at."""
        self.selection = number
        self._draw_rings()
        self._name()

    def let_limits_move(self, wanted: bool) -> None:
        """Whether limits can be dragged: not in a study that can't be written."""
        self._movable = wanted
        for line in self._lines.values():
            line.setMovable(wanted)

    def show_all(self) -> None:
        """Zoom out to everything."""
        if self.shown is None:
            return
        self._all = True
        for axis, set_range, side in (
            (self.shown.across, self.setXRange, 0),
            (self.shown.up, self.setYRange, 1),
        ):
            low, high = self._reach(axis, side)
            set_range(low, high, padding=0)

    def _resized(self) -> None:
        """All stays in view, but nothing moves under a line that is in somebody's hand."""
        if self._all and not any(line.moving for line in self._lines.values()):
            self.show_all()

    def _zoomed_by_hand(self) -> None:
        self._all = False

    def zoom(self, factor: float) -> None:
        """Nearer for a factor below 1; about the selected mark if there is one in view."""
        self._all = False
        view = self.getPlotItem().vb
        at = self._of(self.selection)
        centre = QPointF(*self.shown.place(at)) if at and self.shown else None
        if centre is not None and not view.viewRect().contains(centre):
            centre = None
        view.scaleBy((factor, factor), center=centre)

    def _reach(self, axis: Axis, side: int) -> tuple[float, float]:
        """From where to where an axis goes, in places: marks, whiskers and limits near them."""
        assert self.shown is not None
        points = self.shown.points
        places = [self.shown.place(p)[side] for p in points] or [0.0, 1.0]
        places += [self._placed(point)[side] for line in self.shown.curves for point in line.points]
        if axis.key == "time":
            places += [axis.place(v) for p in points for v in (p.low, p.high) if v > 0]
        low, high = min(places), max(places)
        span = max(high - low, 0.02 * abs(high), 1e-3)
        for line in self.shown.lines:
            at = axis.place(line.at) if line.axis == axis.key else low
            # One mark alone has no span: then a few steps are near.
            near = max(BEYOND * span, 0.0 if axis.log else 4 * line.kind.step * line.per)
            if low - near <= at <= high + near:
                low, high = min(low, at), max(high, at)
        span = max(high - low, 0.02 * abs(high), 1e-3)
        view = self.getPlotItem().vb
        # A mark at the edge has its rings in view, however low the chart is.
        room = max(view.height() if side else view.width(), 4 * EDGE_PX)
        margin = max(MARGIN, EDGE_PX / (room - 2 * EDGE_PX))
        return low - margin * span, high + (margin if side else 2 * margin) * span

    def _draw_marks(self) -> None:
        assert self.shown is not None
        shown = self.shown
        places = np.array([shown.place(p) for p in shown.points]).reshape(-1, 2)
        self.spots.setData(
            [
                {
                    "pos": tuple(place),
                    "symbol": marks.shape(p.contender_id),
                    "size": shown.mark_px(p),
                    "brush": self._brush(p),
                    "pen": marks.pen(p.contender_id, 1.8),
                    "data": p.contender_id,
                }
                for p, place in zip(shown.points, places, strict=True)
            ]
        )
        self.labels.keep_clear_of(places)
        ends = [
            (shown.across.place(v), shown.place(p)[1]) if shown.across.key == "time" else (0.0, 0.0)
            for p in shown.points
            if p.high > p.low > 0
            for v in (p.low, p.high)
        ]
        drawn = np.array(ends if shown.across.key == "time" else []).reshape(-1, 2)
        self._whiskers.setData(drawn[:, 0], drawn[:, 1])
        self.labels.keep_off(np.column_stack([drawn[0::2], drawn[1::2]])[:, [0, 2, 1]])
        along = places[list(shown.edge)] if shown.edge else np.zeros((0, 2))
        self._edge.setData(along[:, 0], along[:, 1])
        self._draw_rings()

    def _draw_curves(self) -> None:
        """One recipe at several settings, each a line; encodes of a search are small and hollow."""
        assert self.shown is not None
        for curve in self._between:
            self.removeItem(curve)
        self._between.clear()
        spots = []
        for line in self.shown.curves:
            places = [self._placed(point) for point in line.points]
            drawn = pg.PlotCurveItem(*np.array(places).T, pen=marks.pen(line.contender_id, 1.2))
            drawn.setZValue(0.5)
            self.addItem(drawn)
            self._between.append(drawn)
            spots += [
                {
                    "pos": place,
                    "symbol": marks.shape(line.contender_id),
                    "size": SEARCHED_PX,
                    "brush": theme.tones().sheet,
                    "pen": marks.pen(line.contender_id, 1.3),
                }
                for place, searched in zip(places, line.searched, strict=True)
                if searched
            ]
        self.searched.setData(spots)

    def _placed(self, point: tuple[float, float]) -> tuple[float, float]:
        assert self.shown is not None
        return self.shown.across.place(point[0]), self.shown.up.place(point[1])

    def _draw_rings(self) -> None:
        """Choice, baseline, selection and what is simulated, each by a ring of its own kind."""
        assert self.shown is not None
        t, rings = theme.tones(), []
        for p in self.shown.points:
            for wanted, symbol, tone, width, more, line in (
                (p.baseline, "s", t.soft, 1.3, 4, SOLID),
                (p.choice, "o", t.act, 2.6, 6, SOLID),
                (p.contender_id == self.selection, "o", t.ink, 1.6, 0, SOLID),
                (p.simulated, "o", t.soft, 1.4, 7, Qt.PenStyle.DotLine),
            ):
                if wanted:
                    rings.append(
                        {
                            "pos": self.shown.place(p),
                            "symbol": symbol,
                            "size": self.shown.mark_px(p) + RING_PX + more,
                            "brush": None,
                            "pen": pg.mkPen(tone, width=width, style=line),
                        }
                    )
        self._rings.setData(rings)

    @staticmethod
    def _brush(p: TradeoffPoint) -> QBrush:
        return pg.mkBrush(marks.colour(p.contender_id) if p.acceptable else theme.tones().sheet)

    # Limits

    def _draw_lines(self) -> None:
        assert self.shown is not None
        for line in self._lines.values():
            self.removeItem(line)
        self._lines.clear()
        t = theme.tones()
        for one in self.shown.lines:
            across = one.axis == self.shown.across.key
            made = pg.InfiniteLine(
                self._axis(one).place(one.at),
                angle=90 if across else 0,
                movable=self._movable,
                pen=pg.mkPen(t.trouble, width=2, style=Qt.PenStyle.DashLine),
                hoverPen=pg.mkPen(t.trouble, width=4),
                label="",
                labelOpts={
                    "color": t.trouble,
                    "fill": t.sheet,
                    "position": 0.94 if across else 0.99,
                    "anchors": [(0.5, 0.5), (0.5, 0.5)] if across else [(1, 0.5), (1, 0.5)],
                },
            )
            made.label.setFont(theme.font(9, 600))
            made.setCursor(Qt.CursorShape.SizeHorCursor if across else Qt.CursorShape.SizeVerCursor)
            made.setZValue(6)
            made.sigDragged.connect(partial(self._moved, one.kind.key, self.limit_moved.emit))
            made.sigPositionChangeFinished.connect(partial(self._moved, one.kind.key, self.limit_let_go.emit))
            self.addItem(made, ignoreBounds=True)
            self._lines[one.kind.key] = made
            self._say_limit(one)

    def _limit_boxes(self) -> list[QRectF]:
        """Where the limits' texts stand, in the scene."""
        return [x.label.mapRectToScene(x.label.boundingRect()) for x in self._lines.values()]

    def _say_limit(self, line: LimitLine) -> None:
        kind = line.kind
        bound = "floor" if kind.floor else "ceiling"
        self._lines[kind.key].label.setText(f"{kind.heading} {bound} {kind.words(line.at / line.per)}")

    def _moved(self, key: str, say: Callable[[object, float], None], line: pg.InfiniteLine) -> None:
        now = next((x for x in self.shown.lines if x.kind.key == key), None) if self.shown else None
        if now is not None:
            say(now, self._axis(now).value(float(line.value())))

    def _axis(self, line: LimitLine) -> Axis:
        assert self.shown is not None
        return self.shown.across if line.axis == self.shown.across.key else self.shown.up

    # Names

    def _name(self, always: bool = False) -> None:
        """Give names to those that have room for one, if they are others than before."""
        assert self.shown is not None
        shown = self.shown
        wanted = list(shown.labelled)
        chosen = next((n for n, p in enumerate(shown.points) if p.contender_id == self.selection), None)
        if chosen is not None:
            wanted = [chosen, *(n for n in wanted if n != chosen)]
        named = tuple((n, self._text(shown.points[n]), n == chosen) for n in wanted)
        if named == self._named and not always:
            return
        self._named = named
        self.labels.clear()
        for number, text, is_chosen in named:
            p = shown.points[number]
            x, y = shown.place(p)
            made = axis_words(text, points=9, weight=700 if is_chosen else 500)
            made.setColor(marks.colour(p.contender_id))
            across = shown.across
            span = (
                (across.place(p.low), across.place(p.high)) if across.key == "time" and p.low > 0 else (x, x)
            )
            first = is_chosen or p.choice or p.baseline
            self.labels.add(made, x, y, span, first)
        self.labels.place()
        at = self._of(self.selection)
        self.setAccessibleDescription(shown.said(at) if at else "")

    def _text(self, p: TradeoffPoint) -> str:
        extra = [w for w, wanted in (("the choice", p.choice), ("baseline", p.baseline)) if wanted]
        extra += [] if p.acceptable is not False else ["✕"]
        return f"{p.label}{' – ' if extra else ''}{', '.join(extra)}"

    # Mouse and keys

    def _of(self, number: int) -> TradeoffPoint | None:
        return next((p for p in self.shown.points if p.contender_id == number), None) if self.shown else None

    def nearest(self, place: QPointF) -> TradeoffPoint | None:
        """The mark at a place of the scene."""
        view = self.getPlotItem().vb
        if self.shown is None or not self.shown.points or not view.sceneBoundingRect().contains(place):
            return None
        spots = [view.mapViewToScene(QPointF(*self.shown.place(p))) for p in self.shown.points]
        gaps = [(s - place).manhattanLength() for s in spots]
        at = int(np.argmin(gaps))
        return self.shown.points[at] if gaps[at] <= NEAR_PX else None

    def _hovered(self, place: QPointF) -> None:
        self.pointed.emit(self.nearest(place))

    def _clicked(self, event: object) -> None:
        if event.double():  # type: ignore[attr-defined]
            self.show_all()
            return
        found = self.nearest(event.scenePos())  # type: ignore[attr-defined]
        if found is not None:
            self.chosen.emit(found.contender_id)

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        """With Ctrl it zooms about the mouse; else what is around scrolls."""
        if event is None or not event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            super().wheelEvent(event)
            return
        self._all = False
        view = self.getPlotItem().vb
        factor = ZOOM if event.angleDelta().y() > 0 else 1 / ZOOM
        view.scaleBy(
            (factor, factor), center=view.mapSceneToView(self.mapToScene(event.position().toPoint()))
        )
        event.accept()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Arrows go from mark to mark along an axis; + and − zoom, 0 shows all."""
        key = event.key() if event else 0
        if key in ARROWS:
            self._step(*ARROWS[key])
        elif key in (Qt.Key.Key_Plus, Qt.Key.Key_Equal):
            self.zoom(ZOOM)
        elif key == Qt.Key.Key_Minus:
            self.zoom(1 / ZOOM)
        elif key == Qt.Key.Key_0:
            self.show_all()
        else:
            super().keyPressEvent(event)

    def _step(self, side: int, by: int) -> None:
        if self.shown is None or not self.shown.points:
            return
        shown = self.shown
        order = sorted(shown.points, key=lambda p: (shown.place(p)[side], p.contender_id))
        at = next((n for n, p in enumerate(order) if p.contender_id == self.selection), -by)
        self.chosen.emit(order[max(0, min(len(order) - 1, at + by))].contender_id)


def _states(shown: TradeOff) -> list[tuple[bool | None, bool]]:
    return [(p.acceptable, p.choice) for p in shown.points]
