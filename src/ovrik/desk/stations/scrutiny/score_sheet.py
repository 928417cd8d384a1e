"""What an output scores, and whether it is what was asked for."""

from pathlib import Path

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QFileDialog, QVBoxLayout, QWidget

from ovrik.analysis.scores.pooling import lost
from ovrik.analysis.signals.loss_kinds import LOSS_KINDS
from ovrik.desk.model.study import DeskModel
from ovrik.desk.style import theme
from ovrik.desk.widgets.flow import Flow
from ovrik.desk.widgets.table import Cell, DeskTable
from ovrik.desk.widgets.text import button, label, scrolling_column, set_role
from ovrik.quality.scores.metric_table import METRICS
from ovrik.report.words.numbers import number
from ovrik.report.words.rows import output_rows
from ovrik.store.records.score import ScoreRecord
from ovrik.study.facts.point import DIFFERS, RIGHT, UNKNOWN
from ovrik.work.evidence.summary import Summary

SIGNS = {RIGHT: "✓", DIFFERS: "•", UNKNOWN: "?"}
"""What is no fault: right, said without being asked for, or not to be told."""


class ScoreSheet(QWidget):
    """Metrics pooled, kinds of loss, and what they were judged against.

    Signal: `reference_wanted` with a file to judge outputs against, or None for the programme.
    """

    reference_wanted = pyqtSignal(object)

    def __init__(self, model: DeskModel) -> None:
        super().__init__()
        self.model = model
        headings = ("Score", "Mean", "Harm.", "5th", "1st", "Worst s")
        self.numbers = DeskTable(headings, "Scores of the selected contender", True)
        self.numbers.setObjectName("tight")
        self.numbers.share_width(but_first=True)
        self.numbers.setFixedHeight(len(METRICS) * self.numbers.row_px + theme.scaled(36))
        self.sampled = label("", "note", wrap=True, copy=True)
        self.against = label("", "soft", wrap=True, copy=True)
        self.choose = button(
            "Judge against…", self._choose, hint="A file to judge the outputs against instead"
        )
        self.programme = button(
            "The programme",
            lambda: self.reference_wanted.emit(None),
            hint="Judge against the programme again",
        )
        whole = QVBoxLayout(self)
        whole.setContentsMargins(0, 0, 0, 0)
        buttons = Flow(8).add(self.choose, self.programme)
        whole.addWidget(scrolling_column(self.sampled, self.numbers, self.against, buttons))

    def follow(self) -> None:
        """Take in what is new."""
        s = self.model.summary
        self._fill_numbers(s)
        named = self.model.evidence.facts.conduct.reference
        what = f"{Path(named).name}, which was named for it" if named else "the programme, made losslessly"
        self.against.setText(f"Judged frame by frame against {what}.")
        self.against.setToolTip(named)
        self.programme.setVisible(bool(named))
        every = s.score.facts.every if s and s.score else 1
        self.sampled.setVisible(every > 1)
        self.sampled.setText(f"Of a sample: every {every} frames. Check the outputs to complete it (Ctrl+E).")

    def _fill_numbers(self, s: Summary | None) -> None:
        rows = []
        for m in METRICS:
            pooled = s.quality.get(m.key) if s else None
            values = [getattr(pooled, k, None) for k in ("mean", "harmonic", "p5", "p1", "worst_second")]
            hints = ("", "harmonic mean", "5th percentile", "1st percentile", "lowest mean over one second")
            cells = [
                Cell(number(v, m.digits), hint, right=True) for v, hint in zip(values, hints, strict=True)
            ]
            rows.append([Cell(m.title, f"{m.axis} ({m.about})"), *cells])
        self.numbers.fill(rows, range(1, len(rows) + 1))

    def _choose(self) -> None:
        name, _kind = QFileDialog.getOpenFileName(self, "File to judge the outputs against")
        if name:
            self.reference_wanted.emit(Path(name))

    def set_locked(self, locked: bool) -> None:
        """Whether nothing may be changed."""
        for part in (self.choose, self.programme):
            part.setEnabled(not locked)


class LossSheet(QWidget):
    """Each kind of loss of the selected output; one that is chosen shows its worst frame."""

    def __init__(self, model: DeskModel) -> None:
        super().__init__()
        self.model = model
        self.table = DeskTable(("Loss", "Mean", "95 %", "Worst", "Frame"), "Kinds of loss", True)
        self.table.setObjectName("tight")
        self.table.share_width(but_first=True)
        self.table.itemSelectionChanged.connect(self._go)
        whole = QVBoxLayout(self)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.addWidget(self.table, 1)
        whole.addWidget(label("Select a kind to see its worst frame.", "soft", wrap=True))

    def follow(self) -> None:
        """Take in what is new."""
        self._fill_losses(self.model.summary)

    def _fill_losses(self, s: Summary | None) -> None:
        rows = []
        for kind in LOSS_KINDS:
            found = lost(s.score.of(kind.key)) if s and s.score else None
            cells = ["–"] * 4
            if found:
                shown = (found.mean, found.p95, found.worst)
                cells = [*(f"{v:.{kind.digits}f}" for v in shown), str(found.frame)]
            rows.append(
                [Cell(kind.title, f"{kind.axis}: {kind.about}"), *(Cell(c, "", right=True) for c in cells)]
            )
        self.table.fill(rows, range(1, len(rows) + 1))

    def _go(self) -> None:
        """To the worst frame of the kind that was chosen."""
        s, at = self.model.summary, self.table.chosen
        if s and s.score and at:
            found = lost(s.score.of(LOSS_KINDS[at - 1].key))
            if found:
                self.model.move(found.frame)


class PointsSheet(QWidget):
    """Every check of the selected output."""

    def __init__(self, model: DeskModel) -> None:
        super().__init__()
        self.model = model
        self.text = label("", wrap=True, copy=True)
        whole = QVBoxLayout(self)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.addWidget(scrolling_column(self.text))

    def follow(self) -> None:
        """Take in what is new."""
        s = self.model.summary
        score = s.score if s else None
        if score is None:
            run = s.runs[-1] if s and s.runs else None
            why = (
                f"{run.state}: {run.reason}" if run and run.reason else "Its output has not been checked yet."
            )
            self.text.setText(self.model.barred.get(self.model.selection, why))
            set_role(self.text, "soft")
            return
        faults = [f"✕ {fault}" for fault in (*score.faults, *([score.problem] if score.problem else []))]
        set_role(self.text, "trouble" if faults else "")
        lines = [*(faults or ["✓ yes, in every point that could be told"]), *point_lines(score)]
        self.text.setText("\n".join(lines))


def point_lines(score: ScoreRecord) -> list[str]:
    """Points that are no fault, what can't be told first, each with what was found; then what else was read."""
    shown = sorted((p for p in score.points if not p.fault), key=lambda p: p.answer == RIGHT)
    facts = dict(output_rows(score.facts))
    said = [(SIGNS[p.answer], p.name, p.words or facts.get(p.name, "")) for p in shown]
    named = {p.name for p in shown}
    rest = [(" ", name, value) for name, value in facts.items() if value and name not in named]
    return [f"{sign} {name}{f': {words}' if words else ''}".strip() for sign, name, words in (*said, *rest)]
