"""Timing: a lane for every contender, finished runs as marks, the present run growing."""

import pyqtgraph as pg
from PyQt6.QtCore import pyqtSignal
from PyQt6.QtGui import QColor
from PyQt6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QGraphicsRectItem,
    QHBoxLayout,
    QProgressBar,
    QSpinBox,
    QVBoxLayout,
    QWidget,
)

from ovrik.desk import marks, theme
from ovrik.desk.model import DeskModel
from ovrik.desk.widgets.chart import chart, ink, words
from ovrik.desk.widgets.table import Cell, Table
from ovrik.desk.widgets.text import button, label, set_role, sheet
from ovrik.machine.readiness import Finding
from ovrik.report.words import number, size_words
from ovrik.store.records import RunRecord
from ovrik.work.evidence import Summary
from ovrik.work.timing import Moment, seconds_words

RUN_HEADINGS = ("Round", "State", "Wall time", "First picture", "Processor", "Peak memory",
                "Output", "Elsewhere", "Ovrik", "Build")  # fmt: skip


class TimingStation(QWidget):
    """Controls and the live figures above, the lanes between, the selected one's runs below."""

    start_wanted = pyqtSignal(list, int, bool)
    stop_wanted = pyqtSignal()

    def __init__(self, model: DeskModel) -> None:
        super().__init__()
        self.model = model
        self.who = QComboBox()
        self.who.addItems(["every contender", "the selected one and the baseline", "the selected one alone"])
        self.who.setAccessibleName("What is timed")
        self.rounds = QSpinBox()
        self.rounds.setRange(1, 100)
        self.rounds.setButtonSymbols(QSpinBox.ButtonSymbols.NoButtons)
        self.rounds.setFixedWidth(48)
        self.rounds.setValue(3)
        self.rounds.setAccessibleName("Rounds")
        self.score = QCheckBox("then check the outputs")
        self.score.setChecked(True)
        self.start = button("Time now", self._start, "main", "Begin the rounds", "Ctrl+R")
        self.stop = button(
            "Stop",
            self.stop_wanted.emit,
            "stop",
            "End the run in hand; finished runs stay",
            "Ctrl+.",
        )
        self.stop.setEnabled(False)
        self.figure, self.doing = label("", "title"), label("", "soft")
        self.who.activated.connect(lambda _i: self._show_plan())
        self.rounds.valueChanged.connect(lambda _v: self._show_plan())
        self.bar = QProgressBar()
        self.bar.setRange(0, 1000)
        self.bar.setFormat("")
        self.bar.setAccessibleName("Progress of this run")
        self.lanes = chart(
            "Lanes: run times of every contender",
            "seconds from start to the exit of the process",
            "",
        )
        self.lanes.setMouseEnabled(x=False, y=False)
        self.hover = label("Rest on a mark to read it", "soft")
        self.runs = Table(RUN_HEADINGS, "Runs of the selected contender", last_fills=True)
        self.runs.itemSelectionChanged.connect(self._run_chosen)
        self.log = label("", "soft", wrap=True, copy=True)
        self.live_bar = QGraphicsRectItem()
        self.live_bar.setPen(pg.mkPen(None))
        column = QVBoxLayout(self)
        column.setContentsMargins(16, 14, 16, 12)
        column.setSpacing(12)
        column.addWidget(self._controls())
        column.addWidget(self._lanes_sheet(), 5)
        column.addWidget(self._runs_sheet(), 4)
        model.evidence_changed.connect(self.follow)
        model.selected.connect(self.follow_selection)
        model.live.connect(self.follow_live)
        self.follow()

    def _controls(self) -> QWidget:
        frame, column = sheet()
        row = QHBoxLayout()
        row.setSpacing(8)
        for part in (
            label("Time"),
            self.who,
            label("for"),
            self.rounds,
            label("more rounds,"),
            self.score,
        ):
            row.addWidget(part)
        row.addStretch(1)
        row.addWidget(self.stop)
        row.addWidget(self.start)
        column.addLayout(row)
        live = QHBoxLayout()
        live.setSpacing(14)
        live.addWidget(self.figure)
        live.addWidget(self.doing, 1)
        live.addWidget(self.bar, 1)
        column.addLayout(live)
        self.ready = label("", "warning", wrap=True)
        self.ready.hide()
        column.addWidget(self.ready)
        return frame

    def _lanes_sheet(self) -> QWidget:
        frame, column = sheet()
        row = QHBoxLayout()
        row.addWidget(label("Lanes", "head"))
        row.addStretch(1)
        row.addWidget(self.hover)
        column.addLayout(row)
        column.addWidget(self.lanes, 1)
        return frame

    def _runs_sheet(self) -> QWidget:
        frame, column = sheet()
        self.runs_head = label("Runs", "head")
        column.addWidget(self.runs_head)
        column.addWidget(self.runs, 1)
        column.addWidget(self.log)
        return frame

    def _ids(self) -> list[int]:
        chosen, base = self.model.selection, self.model.evidence.facts.baseline_id or 0
        every = [
            s.contender.id for s in self.model.evidence.summaries if s.contender.id not in self.model.barred
        ]
        return (every, [i for i in every if i in (chosen, base)],
                [i for i in every if i == chosen])[self.who.currentIndex()]  # fmt: skip

    def _start(self) -> None:
        self.start_wanted.emit(self._ids(), self.rounds.value(), self.score.isChecked())

    def _show_plan(self) -> None:
        """What is on file, and what the rounds asked for would take."""
        e, ids = self.model.evidence, self._ids()
        counted = sum(len(s.counted) for s in e.summaries)
        known = [s.median_s for s in e.summaries if s.contender.id in ids and s.median_s]
        runs = len(ids) * (self.rounds.value() + e.facts.warmup)
        usual = sum(known) / len(known) * runs if known else None
        self.figure.setText(f"{counted} counted runs on file")
        warm = f"{e.facts.warmup} warm-up" if e.facts.warmup else "no warm-up"
        took = f", about {seconds_words(usual)}" if usual else ""
        self.doing.setText(f"This asks for {runs} runs more ({warm}, then "
                          f"{self.rounds.value()} shuffled rounds "
                           f"of {len(ids)} contenders){took}.")  # fmt: skip

    def show_findings(self, found: list[Finding]) -> None:
        """Say what could spoil this timing, read just before it."""
        self.ready.setVisible(bool(found))
        self.ready.setText("\n".join(f"{f.what}. {f.effect}. {f.remedy}." for f in found[:3]))

    def set_busy(self, busy: bool) -> None:
        """Whether something is being timed or checked."""
        self.start.setEnabled(not busy)
        self.stop.setEnabled(busy)

    def follow(self) -> None:
        """Take in what is new."""
        self._draw_lanes()
        self.follow_selection()
        if self.start.isEnabled():
            self.follow_live(None)

    def _draw_lanes(self) -> None:
        self.lanes.clear()
        self.lanes.getPlotItem().vb.addItem(self.live_bar, ignoreBounds=True)
        shown = self.model.evidence.summaries
        ticks = []
        longest = max((r.wall_s or 0 for s in shown for r in s.runs if r.state == "done"), default=1.0)
        for place, s in enumerate(shown):
            y = len(shown) - place
            ticks.append((y, _cut(s.contender.label)))
            self._draw_lane(s, y)
        axis = self.lanes.getPlotItem().getAxis("left")
        axis.setTicks([ticks])
        axis.setWidth(176)
        axis.setTextPen(pg.mkPen(theme.tones().ink))
        self.lanes.setXRange(0, longest * 1.12, padding=0)
        self.lanes.setYRange(0.4, len(shown) + 0.6, padding=0)

    def _draw_lane(self, s: Summary, y: float) -> None:
        cid = s.contender.id
        if cid == self.model.selection:
            band = pg.LinearRegionItem((y - 0.5, y + 0.5), "horizontal", movable=False,
                                       brush=QColor(theme.tones().act_wash), pen=pg.mkPen(None))  # fmt: skip
            band.setZValue(-10)
            self.lanes.addItem(band)
        done = [r for r in s.runs if r.state == "done" and r.wall_s]
        if s.median_s is not None:
            times = [r.wall_s or 0 for r in s.counted]
            self.lanes.plot([min(times), max(times)], [y, y], pen=marks.pen(cid, 3))
            self.lanes.plot([s.median_s] * 2, [y - 0.34, y + 0.34], pen=pg.mkPen(ink(), width=2))
            told = words(f"{s.median_s:.2f} s", points=9.5, weight=600)
            told.setPos(max(r.wall_s or 0 for r in done), y)
            told.setAnchor((-0.14, 0.5))
            self.lanes.addItem(told)
        elif cid in self.model.barred:
            told = words(f"can't run: {self.model.barred[cid]}", "trouble", 9)
            told.setPos(0, y)
            self.lanes.addItem(told)
        if done:
            spots = [{"pos": (r.wall_s, y), "data": r, "brush": _brush(r, cid), "pen": marks.pen(cid)}
                     for r in done]  # fmt: skip
            dots = pg.ScatterPlotItem(spots=spots, size=11, symbol=marks.shape(cid), hoverable=True, tip=None)
            dots.sigHovered.connect(self._hovered)
            dots.sigClicked.connect(lambda _i, _points, _e=None, cid=cid: self.model.select(cid))
            self.lanes.addItem(dots)

    def _hovered(self, _item: object, points: object, _event: object = None) -> None:
        found = list(points) if points is not None else []  # type: ignore[call-overload]
        if found:
            self.hover.setText(_told(found[0].data()))

    def follow_selection(self, _id: int = 0) -> None:
        """Show the selected contender's runs."""
        chosen = self.model.summary
        if _id:
            self._draw_lanes()
            if self.start.isEnabled():
                self._show_plan()
        runs = list(chosen.runs) if chosen else []
        self.runs_head.setText(f"Runs of {chosen.contender.label}" if chosen else "Runs")
        self.runs.fill([_run_cells(r) for r in runs], [r.id for r in runs], runs[-1].id if runs else 0)
        self._run_chosen()

    def _run_chosen(self) -> None:
        chosen = self.model.summary
        run = next((r for r in chosen.runs if r.id == self.runs.chosen), None) if chosen else None
        if run is None:
            why = self.model.barred.get(self.model.selection)
            self.log.setText(f"It can't run here: {why}" if why else "No runs yet.")
            set_role(self.log, "trouble" if why else "soft")
            return
        failed = run.state in ("failed", "interrupted")
        set_role(self.log, "trouble" if failed else "soft")
        self.log.setText(f"{run.state}: {run.reason}" if run.reason else
                         f"{run.started_utc[:19].replace('T', ' ')} UTC, exit code {run.exit_code}. "
                         f"{_last_line(run)}")  # fmt: skip
        self.log.setToolTip("\n".join(run.log[-12:]))

    def follow_live(self, moment: Moment | None) -> None:
        """Show the run in hand, or that there is none."""
        if moment is None:
            self.bar.hide()
            self._show_plan()
            self._show_live_bar(None)
            return
        where = "warm-up" if moment.turn.warmup else f"round {moment.turn.round}"
        p = moment.progress
        share = min(p.frame / moment.frames, 1.0) if p else float(bool(moment.ended))
        self.bar.show()
        self.bar.setValue(round(1000 * share))
        self.figure.setText(f"{100 * share:.0f} %")
        frames = f"frame {p.frame} of {moment.frames}, {p.fps:.0f} fps, " if p else ""
        self.doing.setText(f"{moment.label}, {where}, run {moment.number} of {moment.total}: {frames}"
                           f"{seconds_words(moment.left_s)} left")  # fmt: skip
        self._show_live_bar(moment)

    def _show_live_bar(self, moment: Moment | None) -> None:
        """Let the present run grow in its lane. Only one rectangle is drawn anew: this happens while
        that run is timed."""
        ids = [s.contender.id for s in self.model.evidence.summaries]
        shown = moment is not None and moment.progress is not None and not moment.ended
        if moment is None or moment.progress is None or not shown or moment.turn.contender not in ids:
            self.live_bar.hide()
            return
        y = len(ids) - ids.index(moment.turn.contender)
        tint = marks.colour(moment.turn.contender)
        tint.setAlpha(90)
        self.live_bar.setBrush(tint)
        self.live_bar.setRect(0, y - 0.25, moment.progress.at_s, 0.5)
        self.live_bar.show()


