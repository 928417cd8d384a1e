"""Scrutiny: reference and output at the same frame, and the score of every frame."""

from pathlib import Path

import numpy as np
import pyqtgraph as pg
from PyQt6.QtCore import QPointF, Qt, pyqtSignal
from PyQt6.QtGui import QImage
from PyQt6.QtWidgets import (
    QComboBox,
    QFileDialog,
    QHBoxLayout,
    QPushButton,
    QSizePolicy,
    QVBoxLayout,
    QWidget,
)

from ovrik.analysis.pooling import Pooled, under
from ovrik.desk import marks, theme
from ovrik.desk.model import DeskModel
from ovrik.desk.pictures import Pictures
from ovrik.desk.widgets.chart import Chart
from ovrik.desk.widgets.flow import Flow
from ovrik.desk.widgets.table import Cell, Table
from ovrik.desk.widgets.text import button, label, scrolling, set_role, sheet
from ovrik.desk.widgets.viewer import ZOOMS, Viewer
from ovrik.quality.metric_table import METRICS, Metric
from ovrik.quality.reference_key import reference_file
from ovrik.report.words import number
from ovrik.store.records import ScoreRecord
from ovrik.study.delivery import delivery
from ovrik.study.point import DIFFERS, RIGHT, UNKNOWN
from ovrik.work.evidence import Summary

NO_REFERENCE = (
    "The reference is not there yet: it is made when outputs are checked, "
    "and for the demo as soon as its footage is ready."
)


