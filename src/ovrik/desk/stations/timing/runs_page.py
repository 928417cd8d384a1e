"""The runs of the selected contender, one row each, with the last words of the chosen one."""

from collections.abc import Collection

from PyQt6.QtCore import QEvent, QObject, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from ovrik.desk.model.study import DeskModel
from ovrik.desk.stations.timing.by_hand_form import ByHandForm
from ovrik.desk.stations.timing.run_rows import RUN_HEADINGS, prepared_cells, run_cells
from ovrik.desk.widgets.table import DeskTable
from ovrik.desk.widgets.text import label, set_role
from ovrik.report.words.reasons import device_words, odd_words
from ovrik.store.records.run import RunRecord


class RunsPage(QWidget):
    """A table over its log and the form for a stopwatch time.

    Signals: `chosen` with a run's id, 0 for none; `over_wanted` with a run whose trace is to be laid over others."""

    chosen = pyqtSignal(int)
    over_wanted = pyqtSignal(object)

    def __init__(self, model: DeskModel) -> None:
        super().__init__()
        self.model = model
        self._over: Collection[int] = ()
        self.table = DeskTable(RUN_HEADINGS, "Runs of the selected contender", last_fills=True)
        self.table.itemSelectionChanged.connect(self._row_chosen)
        self.table.installEventFilter(self)
        self.head = label("", "head", elide=True)
        self.log = label("", "soft", wrap=True, copy=True)
        self.by_hand = ByHandForm(model)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.addWidget(self.head)
        column.addWidget(self.table, 1)
        below = QHBoxLayout()
        below.addWidget(self.log, 1)
        below.addWidget(self.by_hand)
        column.addLayout(below)

    def set_busy(self, _busy: bool, locked: bool) -> None:
        """Whether nothing may be entered."""
        self.by_hand.setEnabled(not locked)

    def lay_over(self, runs: Collection[int]) -> None:
        """Mark the runs whose traces are laid over others."""
        self._over = runs
        self.show_runs(keep=True)

    @property
    def run(self) -> RunRecord | None:
        """The chosen one; None where a preparation is, or nothing."""
        chosen = self.model.summary
        return next((r for r in chosen.runs if r.id == self.table.chosen), None) if chosen else None

    @property
    def run_id(self) -> int:
        """Its id, or 0."""
        run = self.run
        return run.id if run else 0

    def show_runs(self, keep: bool) -> None:
        """Fill the table; `keep` the chosen one chosen, if it is there still."""
        chosen = self.model.summary
        self.head.setText(chosen.contender.label if chosen else "")
        runs = list(chosen.runs) if chosen else []
        made = list(chosen.prepared) if chosen else []
        cells = [*map(prepared_cells, made), *(run_cells(r, r.id in self._over) for r in runs)]
        # Preparations are no runs: they have negative numbers here, and no log to be shown.
        keys = [*(-n for n in range(1, len(made) + 1)), *(r.id for r in runs)]
        kept = self.table.chosen if self.table.chosen in keys and keep else 0
        self.table.fill(cells, keys, kept or (runs[-1].id if runs else 0))
        self._row_chosen()

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        """Space in the table lays the chosen run's trace over others."""
        if watched is self.table and isinstance(event, QKeyEvent) and event.type() == QEvent.Type.KeyPress:
            run = self.run
            if event.key() == Qt.Key.Key_Space and run is not None:
                self.over_wanted.emit(run)
                return True
        return super().eventFilter(watched, event)

    def _row_chosen(self) -> None:
        run = self.run
        self.chosen.emit(run.id if run else 0)
        if run is None:
            why = self.model.barred.get(self.model.selection)
            self.log.setText(f"It can't run here: {why}" if why else "No runs yet.")
            set_role(self.log, "trouble" if why else "soft")
            return
        failed = run.state in ("failed", "interrupted")
        set_role(self.log, "trouble" if failed else "soft")
        said = [odd_words(run), device_words(run)]
        odd = "".join(f"{words[:1].upper()}{words[1:]}. " for words in said if words)
        self.log.setText(
            f"{run.state}: {run.reason}"
            if run.reason
            else odd + f"{run.started_utc[:19].replace('T', ' ')} UTC, {_ended(run)}"
        )
        self.log.setToolTip("\n".join(run.log[-12:]))


def _ended(r: RunRecord) -> str:
    """How a run ended: its exit code and last words."""
    if r.by_hand:
        return "entered by hand."
    energy = f", {r.joules:.0f} J" if r.joules is not None else ""
    return f"exit code {r.exit_code}{energy}. {r.log[-1][:140] if r.log else ''}"