def _cut(name: str, most: int = 26) -> str:
    return name if len(name) <= most else name[: most - 1] + "…"


def _brush(run: RunRecord, cid: int) -> QColor:
    return QColor(theme.tones().sheet) if run.warmup else marks.colour(cid)


def _told(r: RunRecord) -> str:
    where = "warm-up, does not count" if r.warmup else f"round {r.round}"
    return (f"{where}: {r.wall_s:.3f} s, {number(r.fps, 1)} fps, first picture at "
            f"{number(r.first_picture_s, 1)} s")  # fmt: skip


def _last_line(r: RunRecord) -> str:
    return r.log[-1][:140] if r.log else ""


def _run_cells(r: RunRecord) -> list[Cell]:
    soft = "soft" if r.warmup else ""
    state = "trouble" if r.state in ("failed", "interrupted", "stopped") else soft
    cpu = (r.user_s or 0) + (r.system_s or 0) if r.user_s is not None else None
    own = 100 * (r.own_cpu_s or 0) / r.wall_s if r.wall_s else None
    peak = f"{r.peak_bytes / 2**20:.0f} MiB" if r.peak_bytes else "–"
    return [
        Cell("warm-up" if r.warmup else str(r.round), tone=soft),
        Cell(r.state, r.reason, state),
        Cell(f"{number(r.wall_s, 3)} s", tone=soft, right=True, bold=r.counts),
        Cell(f"{number(r.first_picture_s, 1)} s", "to 0.1 s, from the progress stream", soft, right=True),
        Cell(f"{number(cpu)} s", "user and system time of the whole process group", soft, right=True),
        Cell(peak, tone=soft, right=True),
        Cell(size_words(r.output_bytes), tone=soft, right=True),
        Cell(f"{number(r.other_cpu_s)} s", "processor time of everything else", soft, right=True),
        Cell(f"{number(own, 1)} %", "Ovrik's own use of one core during the run", soft, right=True),
        Cell(r.build.split("-")[0], f"{r.build}\nSHA-256 {r.build_sha256}", soft),
    ]  # fmt: skip