class ScrutinyStation(QWidget):
    """Viewer and numbers above, the chart of all frames below.

    Signal: `reference_wanted` with a file to judge outputs against, or None for the programme.
    """

    reference_wanted = pyqtSignal(object)

    def __init__(self, model: DeskModel, pictures: Pictures) -> None:
        super().__init__()
        self.model, self.pictures = model, pictures
        self.showing_output = True
        self.viewer = Viewer("Reference and output")
        self.viewer.step_wanted.connect(lambda by: model.move(model.frame + by))
        self.viewer.zoom_changed.connect(self._zoomed)
        self.output_button = self._side("Output", True)
        self.reference_button = self._side("Reference", False)
        self.zoom = QComboBox()
        self.zoom.addItems(["Fit", *(f"{100 * z:.0f} %" for z in ZOOMS[1:])])
        self.zoom.setAccessibleName("Zoom")
        self.zoom.activated.connect(lambda i: self.viewer.set_zoom(ZOOMS[i]))
        self.score_box = QComboBox()
        self.score_box.addItems([m.axis for m in METRICS])
        self.score_box.setAccessibleName("Score shown in the chart")
        self.score_box.activated.connect(lambda _i: self._draw_chart())
        self.numbers = Table(
            ("Score", "Mean", "5 %", "1 %", "Worst s"), "Scores of the selected contender", True
        )
        self.numbers.share_width()
        self.numbers.setFixedHeight(len(METRICS) * self.numbers.row_px + theme.scaled(36))
        self.conformity = label("", wrap=True, copy=True)
        self.against = label("", "soft", wrap=True, copy=True)
        self.choose = button(
            "Judge against…", self._choose, hint="A file to judge the outputs against instead"
        )
        self.programme = button(
            "The programme",
            lambda: self.reference_wanted.emit(None),
            hint="Judge against the programme again",
        )
        self.here = label("", "soft")
        self.hover = label("click to see that frame", "soft")
        self.chart = Chart("Score of every frame", "frame of the excerpt", "")
        self.chart.setMouseEnabled(x=False, y=False)
        self.chart.scene().sigMouseClicked.connect(self._chart_clicked)
        self.chart.scene().sigMouseMoved.connect(self._chart_hovered)
        self.playhead = pg.InfiniteLine(0, pen=pg.mkPen(theme.tones().trouble, width=2))
        self._lay_out()
        pictures.ready.connect(self._ready)
        pictures.failed.connect(self._failed)
        model.evidence_changed.connect(self.follow)
        model.selected.connect(self.follow)
        model.frame_moved.connect(self._moved)
        self.follow()

    def _side(self, text: str, output: bool) -> QPushButton:
        made = button(text, lambda: self.show_side(output), hint="F flips between them")
        made.setCheckable(True)
        return made

    def _lay_out(self) -> None:
        column = QVBoxLayout(self)
        column.setContentsMargins(16, 14, 16, 12)
        column.setSpacing(12)
        top = QHBoxLayout()
        top.setSpacing(12)
        left = QVBoxLayout()
        left.setSpacing(8)
        bar = Flow().add(
            self.reference_button,
            self.output_button,
            button("Flip", self.flip, hint="Show the other one", key="F"),
            None,
            button("‹", lambda: self.model.move(self.model.frame - 1), hint="One frame back"),
            self.here,
            button("›", lambda: self.model.move(self.model.frame + 1), hint="One frame forward"),
        )
        bar.addWidget(
            button("Worst", self._worst, hint="Go to the frame with the lowest score", key="Ctrl+W")
        )
        bar.addWidget(self.zoom)
        left.addWidget(self.viewer, 1)
        left.addLayout(bar)
        top.addLayout(left, 1)
        top.addWidget(self._side_sheet())
        column.addLayout(top, 3)
        frame, inner = sheet()
        row = QHBoxLayout()
        row.addWidget(label("Every frame", "head"))
        row.addWidget(self.score_box)
        row.addStretch(1)
        row.addWidget(self.hover)
        inner.addLayout(row)
        inner.addWidget(self.chart, 1)
        column.addWidget(frame, 2)

    def _side_sheet(self) -> QWidget:
        frame, column = sheet()
        frame.setFixedWidth(theme.scaled(340))
        frame.setSizePolicy(QSizePolicy.Policy.Fixed, QSizePolicy.Policy.Expanding)
        self.head = label("", "head", wrap=True)
        column.addWidget(self.head)
        column.addWidget(self.numbers)
        column.addWidget(self.against)
        column.addLayout(Flow(8).add(self.choose, self.programme))
        column.addSpacing(4)
        column.addWidget(label("Is it what was asked for?", "head"))
        inside = QWidget()
        text = QVBoxLayout(inside)
        text.setContentsMargins(0, 0, 8, 0)
        text.addWidget(self.conformity)
        text.addStretch(1)
        column.addWidget(scrolling(inside), 1)
        return frame

    # What is shown

    def follow(self, _id: int = 0) -> None:
        """Take in what is new."""
        chosen = self.model.summary
        self.head.setText(chosen.contender.label if chosen else "")
        self._fill_numbers(chosen)
        self._fill_conformity(chosen)
        self._fill_reference()
        self._draw_chart()
        self._show()

    def _fill_numbers(self, s: Summary | None) -> None:
        rows = []
        for m in METRICS:
            pooled = s.quality.get(m.key) if s else None
            values = [getattr(pooled, k, None) for k in ("mean", "p5", "p1", "worst_second")]
            rows.append(
                [
                    Cell(m.title, f"{m.axis} ({m.about})"),
                    *(
                        Cell(number(v, m.digits), hint, right=True)
                        for v, hint in zip(values, (_harmonic(m, pooled), "", "", ""), strict=True)
                    ),
                ]
            )
        self.numbers.fill(rows, range(1, len(rows) + 1))

    def _fill_reference(self) -> None:
        named = self.model.evidence.facts.conduct.reference
        what = f"{Path(named).name}, which was named for it" if named else "the programme, made losslessly"
        self.against.setText(f"Judged frame by frame ({_about()}) against {what}.")
        self.against.setToolTip(named)
        self.programme.setVisible(bool(named))

    def _choose(self) -> None:
        name, _kind = QFileDialog.getOpenFileName(self, "File to judge the outputs against")
        if name:
            self.reference_wanted.emit(Path(name))

    def set_busy(self, _busy: bool, locked: bool) -> None:
        """Whether nothing may be changed."""
        for part in (self.choose, self.programme):
            part.setEnabled(not locked)

    def _fill_conformity(self, s: Summary | None) -> None:
        score = s.score if s else None
        if score is None:
            run = s.runs[-1] if s and s.runs else None
            why = (
                f"{run.state}: {run.reason}" if run and run.reason else "Its output has not been checked yet."
            )
            self.conformity.setText(self.model.barred.get(self.model.selection, why))
            set_role(self.conformity, "soft")
            return
        faults = [f"✕ {fault}" for fault in (*score.faults, *([score.problem] if score.problem else []))]
        set_role(self.conformity, "trouble" if faults else "")
        lines = [*(faults or ["✓ yes, in every point that could be told"]), *point_lines(score)]
        self.conformity.setText("\n".join(lines))

    @property
    def charted(self) -> Metric:
        """The metric in the chart."""
        return METRICS[self.score_box.currentIndex()]

    def _scores(self, s: Summary) -> np.ndarray:
        return s.score.of(self.charted.key) if s.score else np.zeros(0)

    def _draw_chart(self) -> None:
        self.chart.clear()
        e = self.model.evidence
        lowest, highest = [], []
        for s in e.summaries:
            values = self._scores(s)
            if len(values) == 0:
                continue
            chosen = s.contender.id == self.model.selection
            pen = marks.pen(s.contender.id, 2.4 if chosen else 1)
            if not chosen:
                tint = pen.color()
                tint.setAlpha(85)
                pen.setColor(tint)
            line = self.chart.plot(np.arange(len(values)), values, pen=pen, antialias=True)
            line.setZValue(5 if chosen else 0)
            lowest.append(float(values.min()))
            highest.append(float(values.max()))
        floor = e.facts.limits.vmaf_p5
        if self.charted.key == "vmaf" and floor is not None:
            self.chart.addItem(
                pg.InfiniteLine(
                    floor,
                    angle=0,
                    pen=pg.mkPen(theme.tones().trouble, width=1, style=Qt.PenStyle.DashLine),
                    label=self._floor_words(floor),
                    labelOpts={
                        "color": theme.tones().trouble,
                        "position": 0.86,
                        "anchors": [(0.5, 0), (0.5, 0)],
                    },
                )
            )
        self.playhead.setPos(self.model.frame)
        self.chart.addItem(self.playhead)
        self.chart.setXRange(0, max(e.facts.excerpt.frames - 1, 1), padding=0.01)
        if lowest:
            self.chart.setYRange(min(lowest), max(highest), padding=0.06)

    def _floor_words(self, floor: float) -> str:
        chosen = self.model.summary
        scores = self._scores(chosen) if chosen else np.zeros(0)
        share = f"; {100 * under(scores, floor):.0f} % of the frames are under it" if len(scores) else ""
        return f"floor of the 5th percentile: {floor:g}{share}"

    def _chart_clicked(self, event: object) -> None:
        place = event.scenePos()  # type: ignore[attr-defined]
        view = self.chart.getPlotItem().vb
        if view.sceneBoundingRect().contains(place):
            self.model.move(round(view.mapSceneToView(place).x()))

    def _chart_hovered(self, place: QPointF) -> None:
        view = self.chart.getPlotItem().vb
        if not view.sceneBoundingRect().contains(place):
            return
        point = view.mapSceneToView(place)
        frame = round(point.x())
        known = [
            (float(v[frame]), s.contender.label)
            for s in self.model.evidence.summaries
            if 0 <= frame < len(v := self._scores(s))
        ]
        if known:
            value, name = min(known, key=lambda k: abs(k[0] - point.y()))
            self.hover.setText(f"frame {frame}: {name} {value:.{self.charted.digits}f}")

    def _moved(self, frame: int) -> None:
        self.playhead.setPos(frame)
        self._show()

    def flip(self) -> None:
        """Show the other picture."""
        self.show_side(not self.showing_output)

    def show_side(self, output: bool) -> None:
        """Show the output, or the reference."""
        self.showing_output = output
        self._show()

    def paths(self) -> tuple[Path, Path | None]:
        """Where the reference and the selected output are."""
        e, chosen = self.model.evidence, self.model.summary
        wanted = delivery(e.programme, e.facts.excerpt, chosen.contender.recipe) if chosen else None
        return (
            reference_file(e.facts, e.programme, wanted),
            self.model.output_path(chosen) if chosen else None,
        )

    def places(self) -> tuple[int, int]:
        """The frames of reference and output that belong to the frame that is looked at."""
        chosen = self.model.summary
        offset = chosen.score.offset if chosen and chosen.score else 0
        return self.model.frame + max(-offset, 0), self.model.frame + max(offset, 0)

    def _show(self) -> None:
        self.output_button.setChecked(self.showing_output)
        self.reference_button.setChecked(not self.showing_output)
        reference, output = self.paths()
        frame, chosen = self.model.frame, self.model.summary
        self.here.setText(f"frame {frame} of {self.model.evidence.facts.excerpt.frames}")
        if self.showing_output:
            name, path = f"Output: {chosen.contender.label if chosen else ''}", output
            missing = "This contender has no output on disk. Time it to make one."
        else:
            name, path = "Reference", reference if reference.exists() else None
            missing = NO_REFERENCE
        caption = f"{name} · frame {frame}{self._score_here(chosen)}"
        if path is None:
            self.viewer.show_picture(None, caption, missing)
            return
        theirs, ours = self.places()
        image = self.pictures.kept(path, ours if self.showing_output else theirs)
        if image is not None:
            self.viewer.show_picture(image, caption)
        else:
            self.viewer.caption = caption
            self.viewer.message = ""
        other = output if not self.showing_output else reference if reference.exists() else None
        if other is not None and image is not None:
            self.pictures.kept(other, theirs if self.showing_output else ours)  # so that a flip shows at once

    def _score_here(self, s: Summary | None) -> str:
        if s is None or not self.showing_output:
            return ""
        values = self._scores(s)
        if self.model.frame >= len(values):
            return ""
        return f" · {self.charted.axis} {values[self.model.frame]:.{self.charted.digits}f}"

    def _ready(self, path: str, frame: int, image: QImage) -> None:
        reference, output = self.paths()
        sides = list(zip((reference, output), self.places(), strict=True))
        (wanted, number), (other, beside) = reversed(sides) if self.showing_output else sides
        if str(wanted) == path and frame == number:
            self.viewer.show_picture(image, self.viewer.caption)
            if other is not None and other.exists():
                self.pictures.kept(other, beside)

    def _failed(self, path: str, words: str) -> None:
        if path in map(str, self.paths()):
            self.viewer.show_picture(None, self.viewer.caption, words)

    def _worst(self) -> None:
        chosen = self.model.summary
        values = self._scores(chosen) if chosen else np.zeros(0)
        if len(values):
            self.model.move(int(values.argmin()))

    def _zoomed(self, zoom: float) -> None:
        self.zoom.setCurrentIndex(ZOOMS.index(zoom))


def _harmonic(m: Metric, found: Pooled | None) -> str:
    return f"harmonic mean {found.harmonic:.{m.digits}f}" if found else ""


SIGNS = {RIGHT: "✓", DIFFERS: "•", UNKNOWN: "?"}
"""What is no fault: right, said without being asked for, or not to be told."""


def point_lines(score: ScoreRecord) -> list[str]:
    """Points that are no fault, what can't be told first, each with what was found; then what else was read."""
    shown = sorted((p for p in score.points if not p.fault), key=lambda p: p.answer == RIGHT)
    facts = dict(score.facts)
    said = [(SIGNS[p.answer], p.name, p.words or facts.pop(p.name, "")) for p in shown]
    rest = [
        (" ", name, value) for name, value in facts.items() if value and name not in {p.name for p in shown}
    ]
    return [f"{sign} {name}{f': {words}' if words else ''}".strip() for sign, name, words in (*said, *rest)]


def _about() -> str:
    """What the metrics are of."""
    return "; ".join(f"{m.title}: {m.about}" for m in METRICS)
